"""The athlete as a place: meeting, clearances, fit, bests, choosing; each leads to the next."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from keenkettle.club import look_up
from keenkettle.club.commands import ChangeAthlete, History
from keenkettle.club.over_time import filmed, lifts_for_months
from keenkettle.club.people import Facts, facts_of, person_of
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete
from keenkettle.coach.person import CheckResult
from keenkettle.fit.lengths import LengthError, make_lengths
from keenkettle.lifter.body import Body, body_from_stature
from keenkettle.ui.athlete.bests_view import BestsView
from keenkettle.ui.athlete.checks import ChecksView
from keenkettle.ui.athlete.choose_view import ChooseView
from keenkettle.ui.athlete.fit_view import FitView
from keenkettle.ui.athlete.meeting import MeetingView
from keenkettle.ui.jobs import JobRunner
from keenkettle.ui.widgets import button, label

PARTS = ("Meeting", "Clearances", "Fit", "Bests", "Choose")
AVERAGE_STATURE_MM = 1750.0
FILM_COUNTS = timedelta(days=180)  # film that is older says little of the athlete of today


class AthletePlace(QWidget):
    """``said`` is a line for the foot; ``renamed`` that the window should look again."""

    said = pyqtSignal(str)
    renamed = pyqtSignal(int)
    goes_on = pyqtSignal(str)

    def __init__(
        self, store: Store, history: History, jobs: JobRunner, today: Callable[[], date]
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.store, self.history, self.today = store, history, today
        self.athlete: Athlete | None = None
        self.meeting = MeetingView(today)
        self.checks = ChecksView(today)
        self.fit = FitView()
        self.bests = BestsView(today)
        self.choose = ChooseView(jobs)
        self.meeting.changed.connect(self.keep)
        self.checks.answered.connect(self.answer)
        self.fit.changed.connect(lambda facts: self.keep({}, facts))
        self.bests.changed.connect(lambda facts: self.keep({}, facts))
        self.choose.changed.connect(lambda facts: self.keep({}, facts))
        for part in (self.meeting, self.checks, self.fit, self.choose):
            part.said.connect(self.said)
        self.stack = QStackedWidget()
        top = QHBoxLayout()
        self.buttons = []
        views = (self.meeting, self.checks, self.fit, self.bests, self.choose)
        for i, (name, view) in enumerate(zip(PARTS, views, strict=True)):
            self.stack.addWidget(view)
            b = button(name, tip=f"Alt+{i + 1}", height=36)
            b.setCheckable(True)
            b.clicked.connect(lambda _on, n=i: self.view(n))
            top.addWidget(b)
            self.buttons.append(b)
        self.title = label("", "title")
        top.addWidget(self.title, 1)
        on = button("On to the ladder", tip="Set a ladder (Ctrl+3)", height=36)
        on.clicked.connect(lambda: self.goes_on.emit("Ladder"))
        top.addWidget(on)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 12)
        whole.setSpacing(8)
        whole.addLayout(top)
        whole.addWidget(self.stack, 1)
        self.view(0)

    def view(self, index: int) -> None:
        """Show one part."""
        self.stack.setCurrentIndex(index)
        for i, b in enumerate(self.buttons):
            b.setChecked(i == index)
        self._fill()

    def hold(self, athlete: Athlete | None) -> None:
        """Show an athlete."""
        self.athlete = athlete
        self._fill()

    def _body(self, facts: Facts) -> Body:
        stature = (self.athlete.stature_mm if self.athlete else None) or AVERAGE_STATURE_MM
        try:
            return make_lengths(stature, facts.lengths_mm).body
        except LengthError:
            return body_from_stature(stature)

    def _fill(self) -> None:
        """Fill the part in view only: the others are filled when they are gone to."""
        a = self.athlete
        facts = facts_of(a) if a else Facts()
        self.title.setText(a.name if a else "Nobody is in hand: press / or Ctrl+N")
        part = PARTS[self.stack.currentIndex()]
        if part == "Meeting":
            self.meeting.hold(a, facts)
        elif part == "Fit":
            self.fit.hold(a, facts)
        elif part == "Bests":
            self.bests.hold(facts)
        elif a is not None:
            open_faults = tuple(
                f for p in look_up.prescriptions_of(self.store, a.id) if not p.outcome
                for f in p.faults
            )  # fmt: skip
            film = tuple(filmed(self.store, a.id, self.today() - FILM_COUNTS))
            person = person_of(a, self.today(), open_faults=open_faults, film=film)
            view = self.checks if part == "Clearances" else self.choose
            if part == "Clearances":
                self.checks.hold(facts, person, self._body(facts))
            else:
                lately = lifts_for_months(self.store, a.id, self.today())
                self.choose.hold(person, facts, lately, self._body(facts))
            view.setEnabled(True)

    def answer(self, check_id: str, result: object) -> None:
        """Keep an answer to a clearance."""
        if self.athlete is not None and isinstance(result, CheckResult):
            self.keep({}, facts_of(self.athlete).with_check(check_id, result))

    def keep(self, fields: dict[str, Any], facts: object) -> None:
        """Keep fields and facts of the athlete in hand."""
        if self.athlete is None or not isinstance(facts, Facts):
            return
        same = all(getattr(self.athlete, k) == v for k, v in fields.items())
        if same and facts == facts_of(self.athlete):
            self.said.emit("nothing has changed")
            return
        try:
            self.history.run(ChangeAthlete(self.athlete.id, fields, facts))
        except ClubError as err:
            self.said.emit(f"Not kept: {err}")
            return
        self.athlete = look_up.athlete(self.store, self.athlete.id)
        self._fill()
        self.said.emit("kept (Ctrl+Z takes it back)")
        if self.athlete is not None:
            self.renamed.emit(self.athlete.id)
