"""A list to pick from by typing a part of a name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

Choice = tuple[str, Callable[[], object]]


class Arrows(QObject):
    """Up and down, pressed in a field, go through the list below it."""

    def __init__(self, field: QLineEdit, below: QListWidget) -> None:
        super().__init__(field)
        self.below = below
        field.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if step:
                row = self.below.currentRow() + step
                self.below.setCurrentRow(max(0, min(row, self.below.count() - 1)))
                return True
        return super().eventFilter(watched, event)


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
        self.arrows = Arrows(self.field, self.list)
        column = QVBoxLayout(self)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._narrow)
        self.field.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda _item: self._run())
        self.finished.connect(self.deleteLater)  # the window lives all day
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
