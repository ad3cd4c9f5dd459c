"""A ladder of one's own as text: checked when it is kept, nothing lost when it is wrong."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QFontDatabase, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from keenkettle.ui.widgets import button, label

HOW = (
    "Each [[rung]] is one rung, from the bottom up: change, add, move or take out. What is wrong "
    "is told by file, entry and field, and the text stays until it is right."
)


class LadderText(QWidget):
    """A window with the text; ``keep`` gives the sentence for what is wrong, or an empty one."""

    def __init__(self, keep: Callable[[str, str], str]) -> None:
        super().__init__()
        self._keep, self._file = keep, ""
        self.setWindowTitle("Edit a ladder")
        self.resize(860, 680)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("The ladder as text")
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.wrong = label("", "warn", wrap=True)
        self.keep_button = button("Keep this ladder", "main", "Ctrl+S", 40)
        self.keep_button.clicked.connect(self.keep)
        leave = button("Leave it as it was", tip="Esc", height=40)
        leave.clicked.connect(self.close)
        row = QHBoxLayout()
        row.addWidget(self.keep_button, 1)
        row.addWidget(leave)
        column = QVBoxLayout(self)
        column.addWidget(label(HOW, "quiet", wrap=True))
        column.addWidget(self.text, 1)
        column.addWidget(self.wrong)
        column.addLayout(row)
        QShortcut(QKeySequence("Ctrl+S"), self, self.keep)
        QShortcut(QKeySequence("Esc"), self, self.close)

    def open(self, text: str, file: str) -> None:
        """Show a ladder's text; it is kept under this file name."""
        self._file = file
        self.text.setPlainText(text)
        self.wrong.setText("")
        self.show()
        self.text.setFocus()

    def keep(self) -> None:
        """Keep it and close, or say what is wrong and stay."""
        self.wrong.setText(self._keep(self.text.toPlainText(), self._file))
        if not self.wrong.text():
            self.close()
