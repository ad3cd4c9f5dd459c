"""Bests: lift, load, day, how it is known."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club.people import Facts
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.person import Best
from keenkettle.ui.widgets import button, label


class BestsView(QWidget):
    """``changed`` carries facts to keep."""

    changed = pyqtSignal(object)

    def __init__(self, today: Callable[[], date]) -> None:
        super().__init__()
        self.today = today
        self.facts = Facts()
        self.list = QListWidget()
        self.list.setAccessibleName("Bests, newest first")
        self.lift = QComboBox()
        for name in sorted({x.best for x in all_lifts().values() if x.best}):
            self.lift.addItem(_name(name), name)
        self.lift.setAccessibleName("Lift")
        self.load = QDoubleSpinBox()
        self.load.setRange(1, 400)
        self.load.setSuffix(" kg")
        self.load.setDecimals(1)
        self.load.setSingleStep(2.5)
        self.load.setMinimumHeight(36)
        self.how = QLineEdit()
        self.how.setPlaceholderText("how known: meet, training, told")
        add = button("Keep this best", "main", height=36)
        add.clicked.connect(self._add)
        row = QHBoxLayout()
        for w in (self.lift, self.load, self.how, add):
            row.addWidget(w)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label(
            "A load in per cent is always taken of the lift named beside it, never of another one.",
            "quiet",
        ))  # fmt: skip
        column.addLayout(row)
        column.addWidget(self.list, 1)

    def hold(self, facts: Facts) -> None:
        """Show bests."""
        self.facts = facts
        self.list.clear()
        for lift, best in sorted(
            facts.bests, key=lambda b: (b[1].day or date.min, b[0]), reverse=True
        ):
            top = "" if facts.best_of(lift) == best else "   (earlier)"
            day = f"{best.day:%-d %b %Y}" if best.day else "day not known"
            self.list.addItem(f"{_name(lift)}: {best.kg:g} kg, {day}, {best.how or 'told'}{top}")

    def _add(self) -> None:
        best = Best(self.load.value(), self.today(), self.how.text().strip())
        self.changed.emit(self.facts.with_best(str(self.lift.currentData()), best))
        self.how.clear()


def _name(lift: str) -> str:
    return all_lifts()[lift].name if lift in all_lifts() else lift.replace("-", " ")
