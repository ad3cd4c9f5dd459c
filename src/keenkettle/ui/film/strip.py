"""The elastic strip under the film: phases as cells, whose bounds can be dragged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QToolTip, QWidget

from keenkettle.coach.review import RepReview, Review
from keenkettle.measure.events import Events
from keenkettle.ui import theme
from keenkettle.ui.film.elastic import Cell, cells_of, frame_at, x_of
from keenkettle.ui.film.phase_hues import phase_hue

STRIP_PX = 56
PAD_PX = 5.0  # words keep so far from the bounds
BAND_TOP_PX, BAND_PX = 24.0, 7.0  # of a phase's own hue
GRIP_PX = 6.0  # so near a bound it is the bound that is dragged


def bound_events(events: Events, frame: int) -> list[str]:
    """Events that lie on a frame."""
    return [name for name, i in events.items() if i == frame]


class ElasticStrip(QWidget):
    """Phases as cells, frames as ticks, notes as flags, one cursor.

    ``moved`` carries an event that was dragged and the frame it was let go on.
    """

    scrubbed = pyqtSignal(int)
    moved = pyqtSignal(str, int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Phases; drag to scrub, drag a bound to move its event")
        self.setFixedHeight(STRIP_PX)
        self.setMouseTracking(True)
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.frames = 0
        self.frame = 0
        self.true_time = False
        self.flags: list[tuple[int, int]] = []  # first and last frame of each note
        self._held: tuple[str, float] | None = None  # the event that is dragged, and where to

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
        p.setPen(QPen(theme.colour(worn.other), 3))
        for first, last in self.flags:
            a, b = x_of(cells, first) + 1.0, x_of(cells, last) + 1.0
            p.drawLine(QPointF(a - 2, 50), QPointF(max(b, a + 2), 50))
        if self._held is not None:
            p.setPen(QPen(theme.colour(worn.other), 2, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(self._held[1], 2), QPointF(self._held[1], STRIP_PX - 2.0))
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
        band = QRectF(box.left() + 1, BAND_TOP_PX, box.width() - 2, BAND_PX)
        p.fillRect(band, phase_hue(c.name, worn))
        p.setFont(theme.text_font(12, strong=True))
        p.setPen(theme.colour(worn.ink))
        metrics = p.fontMetrics()
        room = box.width() - 2 * PAD_PX
        word = c.name if metrics.horizontalAdvance(c.name) <= room else ""
        p.drawText(box.adjusted(PAD_PX, 4, -PAD_PX, 0), Qt.AlignmentFlag.AlignLeft, word)
        if self.review is not None:
            t = self.review.times_s
            took = f"{t[c.last] - t[c.first]:.2f} s"
            need = metrics.horizontalAdvance(word) + metrics.horizontalAdvance(took) + 8
            p.setFont(theme.text_font(12))
            p.setPen(theme.colour(worn.quiet))
            if need <= room:
                p.drawText(box.adjusted(PAD_PX, 4, -PAD_PX, 0), Qt.AlignmentFlag.AlignRight, took)
        count = c.last - c.first
        every = max(1, int(np.ceil(count / max(box.width() / 5.0, 1.0))))
        p.setPen(QPen(theme.colour(worn.quiet), 1))
        for n in range(c.first, c.last + 1, every):
            x = box.left() + (n - c.first) / max(count, 1) * box.width()
            p.drawLine(QPointF(x, 34), QPointF(x, 44))

    def event_near(self, x: float) -> str | None:
        """The event whose bound between two phases is at x, or None."""
        if self.rep is None:
            return None
        cells = self.cells()
        for c in cells[1:]:
            names = bound_events(self.rep.events, c.first)
            if abs(c.x0 - 1.0 - x) <= GRIP_PX and names:
                return names[0]
        return None

    def _scrub(self, event: QMouseEvent) -> None:
        if self.frames > 1:
            self.scrubbed.emit(frame_at(self.cells(), event.position().x()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        name = self.event_near(event.position().x())
        if name is not None:
            self._held = (name, event.position().x())
        self._scrub(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None:
            return
        name, self._held = self._held[0], None
        frame = frame_at(self.cells(), event.position().x())
        if self.rep is not None and self.rep.events.get(name) != frame:
            self.moved.emit(name, frame)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.frames < 2:
            return
        x = event.position().x()
        if event.buttons() & Qt.MouseButton.LeftButton:
            if self._held is not None:
                self._held = (self._held[0], x)
            self._scrub(event)
            return
        near = self.event_near(x)
        shape = Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)
        if self.review is not None:
            frame = frame_at(self.cells(), x)
            start = self.rep.span.lift_off if self.rep is not None else 0
            ms = 1000.0 * (self.review.times_s[frame] - self.review.times_s[start])
            words = f"frame {frame}, {ms:+.0f} ms from the start"
            if near:
                words = f"{near.replace('_', ' ')}: drag to move it, and all after is measured anew"
            QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def leaveEvent(self, event: QEvent | None) -> None:
        QToolTip.hideText()
