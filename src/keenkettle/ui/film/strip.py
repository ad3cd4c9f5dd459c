"""The elastic strip under the film, and the bar's speed on the same axis."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QToolTip, QWidget

from keenkettle.coach.review import RepReview, Review
from keenkettle.ui import theme
from keenkettle.ui.film.elastic import Cell, cells_of, frame_at, x_of

STRIP_PX, CURVE_PX, SPACE_PX = 56, 104, 8


class ElasticStrip(QWidget):
    """Phases as cells, frames as ticks, the speed below, one cursor through both."""

    scrubbed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Phases and bar speed; drag to scrub")
        self.setFixedHeight(STRIP_PX + CURVE_PX + SPACE_PX)
        self.setMouseTracking(True)
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.frames = 0
        self.frame = 0
        self.true_time = False

    def cells(self) -> list[Cell]:
        """The phases laid out over the present width."""
        events = self.rep.events if self.rep is not None else None
        return cells_of(events, self.frames, float(self.width() - 2), self.true_time)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.frames < 2:
            return
        cells = self.cells()
        for c in cells:
            self._cell(p, worn, c)
        self._curve(p, worn, cells)
        x = x_of(cells, self.frame) + 1.0
        p.setPen(QPen(theme.colour(worn.accent), 2))
        p.drawLine(QPointF(x, 24), QPointF(x, self.height() - 2.0))
        p.setBrush(theme.colour(worn.accent))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawPolygon(
            QPolygonF(
                [
                    QPointF(x - 7, 24),
                    QPointF(x + 7, 24),
                    QPointF(x + 7, 40),
                    QPointF(x, 48),
                    QPointF(x - 7, 40),
                ]
            )
        )

    def _cell(self, p: QPainter, worn: theme.Theme, c: Cell) -> None:
        box = QRectF(c.x0 + 1, 0.5, c.x1 - c.x0, STRIP_PX - 1.0)
        inside = c.first <= self.frame <= c.last
        p.setPen(QPen(theme.colour(worn.accent if inside else worn.line), 2 if inside else 1))
        p.setBrush(theme.colour(worn.wash if inside else worn.card))
        p.drawRoundedRect(box, 4, 4)
        p.setFont(theme.text_font(12, strong=True))
        p.setPen(theme.colour(worn.ink))
        metrics = p.fontMetrics()
        room = box.width() - 14.0
        word = c.name if metrics.horizontalAdvance(c.name) <= room else ""
        p.drawText(box.adjusted(7, 4, -7, 0), Qt.AlignmentFlag.AlignLeft, word)
        if self.review is not None:
            t = self.review.times_s
            took = f"{t[c.last] - t[c.first]:.2f} s"
            need = metrics.horizontalAdvance(word) + metrics.horizontalAdvance(took) + 8
            p.setFont(theme.text_font(12))
            p.setPen(theme.colour(worn.quiet))
            if need <= room:
                p.drawText(box.adjusted(7, 4, -7, 0), Qt.AlignmentFlag.AlignRight, took)
        count = c.last - c.first
        every = max(1, int(np.ceil(count / max(box.width() / 5.0, 1.0))))
        p.setPen(QPen(theme.colour(worn.quiet), 1))
        for n in range(c.first, c.last + 1, every):
            x = box.left() + (n - c.first) / max(count, 1) * box.width()
            p.drawLine(QPointF(x, 34), QPointF(x, 44))

    def _curve(self, p: QPainter, worn: theme.Theme, cells: list[Cell]) -> None:
        top = STRIP_PX + SPACE_PX
        box = QRectF(0.5, top, self.width() - 1.0, CURVE_PX - 1.0)
        p.setPen(QPen(theme.colour(worn.line), 1))
        p.setBrush(theme.colour(worn.card))
        p.drawRoundedRect(box, 4, 4)
        p.setFont(theme.text_font(12))
        p.setPen(theme.colour(worn.quiet))
        label = box.adjusted(8, 4, -8, 0)
        p.drawText(label, Qt.AlignmentFlag.AlignLeft, "bar speed up, m/s")
        if self.review is None:
            return
        p.drawText(label, Qt.AlignmentFlag.AlignRight, self._numbers())
        v = self.review.motion.bar_v[:, 1]
        lo, hi = min(float(v.min()), -0.2), max(float(v.max()), 0.5)
        room = box.height() - 34.0

        def y_of(value: float) -> float:
            return box.top() + 26.0 + (hi - value) / (hi - lo) * room

        p.setPen(QPen(theme.colour(worn.line), 1))
        p.drawLine(QPointF(1, y_of(0.0)), QPointF(self.width() - 1.0, y_of(0.0)))
        curve = QPolygonF([QPointF(x_of(cells, n) + 1, y_of(float(v[n]))) for n in range(len(v))])
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(theme.colour(worn.ink), 2))
        p.drawPolyline(curve)
        if self.frame < len(v):
            p.setPen(QPen(theme.colour(worn.card), 2))
            p.setBrush(theme.colour(worn.accent))
            p.drawEllipse(QPointF(x_of(cells, self.frame) + 1, y_of(float(v[self.frame]))), 5, 5)

    def _numbers(self) -> str:
        assert self.review is not None
        v = self.review.motion.bar_v[:, 1]
        words = []
        if self.frame < len(v):
            words.append(f"here {v[self.frame]:.2f}")
        if self.rep is not None:
            peak = self.rep.metrics["bar_peak_velocity"]
            if peak.value is not None:
                words.append(f"peak {peak.value:.2f} ± {max(peak.sigma, 0.005):.2f}")
            rhythm = self.rep.metrics["rhythm_ratio"]
            if rhythm.value is not None:
                words.append(f"rhythm {rhythm.value:.2f}")
        return "   ".join(words)

    def _scrub(self, event: QMouseEvent) -> None:
        if self.frames > 1:
            self.scrubbed.emit(frame_at(self.cells(), event.position().x()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._scrub(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.frames < 2:
            return
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._scrub(event)
        elif self.review is not None:
            frame = frame_at(self.cells(), event.position().x())
            start = self.rep.span.lift_off if self.rep is not None else 0
            ms = 1000.0 * (self.review.times_s[frame] - self.review.times_s[start])
            words = f"frame {frame}, {ms:+.0f} ms from lift-off"
            QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def leaveEvent(self, event: QEvent | None) -> None:
        QToolTip.hideText()
