"""The right of the film bench: findings, words, over time, and what differs; one at a time."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from keenkettle.ui.widgets import button

WIDTH_PX = 392
NAMES = ("Findings", "Words", "Over time", "Set", "Differences")


class Sides(QWidget):
    """Pages by name; "Set" is there only for several reps, "Differences" while comparing."""

    def __init__(self, pages: tuple[QWidget, ...]) -> None:
        super().__init__()
        self.setFixedWidth(WIDTH_PX)
        self.stack = QStackedWidget()
        row = QHBoxLayout()
        row.setSpacing(4)
        row.setContentsMargins(0, 0, 8, 0)
        self.buttons = []
        for name, page in zip(NAMES, pages, strict=True):
            self.stack.addWidget(page)
            b = button(name, "slim", "Next page: G")
            b.setCheckable(True)
            b.clicked.connect(lambda _on, n=name: self.show_one(n))
            row.addWidget(b, 1)
            self.buttons.append(b)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(row)
        column.addWidget(self.stack, 1)
        self.show_one(NAMES[0])
        self.offer("Set", False)
        self.offer_differences(False)

    @property
    def name(self) -> str:
        """The page in view."""
        return NAMES[self.stack.currentIndex()]

    def show_one(self, name: str) -> None:
        """Change to a page."""
        self.stack.setCurrentIndex(NAMES.index(name))
        for b, n in zip(self.buttons, NAMES, strict=True):
            b.setChecked(n == name)

    def show_next(self) -> None:
        """The next page that is offered."""
        offered = [n for b, n in zip(self.buttons, NAMES, strict=True) if not b.isHidden()]
        self.show_one(offered[(offered.index(self.name) + 1) % len(offered)])

    def offer_differences(self, on: bool) -> None:
        """While two films are compared."""
        self.offer("Differences", on)
        if on:
            self.show_one("Differences")

    def offer(self, name: str, on: bool) -> None:
        """Have a page or not; one that goes while it is in view gives way to the first."""
        self.buttons[NAMES.index(name)].setVisible(on)
        if not on and self.name == name:
            self.show_one(NAMES[0])
