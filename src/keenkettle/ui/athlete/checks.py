"""Clearances: the list, and a guided run through them, one at a time and big."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club.people import Facts
from keenkettle.coach.clearing import STATE_WORDS, all_checks, open_lifts, what_opens
from keenkettle.coach.person import STATES, CheckResult, Person
from keenkettle.coach.warm_ups import parts_for
from keenkettle.lifter import keys
from keenkettle.lifter.body import Body
from keenkettle.lifter.demonstrate import SNATCH_ARM, draw
from keenkettle.lifter.keys import Key
from keenkettle.ui.show.figure import FigureView
from keenkettle.ui.typed import TypedError, number
from keenkettle.ui.widgets import button, label

FIGURES: dict[str, Key] = {
    "rack": keys.stand(keys.RACKED, 1.0),
    "front-squat": keys.squat(keys.RACKED, "front", 1.0),
    "overhead": keys.stand(keys.OVER),
    "overhead-quarter": keys.squat(keys.OVER, "quarter"),
    "overhead-squat": keys.squat(keys.OVER, "overhead"),
    "set": keys.hinge("floor"),
    "hinge": keys.hinge("below-knee"),
    "landing": keys.squat(keys.HANG, "quarter"),
    "bail": keys.stand((0.9, -0.3)),
}
IMPLEMENTS = {
    "overhead-quarter": "stick", "overhead-squat": "stick", "hinge": "stick", "landing": "none",
}  # fmt: skip
MARKS = {"pass": "passed", "partly": "partly", "not_yet": "not yet", "not_tested": "not tested"}


class ChecksView(QWidget):
    """``answered`` carries a check's id and the result."""

    answered = pyqtSignal(str, object)
    said = pyqtSignal(str)

    def __init__(self, today: Callable[[], date]) -> None:
        super().__init__()
        self.today = today
        self.facts, self.person = Facts(), Person()
        self.body: Body | None = None
        self._began: float | None = None
        self._watch = QTimer(self)
        self._watch.setInterval(100)
        self._watch.timeout.connect(self._tick)
        self._build()

    def _build(self) -> None:
        self.list = QListWidget()
        self.list.setFixedWidth(310)
        self.list.setAccessibleName("Clearances")
        self.list.currentRowChanged.connect(lambda _row: self._show())
        self.title = label("", "title")
        self.title.setStyleSheet("font-size: 24px;")
        self.ask = label("", wrap=True)
        self.ask.setStyleSheet("font-size: 18px;")
        self.how = label("", wrap=True)
        self.look = label("", wrap=True)
        self.opens = label("", "quiet", wrap=True)
        self.mend = label("", wrap=True)
        self.value = QLineEdit()
        self.value.setMinimumHeight(40)
        self.value.setMaximumWidth(150)
        self.note = QLineEdit()
        self.note.setPlaceholderText("a word of note")
        self.note.setMinimumHeight(40)
        self.watch_button = button("Start the watch", height=40)
        self.watch_button.clicked.connect(self._run_watch)
        written = QHBoxLayout()
        for w in (self.watch_button, self.value, self.note):
            written.addWidget(w)
        answers = QHBoxLayout()
        self.answers = {}
        for state, text in (("pass", "Passed"), ("partly", "Partly"), ("not_yet", "Not yet")):
            b = button(text, "main" if state == "pass" else "", height=48)
            b.clicked.connect(lambda _on, s=state: self.answer(s))
            answers.addWidget(b)
            self.answers[state] = b
        self.figure = FigureView()
        middle = QVBoxLayout()
        middle.setSpacing(4)
        for w in (self.title, self.ask, label("How", "accent"), self.how,
                  label("Look for", "accent"), self.look, self.opens, self.mend):  # fmt: skip
            middle.addWidget(w)
        middle.addStretch(1)
        middle.addLayout(written)
        middle.addLayout(answers)
        self.balance = label("", "quiet", wrap=True)
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addWidget(self.balance)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(20)
        whole.addLayout(left)
        whole.addLayout(middle, 3)
        whole.addWidget(self.figure, 2)

    def hold(self, facts: Facts, person: Person, body: Body) -> None:
        """Show an athlete's clearances, at the first one that is not passed."""
        same = person.name == self.person.name and self.list.count()
        row = self.list.currentRow()
        self.facts, self.person, self.body = facts, person, body
        self.list.blockSignals(True)
        self.list.clear()
        for check in all_checks().values():
            result = facts.check(check.id)
            word = MARKS[result.state] if result else MARKS["not_tested"]
            day = f", {result.day:%-d %b}" if result and result.day else ""
            self.list.addItem(QListWidgetItem(f"{check.title}: {word}{day}"))
        ids = list(all_checks())
        if not same:
            undone = [i for i, c in enumerate(ids) if person.state(c) != "pass"]
            row = undone[0] if undone else 0
        self.list.setCurrentRow(row)
        self.list.blockSignals(False)
        is_open, shut = open_lifts(person)
        self.balance.setText(f"{len(is_open)} lifts open, {len(shut)} closed; see Choose for each.")
        self._show()

    def _check(self):  # type: ignore[no-untyped-def]
        return list(all_checks().values())[max(self.list.currentRow(), 0)]

    def _show(self) -> None:
        self._watch.stop()
        self._began = None
        check = self._check()
        self.title.setText(check.title)
        self.ask.setText(check.ask)
        self.how.setText("\n".join(f"{i}. {text}" for i, text in enumerate(check.how, 1)))
        self.look.setText("\n".join(f"– {text}" for text in check.look))
        shut = sum(1 for _ in what_opens(check.id))
        state = self.person.state(check.id)
        self.opens.setText(
            f"Opens {check.opens}; {shut} lifts need it. Now: {STATE_WORDS[state]}. "
            "A failed check is never worked through with load."
        )
        block = [p.title.lower() for p in parts_for(check.id, self.person.pain)]
        warm_up = f" In every warm-up: {'; '.join(block)}." if block else ""
        wanted = state in ("partly", "not_yet")
        self.mend.setText(f"Until then: {check.mend}{warm_up}" if wanted else "")
        self.value.setPlaceholderText(check.value or "value")
        self.value.clear()
        self.note.clear()
        self.watch_button.setVisible(check.seconds > 0)
        self.watch_button.setText(f"Start the watch ({check.seconds} s)")
        if self.body is not None:
            arm = SNATCH_ARM if check.figure.startswith("overhead") else 1.0
            pose = FIGURES[check.figure]
            implement = IMPLEMENTS.get(check.figure, "barbell")
            shown = draw([pose.at(0.0), pose.at(0.1)], self.body, arm, implement)
            self.figure.stature_mm = self.body.stature
            highest = max(float(xy[0, 1]) for xy in (shown.hand, *shown.joints.values()))
            self.figure.top_mm = max(highest + 260.0, 0.9 * self.body.stature)
            self.figure.implement = implement
            self.figure.set_pose({n: xy[0] for n, xy in shown.joints.items()}, shown.hand[0])

    def _run_watch(self) -> None:
        if self._began is None:
            self._began = time.monotonic()
            self._watch.start()
        else:
            self.value.setText(f"{time.monotonic() - self._began:.0f}")
            self._watch.stop()
            self._began = None
            self.watch_button.setText("Start the watch")

    def _tick(self) -> None:
        if self._began is not None:
            self.watch_button.setText(f"Stop: {time.monotonic() - self._began:.0f} s")

    def answer(self, state: str) -> None:
        """Keep an answer and go on to the next check."""
        assert state in STATES
        try:
            value = number(self.value.text(), "the value")
        except TypedError as err:
            self.said.emit(f"Not kept: {err}")
            self.value.setFocus()
            self.value.selectAll()
            return
        check = self._check()
        self.answered.emit(
            check.id, CheckResult(state, self.today(), self.note.text().strip(), value)
        )
        self.list.setCurrentRow(min(self.list.currentRow() + 1, self.list.count() - 1))
