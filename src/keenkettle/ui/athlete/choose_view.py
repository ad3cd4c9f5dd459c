"""Choosing: lifts ranked with reasons, closed ones with what opens them, why not any of them."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSlider,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club.people import Facts
from keenkettle.coach.cautions import cautions_for, who_is
from keenkettle.coach.choosing import (
    GOAL_WORDS,
    PHASE_WANTS,
    WEIGHTS,
    Choice,
    Choices,
    Closed,
    Question,
    choose,
)
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.person import Person
from keenkettle.lifter.body import Body
from keenkettle.ui.jobs import JobRunner
from keenkettle.ui.show.show_me import ShowMe
from keenkettle.ui.widgets import label

LIKINGS = {
    "no word on it": 0, "likes it much": 2, "likes it": 1, "rather not": -1, "dislikes it": -2,
}  # fmt: skip
RATINGS = {"not tried": 0, "5, made for it": 5, "4": 4, "3, fair": 3, "2": 2, "1, not now": 1}
STEPS = 5  # a weight's slider runs from none over its usual value (in the middle) to double
POINTS_PX = 26


class ChooseView(QWidget):
    """``said`` is a line for the foot."""

    said = pyqtSignal(str)
    changed = pyqtSignal(object)  # the facts with a liking or a rating

    def __init__(self, jobs: JobRunner) -> None:
        super().__init__()
        self.person, self.facts = Person(), Facts()
        self.lately: tuple[str, ...] = ()
        self.body: Body | None = None
        self.choices = Choices((), (), ())
        self.show_me = ShowMe(jobs)
        self._build()

    def _build(self) -> None:
        self.goal = QComboBox()
        for key, word in GOAL_WORDS.items():
            self.goal.addItem(word, key)
        self.goal.setAccessibleName("Goal")
        self.phase = QComboBox()
        self.phase.addItem("any phase", "")
        for key in PHASE_WANTS:
            self.phase.addItem(key.replace("-", " "), key)
        self.phase.setAccessibleName("Phase of the season")
        for box in (self.goal, self.phase):
            box.activated.connect(lambda _i: self.rank())
        self.find = QLineEdit()
        self.find.setPlaceholderText("why not … ? type part of a lift's name")
        self.find.setAccessibleName("Find a lift")
        self.find.textChanged.connect(lambda _t: self._list())
        weights = QGridLayout()
        weights.setVerticalSpacing(0)
        self.weights: dict[str, QSlider] = {}
        self.points: dict[str, QLabel] = {}
        for i, name in enumerate(WEIGHTS):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, STEPS - 1)
            slider.setValue(2)
            slider.setAccessibleName(f"Weight of {name}")
            slider.setToolTip(f"points that {name} can be worth; usually {WEIGHTS[name]:g}")
            slider.valueChanged.connect(lambda _v: self.rank())
            points = label("", "quiet")
            points.setMinimumWidth(POINTS_PX)
            for column, cell in enumerate((label(name, "quiet"), slider, points)):
                weights.addWidget(cell, i % 5, (i // 5) * 3 + column)
            self.weights[name], self.points[name] = slider, points
        self.advice = label("", "warn", wrap=True)
        self.list = QListWidget()
        self.list.setAccessibleName("Lifts, best first")
        self.list.currentItemChanged.connect(lambda *_: self._show())
        left = QVBoxLayout()
        row = QHBoxLayout()
        row.addWidget(self.goal, 1)
        row.addWidget(self.phase, 1)
        left.addLayout(row)
        left.addWidget(label("What counts how much, in points", "accent"))
        left.addLayout(weights)
        left.addWidget(self.find)
        left.addWidget(self.list, 1)
        self.title = label("", "title", wrap=True)
        self.body_text = label("", wrap=True)
        self.body_text.setTextFormat(Qt.TextFormat.RichText)
        self.liking = _words("What the athlete thinks of it", LIKINGS)
        self.rating = _words("Your rating, from trying it on the day", RATINGS)
        self.liking.activated.connect(lambda _i: self._tell("liking", self.liking.currentData()))
        self.rating.activated.connect(lambda _i: self._tell("rating", self.rating.currentData()))
        words = QHBoxLayout()
        for text, box in (("Athlete says", self.liking), ("You, on the day", self.rating)):
            words.addWidget(label(text, "quiet"))
            words.addWidget(box, 1)
        middle = QVBoxLayout()
        for w in (self.advice, self.title, self.body_text):
            middle.addWidget(w)
        middle.addLayout(words)
        middle.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(20)
        whole.addLayout(left, 3)
        whole.addLayout(middle, 3)
        whole.addWidget(self.show_me, 3)

    def hold(self, person: Person, facts: Facts, lately: tuple[str, ...], body: Body) -> None:
        """Rank for an athlete, by the goal they came with; ``lately``: lifts done for months."""
        another = person.name != self.person.name
        if another and person.goal:
            self.goal.setCurrentIndex(max(self.goal.findData(person.goal), 0))
        self.person, self.facts, self.lately, self.body = person, facts, lately, body
        self.rank(keep=not another)

    def _tell(self, what: str, value: int) -> None:
        """A liking or a rating of the lift in view; none is taken out."""
        lift = self._chosen()
        if lift is None:
            return
        known = {k: v for k, v in getattr(self.facts, what).items() if k != lift}
        given = {**known, lift: value} if value else known
        self.changed.emit(replace(self.facts, **{what: given}))

    def _chosen(self) -> str | None:
        item = self.list.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None

    def rank(self, keep: bool = False) -> None:
        """Ask again with the present goal, phase and weights; ``keep`` the lift in view."""
        weights = {n: WEIGHTS[n] * s.value() / 2.0 for n, s in self.weights.items()}
        for name, worth in weights.items():
            self.points[name].setText(f"{worth:g}")
        question = Question(
            str(self.goal.currentData()), str(self.phase.currentData()), weights, self.lately
        )
        self.choices = choose(self.person, question)
        self.advice.setText(" ".join(self.choices.advice))
        self._list(keep)

    def _list(self, keep: bool = True) -> None:
        typed = self.find.text().lower().split()
        wanted = self._chosen() if keep else None
        self.list.blockSignals(True)
        self.list.clear()
        place = 0
        shown = [(c.lift, f"{c.score:.1f}   {c.lift.name}") for c in self.choices.ranked]
        shown += [(c.lift, f"closed   {c.lift.name}") for c in self.choices.closed]
        for lift, text in shown:
            if all(part in lift.name.lower() for part in typed):
                item = QListWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, lift.id)
                self.list.addItem(item)
                if lift.id == wanted:
                    place = self.list.count() - 1
        self.list.setCurrentRow(place)
        self.list.blockSignals(False)
        self._show()

    def _show(self) -> None:
        lift_id = self._chosen()
        for box in (self.liking, self.rating):
            box.setEnabled(lift_id is not None)
        if lift_id is None:
            self.title.setText("no lift of that name")
            self.body_text.setText("")
            return
        self.liking.setCurrentIndex(self.liking.findData(self.facts.liking.get(lift_id, 0)))
        self.rating.setCurrentIndex(self.rating.findData(self.facts.rating.get(lift_id, 0)))
        lift = all_lifts()[lift_id]
        self.title.setText(lift.name)
        ranked = [c for c in self.choices.ranked if c.lift.id == lift_id]
        shut = [c for c in self.choices.closed if c.lift.id == lift_id]
        text = f"<p>{lift.why}</p>"
        text += _open_text(ranked[0]) if ranked else _closed_text(shut[0])
        text += _items("Take care", cautions_for([lift], who_is(self.person)))
        low, high = lift.sessions
        text += (
            f"<p><b>Form:</b> {low} to {high} sessions; complexity {lift.complexity} of 5; "
            f"{lift.reps[0]} to {lift.reps[1]} a set"
        )
        if lift.best:
            name = all_lifts()[lift.best].name if lift.best in all_lifts() else lift.best
            text += f"; usually {lift.usual:.0%} of the {name}, at most {lift.most:.0%}"
        self.body_text.setText(text + ".</p>")
        if self.body is not None:
            self.show_me.show_lift(lift, self.body)


def _words(name: str, words: dict[str, int]) -> QComboBox:
    box = QComboBox()
    for word, value in words.items():
        box.addItem(word, value)
    box.setAccessibleName(name)
    box.setToolTip(name)
    return box


def _items(title: str, lines: tuple[str, ...] | list[str]) -> str:
    return f"<p><b>{title}</b><br>" + "<br>".join(f"– {x}" for x in lines) + "</p>" if lines else ""


def _open_text(c: Choice) -> str:
    return (
        f"<p><b>{c.score:.1f} points.</b></p>"
        + _items("For", c.reasons_for)
        + _items("Against", c.reasons_against)
    )


def _closed_text(c: Closed) -> str:
    names = [all_lifts()[i].name for i in c.instead]
    return (
        _items("Closed because", [x.because for x in c.closures])
        + _items("What opens it", [x.opens_with for x in c.closures])
        + _items("Instead, now", names)
    )
