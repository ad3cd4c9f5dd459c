"""The bar on the body, from the front and to scale; the hands can be dragged along it."""

from __future__ import annotations

from math import sqrt

from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from keenkettle.fit.grip import (
    HAND_MM,
    RING_MARKS_MM,
    SLEEVES_MM,
    WIDEST_MM,
    bar_height_for,
    joint_width,
    overhead_clearance,
)
from keenkettle.fit.lengths import Lengths
from keenkettle.ui import theme

STEP_MM = 10.0
BAR_MM = 2200.0
WORD_MM = 60.0


class GripView(QWidget):
    """Front view. ``dragged`` carries the grip in mm."""

    dragged = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.lengths: Lengths | None = None
        self.arm_mm = 600.0
        self.grip_mm = 900.0
        self.asked: tuple[float, float] | None = None  # range of the answer
        self.overhead = False
        self.setMinimumSize(380, 300)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Grip to scale; left and right arrows move the hands")

    def sizeHint(self) -> QSize:
        return QSize(520, 420)

    def set_grip(
        self, lengths: Lengths, arm_mm: float, grip_mm: float, asked: tuple[float, float] | None
    ) -> None:
        """Show a grip on a body."""
        self.lengths, self.arm_mm, self.grip_mm, self.asked = lengths, arm_mm, grip_mm, asked
        self.update()

    def _scale(self) -> tuple[float, QPointF]:
        assert self.lengths is not None
        high = self.lengths.stature * (1.36 if self.overhead else 1.08)
        px = min((self.height() - 24) / high, (self.width() - 16) / BAR_MM)
        return px, QPointF(self.width() / 2.0, self.height() - 12.0)

    def bar_y(self) -> float:
        """Height of the bar, mm, at the present grip."""
        assert self.lengths is not None
        if self.overhead:
            up = overhead_clearance(self.lengths, self.arm_mm, self.grip_mm)
            return self.lengths.stature + up
        return bar_height_for(self.lengths, self.arm_mm, self.grip_mm)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if self.lengths is None:
            return
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        px, o = self._scale()

        def at(x: float, y: float) -> QPointF:
            return QPointF(o.x() + x * px, o.y() - y * px)

        self._paint_body(p, at, px)
        n, bar = self.lengths, self.bar_y()
        half = joint_width(n) / 2.0
        p.setPen(QPen(theme.colour(t.accent), 4))
        p.drawLine(at(-BAR_MM / 2, bar), at(BAR_MM / 2, bar))
        p.setPen(QPen(theme.colour(t.accent), 10))
        for side in (-1, 1):
            p.drawLine(at(side * SLEEVES_MM / 2, bar), at(side * BAR_MM / 2, bar))
        p.setPen(QPen(theme.colour(t.ink), 3))
        for side in (-1, 1):
            ring = at(side * RING_MARKS_MM / 2, bar)
            p.drawLine(ring + QPointF(0, -6), ring + QPointF(0, 6))
        if self.asked:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour(t.held, 90))
            for side in (-1, 1):
                a, b = (at(side * v / 2, bar) for v in self.asked)
                p.drawRect(QRectF(a + QPointF(0, -9), b + QPointF(0, 9)).normalized())
        shoulder_y = n["shoulder_height"] + (50.0 if self.overhead else 0.0)
        pen = QPen(theme.colour(t.ink), max(0.035 * n.stature * px, 4))
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        for side in (-1, 1):
            p.setPen(pen)
            p.drawLine(at(side * half, shoulder_y), at(side * self.grip_mm / 2, bar))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour(t.accent))
            r = HAND_MM / 2 * px
            p.drawRoundedRect(
                QRectF(at(side * self.grip_mm / 2, bar) - QPointF(r, 9), QSizeF(2 * r, 18)), 5, 5
            )
        self._paint_words(p, at)

    def _paint_body(self, p: QPainter, at, px: float) -> None:  # type: ignore[no-untyped-def]
        t, n = theme.current(), self.lengths
        assert n is not None
        p.setPen(QPen(theme.colour(t.quiet), 2))
        p.drawLine(at(-BAR_MM / 2, 0), at(BAR_MM / 2, 0))
        pen = QPen(theme.colour(t.quiet))
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        half, hip = joint_width(n) / 2.0, n["hip_width"] / 2.0 - 40.0
        for side in (-1, 1):
            pen.setWidthF(0.07 * n.stature * px)
            p.setPen(pen)
            p.drawLine(at(side * hip * 0.8, n["hip_crease"]), at(side * hip, 70))
        pen.setWidthF(0.10 * n.stature * px)
        p.setPen(pen)
        for side in (-1, 1):
            p.drawLine(
                at(side * half * 0.75, n["shoulder_height"] - 40),
                at(side * hip * 0.6, n["hip_crease"] + 60),
            )
        p.drawLine(at(0, n["shoulder_height"] - 60), at(0, n["hip_crease"] + 80))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(t.quiet))
        r = 0.062 * n.stature * px
        p.drawEllipse(at(0, n.stature * 0.935), r * 0.85, r)

    def _paint_words(self, p: QPainter, at) -> None:  # type: ignore[no-untyped-def]
        t, n = theme.current(), self.lengths
        assert n is not None
        p.setFont(theme.text_font(12))
        p.setPen(QPen(theme.colour(t.held), 1, Qt.PenStyle.DashLine))
        for name, word in (("hip_crease", "hip crease"), ("belt_line", "belt line")):
            y = n[name]
            p.drawLine(at(-420, y), at(420, y))
            guess = " (estimate)" if name in n.estimated else ""
            clear = -13 if abs(y - self.bar_y()) < WORD_MM else -3  # not under the bar
            p.drawText(at(-1090, y) + QPointF(0, clear), f"{word}{guess}")
        p.setPen(theme.colour(t.accent))
        p.setFont(theme.big_font(24))
        p.drawText(QPointF(10, 26), f"{self.grip_mm / 10:.0f} cm between the hands")

    # --- hands ---------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.lengths is None:
            return
        px, o = self._scale()
        self._move(2.0 * abs(event.position().x() - o.x()) / px)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Left: -STEP_MM, Qt.Key.Key_Right: STEP_MM}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._move(self.grip_mm + step)

    def _move(self, grip_mm: float) -> None:
        if self.lengths is None:
            return
        least = joint_width(self.lengths)
        reach = least + 2.0 * sqrt(max(self.arm_mm**2 - 110.0**2, 0.0)) * 0.98
        self.grip_mm = min(max(grip_mm, least), WIDEST_MM, reach)
        self.update()
        self.dragged.emit(self.grip_mm)
