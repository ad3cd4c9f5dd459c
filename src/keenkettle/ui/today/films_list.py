"""All films of the club: what wants eyes first, what waits or went wrong, and whose each is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableView,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club import look_up
from keenkettle.club.catalogue import MOST, FilmLine, film_lines
from keenkettle.club.commands import History
from keenkettle.club.film_commands import SetFacts, TakeOut
from keenkettle.club.store import ClubError, Store
from keenkettle.coach.faults import all_faults
from keenkettle.coach.lifts import all_lifts
from keenkettle.film.ends import forget
from keenkettle.ui import theme
from keenkettle.ui.typed import load_kg
from keenkettle.ui.widgets import DayField, ShortCombo, button, label

HEADS = ("Athlete", "Filmed", "Lift", "Load", "What it shows", "File")
WIDTHS_PX = (170, 110, 240, 84, 450, 190)
ROW_PX = 34
SHOWS = 4
WITHIN = Qt.ShortcutContext.WidgetWithChildrenShortcut
EMPTY = "No film is here yet. Drop films on the window, or press Ctrl+O."


class FilmsModel(QAbstractTableModel):
    """The films in view. ``state_of`` says what the queue knows of one that is not analysed."""

    def __init__(self, state_of: Callable[[int], str]) -> None:
        super().__init__()
        self.lines: list[FilmLine] = []
        self._state_of = state_of
        self._there: dict[int, bool] = {}  # asked of the disk for rows that are seen only

    def show(self, lines: list[FilmLine]) -> None:
        """Other films, or the same in another state."""
        self.beginResetModel()
        self.lines, self._there = lines, {}
        self.endResetModel()

    def rowCount(self, _parent: QModelIndex | None = None) -> int:
        return len(self.lines)

    def columnCount(self, _parent: QModelIndex | None = None) -> int:
        return len(HEADS)

    def headerData(self, section: int, way: Qt.Orientation, role: int = 0) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and way == Qt.Orientation.Horizontal:
            return HEADS[section]
        return None

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        line, at_shows = self.lines[index.row()], index.column() == SHOWS
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(line, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return str(line.path) if index.column() > SHOWS else self._text(line, index.column())
        if role == Qt.ItemDataRole.FontRole and at_shows and (line.left or not self.there(line)):
            return theme.text_font(14, strong=True)
        if role == Qt.ItemDataRole.ForegroundRole and at_shows and not line.left:
            return theme.colour(theme.current().quiet)
        return None

    def there(self, line: FilmLine) -> bool:
        """Whether the file is where it was."""
        if line.clip_id not in self._there:
            self._there[line.clip_id] = line.path.exists()
        return self._there[line.clip_id]

    def _text(self, line: FilmLine, column: int) -> str:
        if column == SHOWS:
            if not self.there(line):
                return "the file is not where it was"
            waits = self._state_of(line.clip_id) if line.reps is None else ""
            faults = ", ".join(all_faults()[f].title.lower() for f in line.faults)
            words = f"{line.words}: {faults}" if faults else line.words
            return waits.removeprefix(f"{line.path.name}: ") or words
        lift = all_lifts()[line.lift].name if line.lift in all_lifts() else line.lift
        load = "" if line.load_kg is None else f"{line.load_kg:g} kg"
        return (line.athlete, f"{line.filmed_on:%-d %b %Y}", lift, load, "", line.path.name)[column]


class FilmsList(QWidget):
    """A table of films, and below it what can be said of those that are chosen."""

    looks = pyqtSignal(int, int)  # athlete and clip
    leaves = pyqtSignal()
    changed = pyqtSignal()
    copies = pyqtSignal(object)  # films to be copied into the club's folder
    dropped = pyqtSignal(object)  # ids of clips that are in the records no more
    said = pyqtSignal(str)

    def __init__(self, store: Store, history: History, state_of: Callable[[int], str]) -> None:
        super().__init__()
        self.store, self.history = store, history
        self.title = label("", "title")
        self.field = QLineEdit()
        self.field.setPlaceholderText("part of a name, a lift or a file")
        self.field.setAccessibleName("Narrow the list of films")
        self.field.textChanged.connect(self.refresh)
        back = button("Back to the day", tip="Esc")
        back.clicked.connect(self.leaves)
        self.refused = label("", "warn", wrap=True)
        self.model = FilmsModel(state_of)
        self.table = QTableView()
        self._build_table()
        self.who, self.day, self.load = QComboBox(), DayField(), QLineEdit()
        self.lift = ShortCombo()
        self.chosen_words = label("", "quiet")
        self.copy = button("Keep a copy", tip="In the club's own folder, as the file may not stay")
        self.out = button("Take out", tip="Out of the records; the file stays (Delete)")
        self.look = button("Look at it", "main", "Enter", 40)
        self._build_facts()
        top = QHBoxLayout()
        top.addWidget(self.title)
        top.addWidget(self.field, 1)
        top.addWidget(back)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(top)
        column.addWidget(self.refused)
        column.addWidget(self.table, 1)
        column.addLayout(self._facts_row())
        for key, act in (("Delete", self.take_out), ("Esc", self.leaves.emit)):
            QShortcut(QKeySequence(key), self, act, context=WITHIN)

    def _build_table(self) -> None:
        t = self.table
        t.setModel(self.model)
        t.setAccessibleName("Films of the club")
        t.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        t.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        t.setShowGrid(False)
        t.setTabKeyNavigation(False)
        t.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        rows, heads = t.verticalHeader(), t.horizontalHeader()
        assert rows is not None and heads is not None
        rows.setDefaultSectionSize(ROW_PX)
        rows.hide()
        heads.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        heads.setHighlightSections(False)
        for i, width in enumerate(WIDTHS_PX):
            t.setColumnWidth(i, width)
        heads.setSectionResizeMode(SHOWS, QHeaderView.ResizeMode.Stretch)
        t.activated.connect(lambda _i: self.open_chosen())
        chosen = t.selectionModel()
        assert chosen is not None
        chosen.selectionChanged.connect(lambda _a, _b: self._show_facts())

    def _build_facts(self) -> None:
        self.who.setAccessibleName("Whose film it is")
        self.who.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.who.activated.connect(
            lambda i: self._set(f"of {self.who.itemText(i)}", athlete_id=self.who.itemData(i))
        )
        self.day.setAccessibleName("Day of filming")
        self.day.editingFinished.connect(self._set_day)
        self.lift.setAccessibleName("What was lifted")
        self.lift.setFixedWidth(190)
        self.lift.setPlaceholderText("different lifts")
        self.who.setPlaceholderText("several")
        for lift in all_lifts().values():
            self.lift.addItem(lift.name, lift.id)
        self.lift.activated.connect(
            lambda i: self._set(
                f"{self.lift.itemText(i)}", lift=self.lift.itemData(i), lift_guessed=False
            )
        )
        self.load.setAccessibleName("Load on the bar, kg")
        self.load.setPlaceholderText("kg")
        self.load.setFixedWidth(72)
        self.load.editingFinished.connect(self._set_load)
        self.copy.clicked.connect(lambda: self.copies.emit(self.elsewhere()))
        self.out.clicked.connect(self.take_out)
        self.look.clicked.connect(self.open_chosen)

    def _facts_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.chosen_words)
        fields = (("of", self.who), ("on", self.day), ("", self.lift), ("with", self.load))
        for word, field in fields:
            if word:
                row.addWidget(label(word, "quiet"))
            row.addWidget(field)
        row.addWidget(label("kg", "quiet"))
        row.addStretch(1)
        row.addWidget(self.copy)
        row.addWidget(self.out)
        row.addWidget(self.look)
        return row

    # --- showing ------------------------------------------------------------------------

    def ask(self, refused: list[str]) -> None:
        """Show the films, and what was wrong with files that came last."""
        self.refused.setText("\n".join(refused))
        self.refused.setVisible(bool(refused))
        self.who.clear()
        for a in look_up.athletes(self.store):
            self.who.addItem(a.name, a.id)
        self.refresh()
        if self.model.lines and not self.chosen():
            self._take(0)
        self.table.setFocus()

    def refresh(self) -> None:
        """Read the films again; what was chosen stays so."""
        kept = {x.clip_id for x in self.chosen()}
        lines = film_lines(self.store, self.field.text())
        self.model.show(lines)
        for row, line in enumerate(lines):
            if line.clip_id in kept:
                self._take(row, also=True)
        eyes = sum(bool(x.left) for x in lines)
        count = f"the newest {MOST}" if len(lines) == MOST else f"{len(lines)}"
        self.title.setText(f"Films: {count}, {eyes} for your eyes" if lines else EMPTY)
        self._show_facts()

    def _take(self, row: int, also: bool = False) -> None:
        """Choose a row; the table's own way would look at which keys are held."""
        model = self.table.selectionModel()
        assert model is not None
        flag = model.SelectionFlag
        how = flag.Select if also else flag.ClearAndSelect
        model.setCurrentIndex(self.model.index(row, 0), how | flag.Rows)

    def chosen(self) -> list[FilmLine]:
        """The films that are chosen, from top to bottom."""
        model = self.table.selectionModel()
        rows = sorted(i.row() for i in model.selectedRows()) if model is not None else []
        return [self.model.lines[r] for r in rows if r < len(self.model.lines)]

    def elsewhere(self) -> list[FilmLine]:
        """Those of the chosen whose files are there, but not in the club's folder."""
        own = self.store.clips_folder.resolve()
        return [x for x in self.chosen() if x.path.parent != own and self.model.there(x)]

    def _show_facts(self) -> None:
        chosen = self.chosen()
        for w in (self.who, self.day, self.lift, self.load, self.out, self.look):
            w.setEnabled(bool(chosen))
        self.copy.setEnabled(bool(self.elsewhere()))
        self.chosen_words.setText(
            f"{len(chosen)} films chosen" if len(chosen) > 1 else "1 film" if chosen else ""
        )
        owners = {x.athlete_id for x in chosen}
        self.who.setCurrentIndex(self.who.findData(owners.pop()) if len(owners) == 1 else -1)
        # The list is read again while films are analysed; what is being typed stays.
        if chosen and not self.day.hasFocus():
            self.day.show_day(chosen[0].filmed_on)
        lifts = {x.lift for x in chosen}
        self.lift.setCurrentIndex(self.lift.findData(lifts.pop()) if len(lifts) == 1 else -1)
        if self.load.hasFocus() and self.load.isModified():
            return
        loads = {x.load_kg for x in chosen}
        kg = loads.pop() if len(loads) == 1 else None
        self.load.setText("" if kg is None else f"{kg:g}")
        self.load.setModified(False)

    # --- doing --------------------------------------------------------------------------

    def open_chosen(self) -> None:
        """Open the first of the films that are chosen."""
        if chosen := self.chosen():
            self.looks.emit(chosen[0].athlete_id, chosen[0].clip_id)

    def _set(self, word: str, **fields: object) -> None:
        ids = tuple(x.clip_id for x in self.chosen())
        try:
            self.history.run(SetFacts(ids, fields))
        except ClubError as err:
            self.said.emit(str(err))
            return
        self.refresh()
        self.changed.emit()
        self.said.emit(f"{_films(len(ids))} kept as {word} (Ctrl+Z takes it back)")

    def _set_day(self) -> None:
        day, chosen = self.day.day(), self.chosen()
        if chosen and day != chosen[0].filmed_on:
            self._set(f"of {day:%-d %B}", filmed_on=day)

    def _set_load(self) -> None:
        if not self.load.isModified() or not self.chosen():
            return
        self.load.setModified(False)
        try:
            kg = load_kg(self.load.text())
        except ValueError as err:
            self.said.emit(f"Not kept: {err}")
            return
        self._set("without a load" if kg is None else f"with {kg:g} kg", load_kg=kg)

    def take_out(self) -> None:
        """Take the chosen films out of the records."""
        chosen = self.chosen()
        ids = tuple(x.clip_id for x in chosen)
        if not ids:
            return
        row = self.model.lines.index(chosen[0])
        try:
            self.history.run(TakeOut(ids, self.store.clips_folder))
        except ClubError as err:
            self.said.emit(str(err))
            return
        self.dropped.emit(ids)
        self.refresh()
        self._take(min(row, len(self.model.lines) - 1))
        self.changed.emit()
        for line in chosen:
            if (folder := self.store.ends_folder(line.sha256)) is not None:
                forget(folder)
        stay = "the file stays" if len(ids) == 1 else "the files stay"
        self.said.emit(f"{_films(len(ids))} taken out of the records; {stay} (Ctrl+Z)")


def _films(count: int) -> str:
    return "1 film" if count == 1 else f"{count} films"
