"""Below the strip: one of the curves, or the key frames; loop and speed beside the choice."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from keenkettle.measure.curves import CURVES
from keenkettle.ui.film.graph import GraphView
from keenkettle.ui.film.key_frames import KeyFrames
from keenkettle.ui.film.player import Player, speed_text
from keenkettle.ui.widgets import button, label

PICTURES = "key frames"
SHOWN = (*CURVES, PICTURES)
KEYS_SHOWN = "← → step, held: runs   E event   F finding   B bare film"


class Shelf(QWidget):
    """``pictures_wanted`` when the key frames are to be fetched."""

    pictures_wanted = pyqtSignal()

    def __init__(self, player: Player) -> None:
        super().__init__()
        self.player = player
        self.graph, self.keys = GraphView(), KeyFrames()
        self.keys.wanted.connect(lambda: self.name == PICTURES and self.pictures_wanted.emit())
        self.name = SHOWN[0]
        self.stack = QStackedWidget()
        self.stack.addWidget(self.graph)
        self.stack.addWidget(self.keys)
        self.stack.setFixedHeight(self.graph.height())
        row = QHBoxLayout()
        row.setSpacing(4)
        self.choices = []
        for name in SHOWN:
            b = button(name, "slim", "Next of these: C")
            b.setCheckable(True)
            b.clicked.connect(lambda _on, n=name: self.show_one(n))
            row.addWidget(b)
            self.choices.append(b)
        row.addSpacing(8)
        keys = label(KEYS_SHOWN, "quiet")
        keys.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        keys.setMinimumWidth(0)
        row.addWidget(keys, 1)
        self.loop_button = button("no loop", "slim", "Round this phase, the rep, or not (O)")
        self.loop_button.clicked.connect(player.change_loop)
        self.slower = button("−", "slim", "Slower (-)")
        self.slower.setAccessibleName("Play slower")
        self.slower.clicked.connect(lambda: player.change_speed(-1))
        self.play = button("", "slim", "Play or pause (Space)")
        self.play.clicked.connect(player.toggle)
        self.faster = button("+", "slim", "Faster (+)")
        self.faster.setAccessibleName("Play faster")
        self.faster.clicked.connect(lambda: player.change_speed(1))
        for b in (self.loop_button, self.slower, self.play, self.faster):
            row.addWidget(b)
        player.told.connect(lambda _text: self.refresh())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.stack)
        column.addLayout(row)
        self.refresh()

    def show_one(self, name: str) -> None:
        """Change to a curve or to the pictures."""
        self.name = name
        self.stack.setCurrentIndex(1 if name == PICTURES else 0)
        if name == PICTURES:
            self.pictures_wanted.emit()
        else:
            self.graph.name = name
            self.graph.update()
        self.refresh()

    def show_next(self) -> None:
        """The next of them."""
        self.show_one(SHOWN[(SHOWN.index(self.name) + 1) % len(SHOWN)])

    def refresh(self) -> None:
        """Show what is chosen."""
        for b, name in zip(self.choices, SHOWN, strict=True):
            b.setChecked(name == self.name)
        self.loop_button.setText(f"loop {self.player.loop}" if self.player.loop else "no loop")
        self.play.setText(f"play {speed_text(self.player.speed)}")
