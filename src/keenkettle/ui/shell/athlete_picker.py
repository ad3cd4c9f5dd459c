"""Take an athlete in hand: one key and two letters."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from keenkettle.club.tables import Athlete
from keenkettle.ui.pick import Arrows


def matches(name: str, typed: str) -> bool:
    """Whether each typed word begins a word of the name, or its letters begin the name's."""
    words = name.lower().split()
    parts = typed.lower().split()
    by_word = all(any(w.startswith(p) for w in words) for p in parts)
    initials = "".join(w[0] for w in words)
    return by_word or initials.startswith(typed.lower().replace(" ", ""))


class AthletePicker(QFrame):
    """A list that narrows as one types. ``picked`` carries the athlete's id."""

    picked = pyqtSignal(int)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.field = QLineEdit()
        self.field.setPlaceholderText("two letters of a name")
        self.field.setAccessibleName("Find an athlete")
        self.list = QListWidget()
        self.list.setAccessibleName("Athletes")
        self.arrows = Arrows(self.field, self.list)
        column = QVBoxLayout(self)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.resize(340, 400)
        self._athletes: list[Athlete] = []
        self.field.textChanged.connect(self._narrow)
        self.field.returnPressed.connect(self._take)
        self.list.itemClicked.connect(lambda _item: self._take())

    def ask(self, athletes: list[Athlete], chosen: int | None) -> None:
        """Show the list."""
        self._athletes = athletes
        self.field.clear()
        self._narrow("")
        for row, a in enumerate(athletes):
            if a.id == chosen:
                self.list.setCurrentRow(row)
        self.show()
        self.field.setFocus()

    def _narrow(self, typed: str) -> None:
        self.list.clear()
        for a in self._athletes:
            if not typed or matches(a.name, typed):
                item = QListWidgetItem(f"{a.name}\n{a.sport}")
                item.setData(Qt.ItemDataRole.UserRole, a.id)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.hide()
            self.picked.emit(int(item.data(Qt.ItemDataRole.UserRole)))
