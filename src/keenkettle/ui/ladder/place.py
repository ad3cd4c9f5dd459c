"""The ladder as a place: rungs, the present rung, its gate, the proposal; or the whole squad."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club.climbing import Decide, SeeGate, history_of, standings
from keenkettle.club.commands import History
from keenkettle.club.people import facts_of, person_of
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete
from keenkettle.coach.cautions import who_is
from keenkettle.coach.gates import RUSTY_DAYS, Proposal, Standing, conditions, propose
from keenkettle.coach.ladders import (
    Ladder,
    all_ladders,
    copy_of,
    export_ladder,
    is_own,
    keep_own,
)
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.tables import KnowledgeError, read_text
from keenkettle.files import CannotWriteError
from keenkettle.fit.lengths import make_lengths
from keenkettle.ui import theme
from keenkettle.ui.jobs import JobRunner
from keenkettle.ui.ladder.gate_view import GateView
from keenkettle.ui.ladder.ladder_text import LadderText
from keenkettle.ui.ladder.proposal_card import ProposalCard
from keenkettle.ui.ladder.rung_text import rung_html, schools_html
from keenkettle.ui.ladder.rungs import RungsView
from keenkettle.ui.ladder.squad import SquadView
from keenkettle.ui.show.show_me import ShowMe
from keenkettle.ui.widgets import button, label

AVERAGE_STATURE_MM = 1750.0
TOML = "Ladder (*.toml)"


class LadderPlace(QWidget):
    """One athlete's ladder. ``said`` is a line for the foot; ``wants`` an athlete's id."""

    said = pyqtSignal(str)
    moved = pyqtSignal()
    wants = pyqtSignal(int)

    def __init__(
        self, store: Store, history: History, jobs: JobRunner, today: Callable[[], date]
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.store, self.history, self.today = store, history, today
        self.athlete: Athlete | None = None
        self.standing: Standing | None = None
        self.proposal: Proposal | None = None
        self.show_me = ShowMe(jobs)
        self.squad = SquadView(store, today)
        self.squad.picked.connect(self.wants)
        self._where = ""
        self._build()

    def _build(self) -> None:
        one = QWidget()
        row = QHBoxLayout(one)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        for column, width in ((self._left(), 270), (self._middle(), 530), (self._right(), 440)):
            holder = QWidget()
            column.setContentsMargins(0, 0, 0, 0)
            holder.setLayout(column)
            holder.setMinimumWidth(width - 20)
            row.addWidget(holder, width)
        self.stack = QStackedWidget()
        self.stack.addWidget(one)
        self.stack.addWidget(self.squad)
        self.one_button, self.all_button = button("This athlete"), button("Whole squad")
        for b in (self.one_button, self.all_button):
            b.setMinimumWidth(124)  # the one that is on is set in bold and needs more room
        top = QHBoxLayout()
        for i, b in enumerate((self.one_button, self.all_button)):
            b.setCheckable(True)
            b.clicked.connect(lambda _on, n=i: self.view(n))
            top.addWidget(b)
        self.title = label("", "title")
        top.addWidget(self.title, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 12)
        whole.addLayout(top)
        whole.addWidget(self.stack, 1)
        self.view(0)

    def _left(self) -> QVBoxLayout:
        """The ladder: which one, its rungs, and ladders as files."""
        self.ladders = QComboBox()
        self.ladders.setAccessibleName("Ladder")
        self.ladders.activated.connect(self._ladder_picked)
        self.about = label("", "quiet", wrap=True)
        self.rungs = RungsView()
        self.rungs.picked.connect(lambda _n: self._show_rung())
        self.rungs.settled.connect(lambda: self.card.why.setFocus())
        column = QVBoxLayout()
        column.addWidget(self.ladders)
        column.addWidget(self.about)
        column.addWidget(_scrolled(self.rungs), 1)
        self.editor: LadderText | None = None
        for row in (
            (
                ("Edit", "Change this ladder, or a copy of one that came with the app", self.edit),
                ("Copy", "Copy this ladder to one of your own", self.copy),
                ("Schools", "Where schools of teaching differ", self.show_schools),
            ),
            (
                ("Read", "Read a ladder from a file (TOML)", self.ask_read),
                ("Write", "Write this ladder to a file (TOML)", self.ask_write),
            ),
        ):
            files = QHBoxLayout()
            for text, tip, act in row:
                b = button(text, tip=tip)
                b.setStyleSheet("padding: 4px 6px;")
                b.clicked.connect(lambda _on, run=act: run())
                files.addWidget(b)
            column.addLayout(files)
        return column

    def _middle(self) -> QVBoxLayout:
        """The rung: its page, and the movement."""
        self.page = QTextBrowser()
        self.page.setAccessibleName("The rung")
        self.page.setMinimumHeight(236)
        column = QVBoxLayout()
        column.addWidget(self.page, 5)
        column.addWidget(self.show_me, 6)
        return column

    def _right(self) -> QVBoxLayout:
        """The way up: what is proposed, and the gate."""
        self.gate_title = label("", "strong")
        self.gate = GateView()
        self.gate.seen.connect(self.see)
        self.card = ProposalCard()
        self.card.decided.connect(self.decide)
        column = QVBoxLayout()
        column.addWidget(self.card)
        column.addWidget(self.gate_title)
        column.addWidget(_scrolled(self.gate), 1)
        return column

    def view(self, index: int) -> None:
        """0: this athlete; 1: the whole squad."""
        self.stack.setCurrentIndex(index)
        self.one_button.setChecked(index == 0)
        self.all_button.setChecked(index == 1)
        if index == 1:
            self.squad.refresh()
        self._head()

    def _head(self) -> None:
        squad = self.stack.currentIndex() == 1
        self.title.setText("Who stands where" if squad else self._where)

    # --- showing -------------------------------------------------------------------------

    def hold(self, athlete: Athlete | None) -> None:
        """Show an athlete's ladder."""
        self.athlete = athlete
        self.standing = None
        if athlete is not None:
            self.standing = standings(self.store, [athlete], self.today()).get(athlete.id)
        wanted = self.standing.ladder.id if self.standing else "floor-first-clean"
        self.ladders.clear()
        for ladder in all_ladders().values():
            self.ladders.addItem(ladder.name, ladder.id)
        self.ladders.setCurrentIndex(max(self.ladders.findData(wanted), 0))
        self._show_ladder()
        if self.stack.currentIndex() == 1:
            self.squad.refresh()

    def _ladder_picked(self) -> None:
        self._show_ladder()

    @property
    def _present(self) -> int:
        on_it = self.standing and self.standing.ladder.id == self.ladders.currentData()
        return self.standing.number if self.standing and on_it else 0

    def _show_ladder(self) -> None:
        ladder = all_ladders()[str(self.ladders.currentData())]
        steps = history_of(self.store, self.athlete.id) if self.athlete else []
        self.about.setText(ladder.summary)
        self.about.setToolTip(f"{ladder.why} For {ladder.suits}.")
        self.rungs.set_ladder(ladder, self._present, steps)
        self._show_rung()

    def _show_rung(self) -> None:
        ladder = all_ladders()[str(self.ladders.currentData())]
        number, t = self.rungs.chosen, theme.current()
        rung = ladder.rung(number)
        place = self.page.verticalScrollBar()
        self.page.setHtml(rung_html(rung, number, self._who(), t.quiet, t.accent))
        assert place is not None
        place.setValue(0)
        name = self.athlete.name if self.athlete else "nobody in hand"
        here = self._present
        where = f"rung {here} of {len(ladder.rungs)}" if here else "not on this ladder"
        self._where = f"{name}: {where}"
        self._head()
        self._show_gate(number)
        self.show_me.show_lift(all_lifts()[rung.lifts[0]], self._body())

    def _who(self) -> frozenset[str]:
        if self.athlete is None:
            return frozenset()
        last = self.standing.last_day if self.standing else None
        rusty = last is not None and (self.today() - last).days > RUSTY_DAYS
        return who_is(person_of(self.athlete, self.today()), rusty)

    def _show_gate(self, number: int) -> None:
        ladder = all_ladders()[str(self.ladders.currentData())]
        last = number == len(ladder.rungs)
        self.gate_title.setText("To be done with it" if last else "Before the next rung")
        if self.athlete is None:
            self.card.setVisible(False)
            self.gate.set_conditions((), False)
            return
        self.card.setVisible(True)
        here = self.standing if number == self._present else None
        looked = here or Standing(
            ladder, number, self.today(), person_of(self.athlete, self.today())
        )
        self.gate.set_conditions(conditions(looked), acting=here is not None)
        if self.standing is not None and self._present:
            self.proposal = propose(self.standing, self.today())
            self.card.set_proposal(self.proposal, number == self._present)
        else:
            self.proposal = None
            self.card.ask_where_to_begin(f"{number}, {ladder.rung(number).title}")

    def _body(self):  # type: ignore[no-untyped-def]
        stature = (self.athlete.stature_mm if self.athlete else None) or AVERAGE_STATURE_MM
        measured = facts_of(self.athlete).lengths_mm if self.athlete else {}
        return make_lengths(stature, measured).body

    # --- changing ------------------------------------------------------------------------

    def see(self, key: str, value: float) -> None:
        """Write down what was seen toward the gate."""
        if self.athlete is not None:
            self._run(SeeGate(self.athlete.id, self.today(), key, value), "written down")

    def decide(self, act: str, reason: str) -> None:
        """The coach's decision."""
        if self.athlete is None:
            return
        ladder, rung = str(self.ladders.currentData()), self.rungs.chosen
        if act == "advance":
            rung = self._present + 1
        elif act == "back" and self.proposal is not None:
            titles = [r.title for r in all_ladders()[ladder].rungs]
            rung = titles.index(self.proposal.to) + 1
        elif act == "sideways" and self.proposal is not None:
            if self.proposal.ladder:
                ladder, rung = self.proposal.ladder, 1
            else:
                titles = [r.title for r in all_ladders()[ladder].rungs]
                rung = titles.index(self.proposal.to) + 1
        elif act == "leave":
            rung = self._present
        proposed = self.proposal is not None and act == self.proposal.act
        kept = reason or (self.proposal.reason if proposed and self.proposal else "the coach's own")
        where = "off the ladder" if act == "leave" else f"rung {rung}"
        self._run(
            Decide(self.athlete.id, ladder, rung, self.today(), act, kept),
            f"{self.athlete.name}: {where} (Ctrl+Z takes it back)",
        )
        self.rungs.setFocus()
        self.moved.emit()

    def _run(self, command: Decide | SeeGate, says: str) -> None:
        try:
            self.history.run(command)
        except ClubError as err:
            self.said.emit(str(err))
            return
        self.hold(self.athlete)
        self.said.emit(says)

    def show_schools(self) -> None:
        """Where schools of teaching differ, with each default and its reason."""
        t = theme.current()
        self.page.setHtml(schools_html(t.quiet, t.accent))

    # --- ladders as files ------------------------------------------------------------------

    def copy(self) -> None:
        """Keep a copy of this ladder among the coach's own, to be edited."""
        self._keep(*self._copied(all_ladders()[str(self.ladders.currentData())]))

    def _copied(self, ladder: Ladder) -> tuple[str, str]:
        """Text and file name of a copy under a name that is free."""
        n = 1
        while f"{ladder.id}-own-{n}" in all_ladders():
            n += 1
        text = copy_of(ladder, f"{ladder.id}-own-{n}", f"{ladder.name}, own {n}")
        return text, f"{ladder.id}-own-{n}.toml"

    def edit(self) -> None:
        """Change one's own ladder as text; one that came with the app is copied first."""
        ladder = all_ladders()[str(self.ladders.currentData())]
        self.editor = self.editor or LadderText(self._keep)
        if is_own(ladder):
            self.editor.open(ladder.source, f"{ladder.id}.toml")
        else:
            self.editor.open(*self._copied(ladder))

    def ask_read(self) -> None:
        """Read a ladder from a file."""
        path, _ = QFileDialog.getOpenFileName(self, "Read a ladder", "", TOML)
        if path:
            self.read(Path(path))

    def read(self, path: Path) -> None:
        """Keep a ladder from a file among the coach's own."""
        try:
            self._keep(read_text(path), path.name)
        except KnowledgeError as err:
            self.said.emit(str(err))

    def _keep(self, text: str, file: str) -> str:
        """Keep a ladder; returns what is wrong with it, empty where it is kept."""
        try:
            kept = keep_own(text, file)
        except (KnowledgeError, CannotWriteError) as err:
            self.said.emit(str(err))
            return str(err)
        self.hold(self.athlete)
        self.ladders.setCurrentIndex(self.ladders.findData(kept.id))
        self._show_ladder()
        self.said.emit(f"kept: {kept.name}; change it with Edit")
        return ""

    def ask_write(self) -> None:
        """Write this ladder to a file."""
        ladder = all_ladders()[str(self.ladders.currentData())]
        name = str(Path.home() / f"{ladder.id}.toml")
        path, _ = QFileDialog.getSaveFileName(self, "Write the ladder", name, TOML)
        if path:
            try:
                export_ladder(ladder, Path(path))
            except CannotWriteError as err:
                self.said.emit(str(err))
                return
            self.said.emit(f"ladder written to {path}")


def _scrolled(widget: QWidget) -> QScrollArea:
    made = QScrollArea()
    made.setWidgetResizable(True)
    made.setWidget(widget)
    return made
