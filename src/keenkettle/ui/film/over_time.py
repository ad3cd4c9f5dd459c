"""A measure over the months, and whether what was prescribed has moved it."""

from __future__ import annotations

import itertools
from datetime import date

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from keenkettle.club.over_time import effects, filmed, series
from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import show_value
from keenkettle.coach.person import OnFilm
from keenkettle.coach.remedies import all_drills
from keenkettle.measure.sheet import UNITS
from keenkettle.ui import theme
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.widgets import Page, card, clear, label

DAYS_PX = 22.0  # room for the days below
USUAL = "bar_peak_velocity"
WORDS = {"yes": "it has moved", "no": "it has not moved", "not yet": "not yet enough clips"}


def metric_words(metric: str) -> str:
    """A measure's id in words."""
    return metric.replace("_", " ")


class TimeGraph(QWidget):
    """Points by day; the clip in view is filled. A click opens a clip."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(190)
        self.clips: list[OnFilm] = []
        self.metric = USUAL
        self.here: int | None = None
        self.marks: list[date] = []  # days on which something was prescribed for it

    def _spots(self) -> list[tuple[OnFilm, QPointF]]:
        shown = [c for c in self.clips if self.metric in c.measures]
        if not shown:
            return []
        values = [c.measures[self.metric] for c in shown]
        lo, hi = min(values), max(values)
        pad = max(0.15 * (hi - lo), abs(hi) * 0.02, 1e-3)
        lo, hi = lo - pad, hi + pad
        return [
            (c, QPointF(self._x(c.day), 168 - (c.measures[self.metric] - lo) / (hi - lo) * 132))
            for c in shown
        ]

    def _x(self, day: date) -> float:
        days = [c.day for c in self.clips if self.metric in c.measures] + self.marks
        first, last = min(days), max(days)
        share = (day - first).days / max((last - first).days, 1)
        return 24.0 + share * (self.width() - 48.0) if last > first else self.width() / 2.0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 0.5, self.width() - 1.0, self.height() - 1.0)
        p.setPen(QPen(theme.colour(worn.line), 1))
        p.setBrush(theme.colour(worn.card))
        p.drawRoundedRect(box, 4, 4)
        p.setFont(theme.text_font(12))
        spots = self._spots()
        if not spots:
            p.setPen(theme.colour(worn.quiet))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, "no reviewed clip has measured this yet")
            return
        for day in self.marks:
            x = self._x(day)
            p.setPen(QPen(theme.colour(worn.other), 1.5, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(x, 26), QPointF(x, 168))
        p.setPen(QPen(theme.colour(worn.line), 1.5))
        for (_, a), (_, b) in itertools.pairwise(spots):
            p.drawLine(a, b)
        for c, at in spots:
            own = c.clip_id == self.here
            p.setPen(QPen(theme.colour(worn.accent if own else worn.ink), 2))
            p.setBrush(theme.colour(worn.accent if own else worn.card))
            p.drawEllipse(at, 5.5, 5.5)
        p.setPen(theme.colour(worn.quiet))
        unit = UNITS[self.metric]
        for c, at in (spots[0], spots[-1]) if len(spots) > 1 else spots:
            text = show_value(c.measures[self.metric], unit)
            p.drawText(self._beside(at, p.fontMetrics().horizontalAdvance(text), spots), text)
        free = self.width() - 6.0  # from the newest back, as long as there is room
        for c, at in (spots[-1], spots[0]) if len(spots) > 1 else spots:
            text = f"{c.day:%-d %b %Y}"
            wide = p.fontMetrics().horizontalAdvance(text)
            x = min(max(at.x() - wide / 2, 6), self.width() - wide - 6.0)
            if x + wide <= free:
                p.drawText(QPointF(x, self.height() - 7.0), text)
                free = x - 8.0

    def _beside(self, at: QPointF, wide: float, spots: list[tuple[OnFilm, QPointF]]) -> QPointF:
        """Where a word stands by its spot: above, below or beside it, clear of the other spots."""
        x = min(max(at.x() - wide / 2, 6), self.width() - wide - 6.0)
        above, below = QPointF(x, at.y() - 10), QPointF(x, at.y() + 20)
        places = [above, below, at + QPointF(10, 5), at + QPointF(-10 - wide, 5)]
        room = QRectF(4, 4, self.width() - 8.0, self.height() - DAYS_PX)
        for place in places:
            box = QRectF(place.x(), place.y() - 12, wide, 14)
            if room.contains(box) and not any(
                box.adjusted(-6, -6, 6, 6).contains(spot) for _, spot in spots if spot != at
            ):
                return place
        return above if at.y() > 44 else below

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for c, at in self._spots():
            if event is not None and (event.position() - at).manhattanLength() < 16:
                self.picked.emit(c.clip_id)
                return


class OverTime(Page):
    """``opens`` carries the id of a clip to be opened."""

    opens = pyqtSignal(int)

    def __init__(self, presenter: FilmPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.metric_box = QComboBox()
        self.metric_box.setAccessibleName("Measure to be shown over time")
        self.metric_box.setMinimumHeight(32)
        self.metric_box.activated.connect(lambda _i: self._draw())
        self.graph = TimeGraph()
        self.graph.picked.connect(self.opens)
        self.heading = label("", "title")
        for w in (self.heading, self.metric_box, self.graph):
            self.column.addWidget(w)
        self._list = QVBoxLayout()
        self.column.addLayout(self._list)
        self.column.addStretch(1)
        self._clips: list[OnFilm] = []

    def show_state(self) -> None:
        """Another athlete, clip or finding."""
        s = self.presenter.state
        if s.athlete is None or s.review is None:
            self.heading.setText("Nothing reviewed yet")
            return
        lift = s.review.lift
        self.heading.setText(f"{lift.name.capitalize()} over time")
        self._clips = [c for c in filmed(self.presenter.store, s.athlete.id) if c.lift == lift.id]
        kept = self.metric_box.currentData()
        known = sorted({m for c in self._clips for m in c.measures}, key=metric_words)
        self.metric_box.clear()
        for m in known:
            self.metric_box.addItem(metric_words(m), m)
        chosen = self.presenter.chosen
        wanted = chosen.evidence[0].metric if chosen and chosen.evidence else kept or USUAL
        self.metric_box.setCurrentIndex(max(self.metric_box.findData(wanted), 0))
        self._prescribed(s.athlete.id)
        self._draw()

    def _draw(self) -> None:
        s = self.presenter.state
        self.graph.clips = self._clips
        self.graph.metric = str(self.metric_box.currentData() or USUAL)
        self.graph.here = s.clip.id if s.clip else None
        self.graph.marks = [e.made for e in self._effects if e.metric == self.graph.metric]
        lift = s.review.lift.id if s.review else ""
        points = series(self._clips, lift, self.graph.metric)
        self.graph.setAccessibleName(
            f"{metric_words(self.graph.metric)} of {len(points)} clips over time"
        )
        self.graph.update()

    def _prescribed(self, athlete_id: int) -> None:
        self._effects = effects(self.presenter.store, athlete_id)
        clear(self._list)
        self._list.addWidget(label("What was prescribed, and did it help", "strong"))
        if not self._effects:
            self._list.addWidget(label("No drill has been prescribed yet.", "quiet", wrap=True))
        for e in self._effects:
            column = QVBoxLayout()
            fault = all_faults()[e.fault].title.lower()
            column.addWidget(label(f"{all_drills()[e.drill].title} for {fault}", wrap=True))
            role = "held" if e.moved.answer == "yes" else "accent"
            column.addWidget(label(f"{WORDS[e.moved.answer]}: {metric_words(e.metric)}", role))
            said = f"since {e.made:%-d %b %Y}; {e.moved.says}"
            column.addWidget(label(said, "quiet", wrap=True))
            self._list.addWidget(card(column))
