"""What the rules propose, with its reason; the coach decides."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QVBoxLayout

from keenkettle.coach.gates import Proposal
from keenkettle.ui.widgets import button, label, sentence

HEAD = {
    "advance": "Ready for the next rung",
    "stay": "Stay on this rung",
    "back": "Step back",
    "sideways": "Try another approach",
    "pause": "Pause: pain",
    "re-check": "Look again first",
    "leave": "Leave this ladder",
}
DO = {
    "advance": "Advance to {to}",
    "back": "Step back to {to}",
    "sideways": "Go to {to}",
    "leave": "Leave the ladder",
}


class ProposalCard(QFrame):
    """``decided`` carries the act and the coach's reason."""

    decided = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setProperty("chosen", True)
        self.head = label("", "title", wrap=True)
        self.reason = label("", wrap=True)
        self.rule = label("", "quiet", wrap=True)
        self.why = QLineEdit()
        self.why.setPlaceholderText("your reason, kept with the decision")
        self.why.setAccessibleName("Reason for the decision")
        self.main = button("", "main", height=40)
        self.main.clicked.connect(lambda: self._decide(self._act))
        self.other = button("Put on the chosen rung", tip="Your own decision", height=40)
        self.other.clicked.connect(lambda: self._decide("set"))
        self._act = "stay"
        self.why.returnPressed.connect(lambda: self._decide(self._act if self._doing else "set"))
        self._doing = False
        row = QHBoxLayout()
        row.addWidget(self.main, 1)
        row.addWidget(self.other)
        column = QVBoxLayout(self)
        column.setSpacing(6)
        for w in (self.head, self.reason, self.rule, self.why):
            column.addWidget(w)
        column.addLayout(row)

    def set_proposal(self, proposal: Proposal, chosen_is_present: bool) -> None:
        """Show a proposal."""
        self._act = proposal.act
        self.head.setText(HEAD[proposal.act])
        self.reason.setText(sentence(proposal.reason))
        self.rule.setText(f"Rule: {proposal.rule}. You decide.")
        self._offer(DO.get(proposal.act, "").format(to=proposal.to))
        self.other.setVisible(not chosen_is_present)

    def ask_where_to_begin(self, rung: str) -> None:
        """Nobody is put anywhere by the program; offer the rung that is chosen."""
        self._act = "set"
        self.head.setText("Where to begin")
        self.reason.setText("Choose the rung that fits what was seen, and say why.")
        self.rule.setText("Rule: nobody is put anywhere by the program. You decide.")
        self._offer(f"Begin on {rung}")
        self.other.setVisible(False)

    def _offer(self, text: str) -> None:
        self._doing = bool(text)
        self.main.setVisible(self._doing)
        self.main.setText(text)

    def _decide(self, act: str) -> None:
        self.decided.emit(act, self.why.text().strip())
        self.why.clear()
