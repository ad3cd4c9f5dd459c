"""The reps of a set side by side: scatter, fade, and the last good one."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from keenkettle.coach.across import ENOUGH, Across, Set, across
from keenkettle.coach.judge import show_value
from keenkettle.ui import theme
from keenkettle.ui.film.over_time import metric_words
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.widgets import Page, card, clear, label, sentence

TALL_PX, TOP_PX, FOOT_PX = 96, 26.0, 22.0


class RepDots(QWidget):
    """One measure of each rep with its error; a click goes to the rep."""

    picked = pyqtSignal(int)

    def __init__(self, measure: Across, last_good: int, here: int) -> None:
        super().__init__()
        self.measure, self.last_good, self.here = measure, last_good, here
        self.setFixedHeight(TALL_PX)
        said = [show_value(v, measure.unit) if v is not None else "not measured"
                for v in measure.values]  # fmt: skip
        self.setAccessibleName(f"{metric_words(measure.metric)} rep by rep: {', '.join(said)}")

    def _x(self, i: int) -> float:
        return self.width() * (i + 0.5) / len(self.measure.values)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        m, worn = self.measure, theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.text_font(12))
        known = [v for v in m.values if v is not None]
        lo, hi = min(known) - m.sigma, max(known) + m.sigma
        foot = self.height() - FOOT_PX

        def y(value: float) -> float:
            return foot - (value - lo) / max(hi - lo, 1e-9) * (foot - TOP_PX)

        if self.last_good < len(m.values):
            edge = (self._x(self.last_good - 1) + self._x(self.last_good)) / 2.0
            p.setPen(QPen(theme.colour(worn.other), 1.5, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(edge, TOP_PX - 8), QPointF(edge, self.height() - 4.0))
        for i, value in enumerate(m.values):
            x, own = self._x(i), i == self.here
            p.setPen(theme.colour(worn.accent if own else worn.quiet))
            middle = Qt.AlignmentFlag.AlignCenter
            p.drawText(QRectF(x - 40, foot + 2, 80, FOOT_PX - 2), middle, f"rep {i + 1}")
            if value is None:
                p.drawText(QRectF(x - 40, TOP_PX, 80, foot - TOP_PX), middle, "not seen")
                continue
            ink = theme.colour(worn.accent if own else worn.ink)
            p.setPen(QPen(ink, 1.2))
            p.drawLine(QPointF(x, y(value - m.sigma)), QPointF(x, y(value + m.sigma)))
            p.setBrush(ink)
            p.drawEllipse(QPointF(x, y(value)), 4.5, 4.5)
            above = QRectF(x - 50, y(value + m.sigma) - 22, 100, 20)
            p.drawText(above, middle, show_value(value, m.unit))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            count = len(self.measure.values)
            self.picked.emit(min(int(event.position().x() / self.width() * count), count - 1))


class SetView(Page):
    """The page "Set"; there only where a film holds several reps."""

    def __init__(self, presenter: FilmPresenter) -> None:
        super().__init__()
        self.presenter = presenter

    def show_state(self) -> None:
        """Another film or rep."""
        clear(self.column)
        review = self.presenter.state.review
        made = across(review.reps) if review is not None else None
        if made is None:
            return
        good = f"Last good rep: {made.last_good} of {made.n}"
        self.column.addWidget(label(good, "title"))
        self.column.addWidget(label(sentence(made.why), wrap=True))
        if made.n < ENOUGH:
            few = "Two reps tell neither scatter nor fade; three or more do."
            self.column.addWidget(label(few, "quiet", wrap=True))
        if made.path_mm is not None:
            apart = f"The bar's paths lie {made.path_mm / 10:.1f} cm apart sideways (SD)."
            self.column.addWidget(label(apart, wrap=True))
        for m in made.measures:
            self._add(m, made)
        self.column.addStretch(1)

    def _add(self, m: Across, made: Set) -> None:
        inside = QVBoxLayout()
        inside.addWidget(label(metric_words(m.metric), "strong"))
        if m.slope is not None and m.scatter is not None:
            change = f"{show_value(m.slope, m.unit, True)} a rep"
            words = f"fades: {change}" if m.fades else "no clear fade"
            scatter = f"scatter {show_value(m.scatter, m.unit)} (SD, error taken out)"
            inside.addWidget(label(f"{words}; {scatter}", "warn" if m.fades else "quiet", True))
        dots = RepDots(m, made.last_good, self.presenter.state.rep)
        dots.picked.connect(self._go)
        inside.addWidget(dots)
        self.column.addWidget(card(inside))

    def _go(self, rep: int) -> None:
        review = self.presenter.state.review
        if review is not None:
            self.presenter.go(review.reps[rep].span.lift_off)
