"""The first start: an own club, or a look round the demo club."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QVBoxLayout

from keenkettle.ui.widgets import button, card, label

WHERE = (
    "Everything stays on this computer. Both clubs are kept apart; "
    "'./kettle demo' leads back to the demo club at any time."
)


class Welcome(QDialog):
    """Asks once. ``demo`` and ``club`` hold the answer."""

    def __init__(self, demo_club: str) -> None:
        super().__init__()
        self.setWindowTitle("Keen Kettle")
        self.setMinimumWidth(760)
        self.demo, self.club = False, ""
        self.name = QLineEdit()
        self.name.setPlaceholderText("the club's name, for the card")
        self.name.setAccessibleName("Name of the club")
        self.name.setMinimumHeight(40)
        self.name.returnPressed.connect(self._own)
        self.own = button("Begin our club", "main", height=48)
        self.own.clicked.connect(self._own)
        self.look = button(f"Look round {demo_club}", height=48)
        self.look.clicked.connect(self._demo)
        mine = QVBoxLayout()
        mine.addWidget(label("Your own club", "title"))
        mine.addWidget(label("Begins empty. A name is enough to add the first athlete.", wrap=True))
        mine.addWidget(self.name)
        mine.addStretch(1)
        mine.addWidget(self.own)
        theirs = QVBoxLayout()
        theirs.addWidget(label("The demo club", "title"))
        theirs.addWidget(label(
            f"{demo_club} is made up: athletes with their films, ladders and sessions. "
            "Change what you like there.", wrap=True,
        ))  # fmt: skip
        theirs.addStretch(1)
        theirs.addWidget(self.look)
        both = QHBoxLayout()
        both.setSpacing(20)
        both.addWidget(card(mine), 1)
        both.addWidget(card(theirs), 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 20, 20, 20)
        column.setSpacing(12)
        column.addLayout(both)
        column.addWidget(label(WHERE, "quiet", wrap=True))
        self.name.setFocus()

    def _own(self) -> None:
        self.club = self.name.text().strip()
        self.accept()

    def _demo(self) -> None:
        self.demo = True
        self.accept()
