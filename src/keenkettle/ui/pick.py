"""A list to pick from by typing a part of a name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

Choice = tuple[str, Callable[[], object]]


class PickList(QDialog):
    """Type a part of a name; Enter does what belongs to it."""

    def __init__(self, parent: QWidget, title: str, choices: list[Choice]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(480, 460)
        self._choices = choices
        self.field = QLineEdit()
        self.field.setPlaceholderText("type part of a name")
        self.list = QListWidget()
        column = QVBoxLayout(self)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._narrow)
        self.field.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda _item: self._run())
        self._narrow("")

    def _narrow(self, typed: str) -> None:
        self.list.clear()
        for i, (name, _) in enumerate(self._choices):
            if all(part in name.lower() for part in typed.lower().split()):
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, i)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            self._choices[int(item.data(Qt.ItemDataRole.UserRole))][1]()
