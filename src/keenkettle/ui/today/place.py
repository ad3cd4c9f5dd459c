"""Today: who comes, what each is on, what needs a decision."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club.catalogue import FilmLine
from keenkettle.club.eyes import films_for_eyes
from keenkettle.club.store import Store
from keenkettle.club.todays import DECIDE, DayLine, Proposals, day_lines
from keenkettle.ui.ladder.proposal_card import HEAD
from keenkettle.ui.today.films_list import FilmsList
from keenkettle.ui.widgets import button, card, clear, drop, label

AT_ONCE, AT_A_TIME = 7, 3  # cards; what fits the window first, the rest after a moment
MORE_MS = 20
STEPS = (("Ladder", "Ladder"), ("Film", "Film"), ("Session", "Session"))

EYES = 4  # films shown in the row
EMPTY = "The club is empty. Begin with someone new: a name is enough."


class TodayPlace(QWidget):
    """A card for each athlete. ``goes`` carries an athlete's id and a place."""

    goes = pyqtSignal(int, str)
    looks = pyqtSignal(int, int)  # athlete and clip
    wants_new = pyqtSignal()
    wants_films = pyqtSignal()

    def __init__(self, store: Store, today: Callable[[], date], films: FilmsList) -> None:
        super().__init__()
        self.setObjectName("place")
        self.store, self.today, self.films = store, today, films
        self.title = label("", "title")
        self._wanted: list[DayLine | str] = []  # lines and heads, from top to bottom
        self._made: dict[DayLine | str, QWidget] = {}
        self._waiting: list[FilmLine] = []
        self._shown: tuple[int, date] | None = None
        self._propose = Proposals()
        self._more = QTimer(self)
        self._more.setSingleShot(True)
        self._more.setInterval(MORE_MS)
        self._more.timeout.connect(lambda: self._fill(AT_A_TIME))
        self.column = QVBoxLayout()
        self.column.setSpacing(8)
        self.column.addStretch(1)
        inner = QWidget()
        inner.setLayout(self.column)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        self.new = button("Someone new", "main", "Ctrl+N", 40)
        self.new.clicked.connect(self.wants_new)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(self.new)
        day = QWidget()
        column = QVBoxLayout(day)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(top)
        self.eyes = QHBoxLayout()
        self.eyes.setSpacing(8)
        column.addLayout(self.eyes)
        column.addWidget(scroll, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(day)
        self.pages.addWidget(films)
        films.leaves.connect(self.show_day)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 12)
        whole.addWidget(self.pages)

    def show_day(self) -> None:
        """Who comes today."""
        self.pages.setCurrentIndex(0)
        self.refresh()

    def show_films(self, refused: list[str]) -> None:
        """All films of the club; what was wrong with those that came last."""
        self.pages.setCurrentIndex(1)
        self.films.ask(refused)

    @property
    def cards(self) -> list[QWidget]:
        """The cards that are made so far, from top to bottom."""
        lines = [x for x in self._wanted if isinstance(x, DayLine)]
        return [self._made[x] for x in lines if x in self._made]

    def refresh(self) -> None:
        """Read the day again where something has changed since it was last shown.

        Cards of those for whom nothing changed stay as they are.
        """
        if self.pages.currentIndex():
            self.films.refresh()
            return
        now = (self.store.version(), self.today())
        if now == self._shown:
            self._fill(0)
            return
        self._shown = now
        lines = day_lines(self.store, self.today(), self._propose)
        self._show_eyes()
        expected = [x for x in lines if x.expected]
        others = [x for x in lines if not x.expected]
        decisions = sum(_decides(x) for x in lines)
        self.title.setText(
            f"{self.today():%A %-d %B}: {len(expected)} expected, {decisions} to decide"
        )
        self._wanted = [] if lines else [EMPTY]
        for head, group in (("Expected today", expected), ("Everybody else", others)):
            self._wanted += [head, *group] if group else []
        for line in set(self._made).difference(self._wanted):
            drop(self._made.pop(line), self.column)
        self._fill(AT_ONCE)

    def _show_eyes(self) -> None:
        """Reviewed films with unanswered findings, the most urgent first."""
        waiting = films_for_eyes(self.store, self.today())
        if waiting == self._waiting:
            return
        self._waiting = waiting
        clear(self.eyes)
        if not waiting:
            return
        head = button(f"{len(waiting)} for your\neyes: see all", "eyes", "Ctrl+Shift+O", 48)
        head.clicked.connect(self.wants_films)
        head.setFixedWidth(96)
        self.eyes.addWidget(head)
        for w in waiting[:EYES]:
            lift = w.lift.replace("-", " ")
            b = button(f"{w.athlete}, {w.filmed_on:%-d %b}\n{lift}: {w.words}", "tall", "", 48)
            b.setAccessibleName(f"Look at {w.athlete}'s {lift} of {w.filmed_on:%-d %B}: {w.words}")
            b.clicked.connect(lambda _on, x=w: self.looks.emit(x.athlete_id, x.clip_id))
            self.eyes.addWidget(b, 1)

    def _fill(self, count: int) -> None:
        """Put what is made in order, and make so many more; the rest follows in idle moments."""
        place = 0
        for line in self._wanted:
            made = self._made.get(line)
            if made is None:
                if count == 0:
                    continue
                made = self._made[line] = self._item(line)
                count -= isinstance(line, DayLine)
            if self.column.indexOf(made) != place:
                self.column.removeWidget(made)
                self.column.insertWidget(place, made)
            place += 1
        if place < len(self._wanted):
            self._more.start()

    def _item(self, line: DayLine | str) -> QWidget:
        if isinstance(line, str):
            return label(line, "" if line == EMPTY else "accent", wrap=line == EMPTY)
        return self._card(line)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self._more.stop()
        super().hideEvent(event)

    def _card(self, line: DayLine) -> QFrame:
        row = QHBoxLayout()
        row.setSpacing(16)
        who = QVBoxLayout()
        who.setSpacing(0)
        who.addWidget(label(line.name, "strong"))
        who.addWidget(label(line.sport, "quiet"))
        left = QWidget()
        left.setLayout(who)
        left.setFixedWidth(180)
        row.addWidget(left)
        what = QVBoxLayout()
        what.setSpacing(1)
        what.addWidget(label(line.on, wrap=True))
        plan = " · ".join(x for x in line.session.splitlines() if x.strip())
        if plan:
            what.addWidget(label(plan, "quiet", wrap=True))
        if line.open_drills:
            what.addWidget(label("open: " + " · ".join(line.open_drills), "quiet", wrap=True))
        if line.caution:
            what.addWidget(label(line.caution, "warn", wrap=True))
        row.addLayout(what, 4)
        decide = QVBoxLayout()
        decide.setSpacing(1)
        if line.proposal is not None:
            word = HEAD[line.proposal.act]
            decide.addWidget(label(word, "held" if line.proposal.act == "advance" else "strong"))
            if _decides(line):
                decide.addWidget(label(line.proposal.reason, "quiet", wrap=True))
        row.addLayout(decide, 3)
        for text, place in STEPS:
            main = text == "Ladder" and _decides(line)
            b = button(text, "main" if main else "", f"{line.name}: {text}", 36)
            b.clicked.connect(lambda _on, i=line.athlete_id, p=place: self.goes.emit(i, p))
            row.addWidget(b)
        made = card(row)
        made.setAccessibleName(line.name)
        return made


def _decides(line: DayLine) -> bool:
    return line.proposal is not None and line.proposal.act in DECIDE
