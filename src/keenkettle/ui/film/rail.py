"""The height rail: the bar's path at the film's own scale and height, in cm off the floor."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from keenkettle.coach.review import RepReview, Review
from keenkettle.lifter.body import standing_heights_mm
from keenkettle.measure.metrics import phase_bounds
from keenkettle.ui import theme
from keenkettle.ui.film.phase_hues import phase_hue
from keenkettle.ui.film.view_box import ViewBox

PATH_AT = 0.40  # of the width: between the numbers and the names of the heights
SHOWN = ("knee", "mid-thigh", "hip", "navel", "breastbone", "chin", "crown")
TICK_ROOM_PX = 17.0
BOUND = QPointF(7.0, 0.0)  # to each side of the path where one phase ends and another begins


class HeightRail(QWidget):
    """Beside the stage, sharing its rows. Dragging along the path scrubs the film."""

    scrubbed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Height rail: bar path in centimetres above the floor")
        self.setToolTip("Drag along the path: show me the bar at the knee")
        self.setFixedWidth(148)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.box: ViewBox | None = None
        self.stature_mm: float | None = None
        self.frame = 0

    def _path(self) -> QPolygonF:
        """The rep's path in widget pixels: rows as on the stage, between numbers and names."""
        assert self.review is not None and self.rep is not None and self.box is not None
        start = self.rep.span.lift_off
        xy = self.review.bar.path_on(start)[start : self.rep.span.end + 1]
        middle = float(np.min(xy[:, 0]) + np.max(xy[:, 0])) / 2.0
        shift = self.width() * PATH_AT - self.box.at(middle, 0.0).x()
        return QPolygonF([self.box.at(float(x), float(y)) + QPointF(shift, 0) for x, y in xy])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(theme.colour(worn.line), 1))
        p.setBrush(theme.colour(worn.card))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        p.setFont(theme.text_font(12))
        p.setPen(theme.colour(worn.quiet))
        title = QRectF(8, 4, self.width() - 16, 18)
        p.drawText(title, Qt.AlignmentFlag.AlignLeft, "height")
        p.drawText(title, Qt.AlignmentFlag.AlignRight, "cm")
        if self.review is None or self.rep is None or self.box is None:
            return
        p.setClipRect(QRectF(self.rect()).adjusted(2, 24, -2, -2))
        self._ticks(p, worn)
        path = self._path()
        p.setBrush(Qt.BrushStyle.NoBrush)
        here = min(max(self.frame - self.rep.span.lift_off, 0), path.count() - 1)
        at = path.at(here)
        self._by_phase(p, worn, path, here)
        p.setPen(QPen(theme.colour(worn.accent), 1))
        p.drawLine(QPointF(8, at.y()), QPointF(self.width() - 8.0, at.y()))
        p.setPen(QPen(theme.colour(worn.card), 2))
        p.setBrush(theme.colour(worn.accent))
        p.drawEllipse(at, 7, 7)
        self._height_here(p, worn, at)

    def _by_phase(self, p: QPainter, worn: theme.Theme, path: QPolygonF, here: int) -> None:
        """The path in its phases' hues, the one in view in strong strokes, a bar across where one
        ends.
        """
        assert self.rep is not None
        start, last = self.rep.span.lift_off, path.count() - 1
        p.setPen(QPen(theme.colour(worn.quiet), 1.6))
        p.drawPolyline(path)
        for name, first, end in phase_bounds(self.rep.events):
            a, b = (min(max(n - start, 0), last) for n in (first, end))
            p.setPen(QPen(phase_hue(name, worn), 5.0 if a <= here < max(b, a + 1) else 2.5))
            p.drawPolyline(path[a : b + 1])
            if 0 < a < last:
                p.setPen(QPen(theme.colour(worn.ink), 1.6))
                p.drawLine(path.at(a) - BOUND, path.at(a) + BOUND)

    def _height_mm(self, y_widget: float) -> float | None:
        assert self.review is not None and self.box is not None
        cal = self.review.calibration
        if cal.floor_y_px is None:
            return None
        _, y = self.box.back(QPointF(0.0, y_widget))
        return (cal.floor_y_px - y) * cal.mm_per_px

    def _height_here(self, p: QPainter, worn: theme.Theme, at: QPointF) -> None:
        height = self._height_mm(at.y())
        if height is None:
            return
        p.setFont(theme.big_font(18))
        text = f"{height / 10:.0f}"
        left = at.x() > self.width() * PATH_AT
        box = QRectF(8.0 if left else self.width() - 48.0, at.y() - 26, 40, 22)
        p.fillRect(box, theme.colour(worn.card, 230))
        p.setPen(theme.colour(worn.accent))
        side = Qt.AlignmentFlag.AlignLeft if left else Qt.AlignmentFlag.AlignRight
        p.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, text)

    def _ticks(self, p: QPainter, worn: theme.Theme) -> None:
        assert self.review is not None and self.box is not None
        cal = self.review.calibration
        if cal.floor_y_px is None:
            return
        marks = [("floor", 0.0)]
        if self.stature_mm:
            heights = standing_heights_mm(self.stature_mm)
            marks += [(name, heights[name]) for name in SHOWN]
        last = 1e9
        path = self._path()
        here = min(
            max(self.frame - (self.rep.span.lift_off if self.rep else 0), 0), path.count() - 1
        )
        cursor = path.at(here).y()
        p.setFont(theme.text_font(12))
        for name, mm in marks:
            y = self.box.at(0.0, cal.floor_y_px - mm / cal.mm_per_px).y()
            p.setPen(QPen(theme.colour(worn.line), 1))
            p.drawLine(QPointF(8, y), QPointF(self.width() - 8.0, y))
            if last - y < TICK_ROOM_PX or y < 40:
                continue
            last = y
            if -25 < y - cursor < 18:
                continue  # the cursor's own figure stands here
            p.setPen(theme.colour(worn.quiet))
            row = QRectF(8, y - 17, self.width() - 16.0, 16)
            p.drawText(row, Qt.AlignmentFlag.AlignLeft, f"{mm / 10:.0f}")
            p.drawText(row, Qt.AlignmentFlag.AlignRight, name)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.review is None or self.rep is None or self.box is None:
            return
        path = self._path()
        spot = event.position()
        here = self.frame - self.rep.span.lift_off
        # Of the two branches at one height the nearer in time wins, so a drag runs smoothly.
        cost = [
            np.hypot(path.at(i).x() - spot.x(), 2.0 * (path.at(i).y() - spot.y()))
            + 0.25 * abs(i - here)
            for i in range(path.count())
        ]
        self.scrubbed.emit(self.rep.span.lift_off + int(np.argmin(cost)))
