"""Everything that can be done, as one table: name, key, menu; searchable by name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


@dataclass(frozen=True)
class Action:
    """One thing to do. ``place`` limits its key to that place; empty means everywhere."""

    menu: str
    name: str
    key: str
    run: Callable[[], object]
    place: str = ""


class CommandList(QDialog):
    """Type a part of a command's name, Enter runs it."""

    def __init__(self, parent: QWidget, actions: list[Action]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Everything you can do")
        self.resize(480, 460)
        self._actions = actions
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
        for i, action in enumerate(self._actions):
            if all(part in action.name.lower() for part in typed.lower().split()):
                item = QListWidgetItem(f"{action.name}    {action.key}")
                item.setData(Qt.ItemDataRole.UserRole, i)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            self._actions[int(item.data(Qt.ItemDataRole.UserRole))].run()
