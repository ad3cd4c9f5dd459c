"""Meeting an athlete: who, why, how often, what hurts, what there is, how long the bones are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club.people import Facts, Pain
from keenkettle.club.tables import Athlete
from keenkettle.coach.choosing import GOAL_WORDS
from keenkettle.coach.lifts import JOINTS
from keenkettle.coach.person import PersonError, person_from
from keenkettle.fit.lengths import RATIOS, LengthError, make_lengths
from keenkettle.ui.typed import TypedError, number
from keenkettle.ui.widgets import button, label

EQUIPMENT = (
    "rack", "blocks", "dumbbell", "kettlebell", "band", "straps", "box", "medicine-ball",
)  # fmt: skip
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
TAPE = ("shoulder_width", "arm", "shoulder_height", "hip_crease", "belt_line", "knee_height")
PAIN_WORDS = ("no pain", "in the past", "now")
CM_PER_INCH = 2.54


class MeetingView(QWidget):
    """A form. ``changed`` carries the columns and the facts to keep, ``said`` what is wrong."""

    changed = pyqtSignal(dict, object)
    said = pyqtSignal(str)

    def __init__(self, today: Callable[[], date]) -> None:
        super().__init__()
        self.today = today
        self.facts = Facts()
        self.inches = False
        self.fields: dict[str, QLineEdit] = {}
        self.tape: dict[str, QLineEdit] = {}
        self.estimates: dict[str, Any] = {}
        self._build()

    def _line(self, form: QFormLayout, name: str, title: str, hint: str = "") -> QLineEdit:
        field = QLineEdit()
        field.setPlaceholderText(hint)
        field.setAccessibleName(title)
        field.setMinimumHeight(32)
        form.addRow(title, field)
        self.fields[name] = field
        return field

    def _number_field(self, name: str, title: str) -> QLineEdit:
        field = QLineEdit()
        field.setAccessibleName(title)
        field.setFixedSize(70, 32)
        self.fields[name] = field
        return field

    def _build(self) -> None:
        one, two = QFormLayout(), QFormLayout()
        for form in (one, two):
            form.setVerticalSpacing(6)
            form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self._build_who(one)
        self._build_tape(two)
        keep = button("Keep", "main", "Ctrl+S", 40)
        keep.clicked.connect(self.keep)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addLayout(one)
        left.addStretch(1)
        right.addLayout(two)
        right.addWidget(label(
            "Pain is a stop: present pain closes what loads the joint until a qualified clinician "
            "says otherwise. Minors and novices: supervision, light bars, local rules apply.",
            "quiet", wrap=True,
        ))  # fmt: skip
        right.addWidget(keep)
        right.addStretch(1)
        inner = QWidget()
        row = QHBoxLayout(inner)
        row.setSpacing(32)
        row.addLayout(left, 5)
        row.addLayout(right, 3)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)

    def _build_who(self, form: QFormLayout) -> None:
        self._line(form, "name", "Name")
        self._line(form, "sport", "Sport")
        self.goal = QComboBox()
        self.goal.addItem("not said yet", "")
        for key, word in GOAL_WORDS.items():
            self.goal.addItem(word, key)
        form.addRow("Goal", self.goal)
        numbers = QHBoxLayout()
        numbers.setSpacing(8)
        for name, title in (
            ("age", "years old"), ("training_years", "years in training"),
            ("sessions_per_week", "sessions a week"),
        ):  # fmt: skip
            numbers.addWidget(self._number_field(name, title))
            numbers.addWidget(label(title, "quiet"))
        numbers.addStretch(1)
        form.addRow("Numbers", numbers)
        form.addRow("Comes on", self._weekdays())
        form.addRow("At hand", self._things())
        form.addRow("Pain", self._pains())
        self._line(form, "pain_note", "Who cleared it", "clinician and day, for a past pain")
        self._line(form, "caution", "Caution", "a line that is always in view")
        self._line(form, "consent", "Consent to film", "for a minor: the guardian's, with the day")

    def _weekdays(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.days = []
        for word in WEEKDAYS:
            b = button(word)
            b.setCheckable(True)
            b.setStyleSheet("padding: 4px 6px;")
            row.addWidget(b)
            self.days.append(b)
        return row

    def _things(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.equipment = {name: QCheckBox(name.replace("-", " ")) for name in EQUIPMENT}
        boxes = list(self.equipment.values())
        for i in range(0, len(boxes), 4):
            row = QHBoxLayout()
            for box in boxes[i : i + 4]:
                row.addWidget(box)
            column.addLayout(row)
        column.setSpacing(2)
        return column

    def _pains(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.pain: dict[str, QComboBox] = {}
        for joint in JOINTS:
            cell = QVBoxLayout()
            cell.addWidget(label(joint, "quiet"))
            box = QComboBox()
            box.addItems(PAIN_WORDS)
            box.setAccessibleName(f"Pain, {joint}")
            cell.addWidget(box)
            row.addLayout(cell)
            self.pain[joint] = box
        return row

    def _build_tape(self, form: QFormLayout) -> None:
        self.unit = button("cm")
        self.unit.setToolTip("Centimetres or inches")
        self.unit.clicked.connect(self._change_unit)
        form.addRow("Lengths in", self.unit)
        form.addRow("Stature", self._number_field("stature", "Stature"))
        form.addRow("Body mass, kg", self._number_field("mass_kg", "Body mass, kg"))
        for name in TAPE:
            field = QLineEdit()
            field.setFixedSize(70, 32)
            field.setAccessibleName(RATIOS[name].what)
            field.setToolTip(RATIOS[name].what)
            guess = label("", "quiet")
            row = QHBoxLayout()
            row.setSpacing(8)
            row.addWidget(field)
            row.addWidget(guess, 1)
            form.addRow(name.replace("_", " ").capitalize(), row)
            self.tape[name] = field
            self.estimates[name] = guess

    # --- showing --------------------------------------------------------------------------

    def hold(self, athlete: Athlete | None, facts: Facts) -> None:
        """Show an athlete's facts."""
        self.facts = facts
        self.setEnabled(athlete is not None)
        today = self.today()
        age = facts.age(today)
        started = facts.started
        shown = {
            "name": athlete.name if athlete else "",
            "sport": athlete.sport if athlete else "",
            "caution": athlete.caution if athlete else "",
            "age": "" if age is None else f"{age:.0f}",
            "training_years": "" if not started else f"{(today - started).days / 365.25:.1f}",
            "sessions_per_week": _plain(facts.sessions_per_week),
            "mass_kg": _plain(facts.mass_kg),
            "consent": facts.consent,
            "pain_note": "; ".join(p.cleared_by for p in facts.pains if p.cleared_by),
            "stature": self._length(athlete.stature_mm if athlete else None),
        }
        for name, text in shown.items():
            self.fields[name].setText(text)
        self.goal.setCurrentIndex(max(self.goal.findData(facts.goal), 0))
        for i, b in enumerate(self.days):
            b.setChecked(i in facts.days)
        for name, box in self.equipment.items():
            box.setChecked(name in facts.equipment)
        state = {p.joint: 2 if p.now else 1 for p in facts.pains}
        for joint, combo in self.pain.items():
            combo.setCurrentIndex(state.get(joint, 0))
        self._show_tape(athlete.stature_mm if athlete else None)

    def _length(self, mm: float | None) -> str:
        if mm is None:
            return ""
        return f"{mm / 25.4:.1f}" if self.inches else _plain(round(mm / 10.0, 1))

    def _show_tape(self, stature: float | None) -> None:
        for name, field in self.tape.items():
            own = self.facts.lengths_mm.get(name)
            field.setText(self._length(own))
            if own is not None or stature is None:
                self.estimates[name].setText("measured" if own is not None else "")
                continue
            mm = RATIOS[name].share * stature
            spread = RATIOS[name].spread * mm
            self.estimates[name].setText(f"estimate {self._length(mm)} ± {self._length(spread)}")

    def _change_unit(self) -> None:
        try:
            fields, facts = self.read()
        except (PersonError, LengthError, ValueError) as err:
            self.said.emit(str(err))
            return
        self.inches = not self.inches
        self.unit.setText("inches" if self.inches else "cm")
        self.facts = facts
        self.fields["stature"].setText(self._length(fields.get("stature_mm")))
        self._show_tape(fields.get("stature_mm"))

    # --- reading ----------------------------------------------------------------------------

    def read(self) -> tuple[dict[str, Any], Facts]:
        """What the form says.

        Raises:
            PersonError, LengthError, TypedError: a field cannot be; the message names it.
        """
        f = self.fields
        unit = CM_PER_INCH if self.inches else 1.0
        name = f["name"].text().strip()
        if not name:
            raise PersonError("the name is empty; give one, first name and family name")
        numbers = {
            k: number(f[k].text(), k.replace("_", " "))
            for k in ("age", "training_years", "sessions_per_week", "mass_kg")
        }
        stature = number(f["stature"].text(), "stature")
        cm = None if stature is None else stature * unit
        person = person_from({**numbers, "stature_cm": cm})
        tape = {}
        for key, field in self.tape.items():
            value = number(field.text(), key.replace("_", " "))
            if value is not None:
                tape[key] = round(value * unit * 10.0, 1)
        if tape and person.stature_mm is None:
            raise LengthError("stature is empty; the other lengths are checked against it")
        if person.stature_mm is not None:
            make_lengths(person.stature_mm, tape)
        fields = {
            "name": name,
            "sport": f["sport"].text().strip(),
            "caution": f["caution"].text().strip(),
            "stature_mm": person.stature_mm,
        }
        return fields, self._facts(numbers, tape)

    def _facts(self, numbers: dict[str, float | None], tape: dict[str, float]) -> Facts:
        pains = []
        old = {p.joint: p for p in self.facts.pains}
        for joint, box in self.pain.items():
            if box.currentIndex() == 0:
                continue
            now = box.currentIndex() == 2
            before = old.get(joint)
            cleared = "" if now else self.fields["pain_note"].text().strip()
            if before is not None and before.now == now and before.cleared_by == cleared:
                pains.append(before)
            else:
                pains.append(Pain(joint, now, self.today(), cleared_by=cleared))
        return replace(
            self.facts,
            born=self._ago(numbers["age"], self.facts.born),
            started=self._ago(numbers["training_years"], self.facts.started),
            goal=str(self.goal.currentData()),
            sessions_per_week=numbers["sessions_per_week"],
            mass_kg=numbers["mass_kg"],
            days=tuple(i for i, b in enumerate(self.days) if b.isChecked()),
            equipment=tuple(n for n, box in self.equipment.items() if box.isChecked()),
            pains=tuple(pains),
            lengths_mm=tape,
            consent=self.fields["consent"].text().strip(),
        )

    def _ago(self, years: float | None, before: date | None) -> date | None:
        """The day that many years ago; what was known stays where the number says the same."""
        if years is None:
            return None
        if before is not None and abs((self.today() - before).days / 365.25 - years) < 0.99:
            return before
        return date.fromordinal(self.today().toordinal() - round(years * 365.25))

    def keep(self) -> None:
        """Keep what the form says, or say what is wrong with it."""
        try:
            fields, facts = self.read()
        except (PersonError, LengthError, TypedError) as err:
            self.said.emit(f"Not kept: {err}")
            return
        self.changed.emit(fields, facts)


def _plain(value: float | None) -> str:
    return "" if value is None else f"{value:g}"
