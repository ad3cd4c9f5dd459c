"""The squad: the board, and who shares a platform today."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club import look_up
from keenkettle.club.climbing import standings
from keenkettle.club.people import facts_of
from keenkettle.club.store import Store
from keenkettle.coach.gates import Standing, propose
from keenkettle.coach.grouping import Place, group, minutes_of
from keenkettle.coach.lifts import all_lifts
from keenkettle.ui.ladder.board import Board, Token
from keenkettle.ui.widgets import button, clear, label

STANDARD_KG = 20.0


class SquadView(QWidget):
    """Board above, platforms below. ``picked`` carries an athlete's id."""

    picked = pyqtSignal(int)

    def __init__(self, store: Store, today: Callable[[], date]) -> None:
        super().__init__()
        self.store, self.today = store, today
        self.places: dict[str, Place] = {}
        self.lists: list[QListWidget] = []
        self.board = Board()
        self.board.picked.connect(self.picked)
        self.note = label("", "quiet")
        self.platforms = QSpinBox()
        self.platforms.setRange(1, 8)
        self.platforms.setValue(2)
        self.platforms.setPrefix("platforms: ")
        self.minutes = QSpinBox()
        self.minutes.setRange(10, 240)
        self.minutes.setValue(60)
        self.minutes.setSuffix(" min")
        for box in (self.platforms, self.minutes):
            box.setMinimumHeight(32)
        go = button("Propose groups", "main", "Who shares a platform today", 36)
        go.clicked.connect(self.propose_groups)
        self.result = label("Drag a name to another platform where you know better.", "quiet")
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.board)
        row = QHBoxLayout()
        for w in (self.platforms, self.minutes, go):
            row.addWidget(w)
        row.addWidget(self.result, 1)
        self.groups = QHBoxLayout()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.note)
        column.addWidget(scroll, 3)
        column.addLayout(row)
        column.addLayout(self.groups, 2)

    def refresh(self) -> None:
        """Read everybody's place again."""
        people = look_up.athletes(self.store)
        stand = standings(self.store, people, self.today())
        tokens = []
        self.places = {}
        for a in people:
            s = stand.get(a.id)
            if s is None:
                continue
            p = propose(s, self.today())
            tokens.append(
                Token(a.id, a.name, s.ladder.id, s.ladder.name, s.number, len(s.ladder.rungs),
                      p.act, p.reason)
            )  # fmt: skip
            days = facts_of(a).days
            if not days or self.today().weekday() in days:
                self.places[a.name] = _place(a.name, s)
        off = len(people) - len(tokens)
        self.note.setText(
            f"{len(tokens)} on ladders, {off} on none; {len(self.places)} expected today. "
            "Click a name to take them in hand."
        )
        self.board.set_tokens(tokens)

    def propose_groups(self) -> None:
        """Solve the grouping and show it."""
        made = group(list(self.places.values()), self.platforms.value())
        clear(self.groups)
        self.lists = []
        for names in made.platforms:
            column = QVBoxLayout()
            listed = QListWidget()
            listed.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
            listed.setDefaultDropAction(Qt.DropAction.MoveAction)
            for name in names:
                p = self.places[name]
                item = QListWidgetItem(f"{name}: {p.implement}, {p.start}, {p.load_kg:.0f} kg")
                item.setData(Qt.ItemDataRole.UserRole, name)
                listed.addItem(item)
            title = label("", "strong")
            column.addWidget(title)
            column.addWidget(listed)
            self.groups.addLayout(column)
            self.lists.append(listed)
            for signal in (listed.model().rowsInserted, listed.model().rowsRemoved):
                signal.connect(lambda *_: self._count())
            listed.setProperty("title_label", title)
        self._count()

    def _count(self) -> None:
        limit = self.minutes.value()
        longest = 0.0
        for n, listed in enumerate(self.lists):
            names = [listed.item(i).data(Qt.ItemDataRole.UserRole) for i in range(listed.count())]
            took = minutes_of([self.places[name] for name in names if name in self.places])
            longest = max(longest, took)
            listed.property("title_label").setText(f"Platform {n + 1}: {took:.0f} min")
        over = longest - limit
        self.result.setText(
            f"Longest {longest:.0f} min: {over:.0f} min too long; fewer sets or one more platform."
            if over > 0
            else f"Longest {longest:.0f} of {limit} min. Drag a name where you know better."
        )


def _place(name: str, s: Standing) -> Place:
    lift = all_lifts()[s.rung.lifts[0]]
    best = s.person.bests_kg.get(lift.best)
    load = max(lift.usual * best, STANDARD_KG) if best else STANDARD_KG
    return Place(name, lift.implement, lift.start, round(load / 2.5) * 2.5)
