"""A curve of the lift on the strip's own time axis; a click goes to the frame."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from keenkettle.coach.review import RepReview, Review
from keenkettle.measure.curves import Graph, graph_of
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import Motion
from keenkettle.ui import theme
from keenkettle.ui.film.elastic import Cell, cells_of, frame_at, x_of
from keenkettle.ui.film.phase_hues import HUES, phase_hue

HEIGHT_PX = 104
DASHES = (
    Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine,
)  # fmt: skip
BEHIND = 34  # opacity of the phases' hues behind curves, of 255
LEAST = {"m/s": (-0.2, 0.5), "mm": (-50.0, 50.0), "deg": (60.0, 185.0)}


class GraphView(QWidget):
    """One graph; ``other`` is a second clip's motion by own frame, in the second hue."""

    scrubbed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT_PX)
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.other: tuple[Motion, FloatArray] | None = None
        self.frames = 0
        self.frame = 0
        self.true_time = False
        self.name = "speed"

    def cells(self) -> list[Cell]:
        """The phases laid out as on the strip."""
        events = self.rep.events if self.rep is not None else None
        return cells_of(events, self.frames, float(self.width() - 2), self.true_time)

    def _motion(self) -> Motion | None:
        if self.rep is not None:
            return self.rep.motion
        return self.review.motion if self.review is not None else None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 0.5, self.width() - 1.0, self.height() - 1.0)
        p.setPen(QPen(theme.colour(worn.line), 1))
        p.setBrush(theme.colour(worn.card))
        p.drawRoundedRect(box, 4, 4)
        motion = self._motion()
        if motion is None or self.frames < 2:
            return
        graph = graph_of(motion, self.name)
        self.setAccessibleName(f"{graph.label}; {self._numbers(graph)}")
        p.setFont(theme.text_font(12))
        p.setPen(theme.colour(worn.quiet))
        words = box.adjusted(8, 4, -8, 0)
        p.drawText(words, Qt.AlignmentFlag.AlignLeft, graph.label)
        self._legend(p, worn, words, graph)
        if not graph.lines:
            text = "no joints were measured; mark them (J) to see angles"
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            return
        self._lines(p, worn, box, graph)

    def _legend(self, p: QPainter, worn: theme.Theme, words: QRectF, graph: Graph) -> None:
        """The numbers here; where there are several lines each with a sample of its dash."""
        if len(graph.lines) < 2:
            p.drawText(words, Qt.AlignmentFlag.AlignRight, self._numbers(graph))
            return
        right = words.right()
        for part, dash in reversed(
            list(zip(self._numbers(graph).split("   "), DASHES, strict=False))
        ):
            wide = p.fontMetrics().horizontalAdvance(part)
            p.setPen(theme.colour(worn.quiet))
            p.drawText(QPointF(right - wide, words.top() + 13), part)
            p.setPen(QPen(theme.colour(worn.ink), 2, dash))
            p.drawLine(
                QPointF(right - wide - 30, words.top() + 9),
                QPointF(right - wide - 6, words.top() + 9),
            )
            right -= wide + 44

    def _lines(self, p: QPainter, worn: theme.Theme, box: QRectF, graph: Graph) -> None:
        cells = self.cells()
        for c in cells:
            if c.name in HUES:
                over = QRectF(c.x0 + 1.0, box.top() + 22.0, c.x1 - c.x0, box.height() - 23.0)
                p.fillRect(over, phase_hue(c.name, worn, BEHIND))
        every = np.concatenate([line.values for line in graph.lines])
        lo = min(float(np.nanmin(every)), LEAST[graph.unit][0])
        hi = max(float(np.nanmax(every)), LEAST[graph.unit][1])
        room = box.height() - 34.0

        def at(frame: float, value: float) -> QPointF:
            y = box.top() + 26.0 + (hi - value) / (hi - lo) * room
            return QPointF(x_of(cells, frame) + 1.0, y)

        base = 180.0 if graph.unit == "deg" else 0.0
        p.setPen(QPen(theme.colour(worn.line), 1))
        p.drawLine(at(0, base), QPointF(self.width() - 1.0, at(0, base).y()))
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.other is not None:
            motion, frames = self.other
            theirs = graph_of(motion, self.name)
            for line, dash in zip(theirs.lines, DASHES, strict=False):
                self._draw(p, theme.colour(worn.other), dash, line.values, at, frames)
        for line, dash in zip(graph.lines, DASHES, strict=False):
            self._draw(p, theme.colour(worn.ink), dash, line.values, at)
        for line in graph.lines:
            if self.frame < len(line.values) and np.isfinite(line.values[self.frame]):
                p.setPen(QPen(theme.colour(worn.card), 2))
                p.setBrush(theme.colour(worn.accent))
                p.drawEllipse(at(self.frame, float(line.values[self.frame])), 4.5, 4.5)
        x = x_of(cells, self.frame) + 1.0
        p.setPen(QPen(theme.colour(worn.accent), 1.5))
        p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    def _draw(self, p, hue, dash, values, at, frames=None) -> None:  # type: ignore[no-untyped-def]
        p.setPen(QPen(hue, 2, dash))
        spots: list[QPointF] = []
        for n, value in enumerate(values):
            if np.isfinite(value) and (frames is None or np.isfinite(frames[n])):
                spots.append(at(n if frames is None else float(frames[n]), float(value)))
            elif spots:
                p.drawPolyline(QPolygonF(spots))
                spots = []
        if spots:
            p.drawPolyline(QPolygonF(spots))

    def _numbers(self, graph: Graph) -> str:
        words = []
        for line in graph.lines:
            if self.frame < len(line.values):
                value = float(line.values[self.frame])
                name = "here" if line.name == "bar" else line.name
                words.append(f"{name} {_digits(value, graph.unit)}")
        if graph.name == "speed" and self.rep is not None:
            peak, rhythm = (self.rep.metrics.get(n) for n in ("bar_peak_velocity", "rhythm_ratio"))
            if peak is not None and peak.value is not None:
                words.append(f"peak {peak.value:.2f} ± {max(peak.sigma, 0.005):.2f}")
            if rhythm is not None and rhythm.value is not None:
                words.append(f"rhythm {rhythm.value:.2f}")
        return "   ".join(words)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.frames > 1:
            self.scrubbed.emit(frame_at(self.cells(), event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.mousePressEvent(event)


def _digits(value: float, unit: str) -> str:
    if not np.isfinite(value):
        return "not measured"
    if unit == "mm":
        return f"{value / 10:.1f}"
    return f"{value:z.2f}" if unit == "m/s" else f"{value:.0f}°"
