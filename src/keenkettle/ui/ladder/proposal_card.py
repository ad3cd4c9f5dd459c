"""What the rules propose, with its reason; the coach decides."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QVBoxLayout

from keenkettle.coach.gates import Proposal
from keenkettle.ui.widgets import button, label

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
        self.reason.setText(proposal.reason[:1].upper() + proposal.reason[1:] + ".")
        self.rule.setText(f"Rule: {proposal.rule}. You decide.")
        text = DO.get(proposal.act, "")
        self.main.setVisible(bool(text))
        self.main.setText(text.format(to=proposal.to))
        self.other.setVisible(not chosen_is_present)

    def _decide(self, act: str) -> None:
        self.decided.emit(act, self.why.text().strip())
        self.why.clear()
