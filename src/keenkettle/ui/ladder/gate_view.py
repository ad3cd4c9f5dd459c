"""The gate of a rung: each condition, its state, where that is known from, a way to see it."""

from __future__ import annotations

import time

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from keenkettle.coach.gates import Condition
from keenkettle.ui.widgets import button, clear, label

STATE = {"met": ("met", "held"), "half": ("seen once", "warn"), "missing": ("missing", "quiet")}
ACTS = {
    "tick": "Seen",
    "no-fault": "Clear by eye",
    "side-weeks": "Week done",
}


class GateView(QWidget):
    """``seen`` carries a gate's key and a value (1, seconds, weeks or kg)."""

    seen = pyqtSignal(str, float)

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(10)
        self._began = 0.0
        self._watch = QTimer(self)
        self._watch.setInterval(100)
        self.buttons: dict[str, QWidget] = {}

    def set_conditions(self, conditions: tuple[Condition, ...], acting: bool) -> None:
        """Show them; with ``acting`` each can be written down."""
        self._watch.stop()
        clear(self.column)
        self.buttons = {}
        for c in conditions:
            word, role = STATE[c.state]
            row = QHBoxLayout()
            row.setSpacing(8)
            state = label(word, role)
            state.setFixedWidth(74)
            row.addWidget(state)
            text = QVBoxLayout()
            text.setSpacing(0)
            text.addWidget(label(c.says, "strong" if c.state == "missing" else "", wrap=True))
            text.addWidget(label(f"since {c.since:%-d %b}; {c.source}", "quiet", wrap=True))
            row.addLayout(text, 1)
            if acting and (made := self._button(c)) is not None:
                row.addWidget(made)
                self.buttons[c.gate.key] = made
            self.column.addLayout(row)
        self.column.addStretch(1)

    def _button(self, c: Condition) -> QWidget | None:
        kind, key = c.gate.kind, c.gate.key
        if kind in ACTS:
            b = button(ACTS[kind])
            b.clicked.connect(lambda: self.seen.emit(key, 1.0))
            return b
        if kind == "hold":
            b = button("Time it")
            b.clicked.connect(lambda: self._time(b, key, c.gate.seconds))
            return b
        if kind == "load":
            b = button("Lifted")
            b.clicked.connect(lambda: self._load(key))
            return b
        return None  # film and clearances are seen at their own place

    def _time(self, b, key: str, goal_s: float) -> None:  # type: ignore[no-untyped-def]
        if self._watch.isActive():
            self._watch.stop()
            self._watch.timeout.disconnect()
            self.seen.emit(key, round(time.monotonic() - self._began, 1))
            return
        self._began = time.monotonic()
        self._watch.timeout.connect(
            lambda: b.setText(f"Stop {time.monotonic() - self._began:.0f}/{goal_s:g} s")
        )
        self._watch.start()

    def _load(self, key: str) -> None:
        kg, ok = QInputDialog.getDouble(self, "Load lifted with form", "kg", 40, 1, 400, 1)
        if ok:
            self.seen.emit(key, kg)
