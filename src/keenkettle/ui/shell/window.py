"""The window: the athlete in hand, the places, the keys."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QSettings, Qt
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QPlainTextEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club import look_up
from keenkettle.club.commands import AddAthlete, History, NameClub
from keenkettle.club.csv_people import CsvError, TakePeople, names_in, read_people, says_of
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete
from keenkettle.ui import theme
from keenkettle.ui.athlete.place import AthletePlace
from keenkettle.ui.film.group_show import GroupShow
from keenkettle.ui.film.judging_again import JudgingAgain
from keenkettle.ui.film.place import FilmPlace
from keenkettle.ui.jobs import JobRunner
from keenkettle.ui.ladder.place import LadderPlace
from keenkettle.ui.pick import PickList
from keenkettle.ui.session.place import SessionPlace
from keenkettle.ui.shell.actions import PLACES, actions_of
from keenkettle.ui.shell.athlete_picker import AthletePicker
from keenkettle.ui.shell.films import Films
from keenkettle.ui.shell.whole_record import WholeRecord
from keenkettle.ui.today.films_list import FilmsList
from keenkettle.ui.today.place import TodayPlace
from keenkettle.ui.widgets import button, label

#: Where the first letter of a menu's name is another's key.
MENU_KEYS = {"Clip": "Cl&ip", "Finding": "Fi&nding"}
MOST_CHARS = 72  # on the second line of the athlete in hand


class MainWindow(QMainWindow):
    """Top bar, places, status. Views decide nothing; this only connects them."""

    def __init__(
        self, store: Store, settings: QSettings, today: Callable[[], date] = date.today
    ) -> None:
        super().__init__()
        self.store, self.settings, self.today = store, settings, today
        self.history = History(store)
        self.jobs = JobRunner()
        self.athlete: Athlete | None = None
        self.film = FilmPlace(store, self.history, self.jobs, today)
        self.session = SessionPlace(store, self.history, today)
        self.day = TodayPlace(store, today, FilmsList(store, self.history, self.film.state_of))
        self.facts = AthletePlace(store, self.history, self.jobs, today)
        self.ladder = LadderPlace(store, self.history, self.jobs, today)
        self.group: GroupShow | None = None
        self.whole, self.films = WholeRecord(self), Films(self)
        self.judging = JudgingAgain(store, self.jobs)
        self.judging.done.connect(lambda: self._fill(self.place))
        self.history.heard = self.judging.hear
        self._stale: set[str] = set()  # places that do not show the athlete in hand yet
        self._tabbed = False  # whether the keys, not the mouse, last moved the focus
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._build()
        self.actions_table = actions_of(self)
        self._build_menus()
        for place in (self.film, self.session, self.facts, self.ladder):
            place.said.connect(self.say)
        self.film.wants_session.connect(self._to_session)
        self.day.goes.connect(self._take_to)
        self.day.looks.connect(self._look_at)
        self.day.wants_new.connect(self.new_athlete)
        self.day.wants_films.connect(self.films.show_list)
        self.day.films.looks.connect(self._look_at)
        self.day.films.said.connect(self.say)
        self.day.films.changed.connect(self.film.presenter.look_again)
        self.day.films.copies.connect(self.films.copy_in)
        self.day.films.dropped.connect(self.film.let_go_of)
        self.facts.renamed.connect(self._look_again)
        self.facts.goes_on.connect(self.go)
        self.ladder.moved.connect(lambda: self._look_again(-1))
        self.ladder.wants.connect(lambda i: self._take_to(i, "Ladder"))
        self.winId()  # the desktop's own window, through which all keys come
        handle = self.windowHandle()
        if handle is not None:
            handle.installEventFilter(self)
        self._restore()

    # --- building -----------------------------------------------------------------------

    def _build(self) -> None:
        self.athlete_button = button("", "athlete", "Change athlete (/)", 50)
        self.athlete_button.setFixedSize(480, 50)
        self.athlete_button.clicked.connect(self.pick_athlete)
        self.picker = AthletePicker(self)
        self.picker.picked.connect(self.hold)
        top = QWidget()
        top.setObjectName("topbar")
        top.setFixedHeight(58)
        row = QHBoxLayout(top)
        row.setContentsMargins(12, 4, 12, 0)
        row.setSpacing(12)
        row.addWidget(self.athlete_button)
        self.place_buttons = []
        for i, name in enumerate(PLACES):
            b = button(name, "place", f"Ctrl+{i + 1}", 44)
            b.setCheckable(True)
            b.clicked.connect(lambda _on, n=name: self.visit(n))
            row.addWidget(b)
            self.place_buttons.append(b)
        row.addStretch(1)
        self.open_drills = label("", "warn")
        row.addWidget(self.open_drills)
        self.stack = QStackedWidget()
        for place in (self.day, self.facts, self.ladder, self.film, self.session):
            self.stack.addWidget(place)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(top)
        column.addWidget(self.stack, 1)
        self.setCentralWidget(body)
        self.status = QLabel()
        self.status.setContentsMargins(12, 0, 0, 0)
        self.status.setText(" ")  # as high as with words: the film does not move when they come
        bar = self.statusBar()
        assert bar is not None
        bar.addWidget(self.status, 1)
        self.queue_words = label("", "quiet")
        bar.addPermanentWidget(self.queue_words)
        self.film.queue.moved.connect(self._show_queue)

    def _build_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        menus = {}
        for a in self.actions_table:
            if a.menu not in menus:
                menus[a.menu] = bar.addMenu(MENU_KEYS.get(a.menu, f"&{a.menu}"))
            entry = QAction(
                f"{a.name}\t{a.key}" if a.key and not _modified(a.key) else a.name, self
            )
            if _modified(a.key):
                entry.setShortcut(QKeySequence(a.key))
            entry.triggered.connect(lambda _on, run=a.run: run())
            menu = menus[a.menu]
            assert menu is not None
            menu.addAction(entry)

    # --- keys without modifier, where nobody is typing ---------------------------------------

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        pressed = event is not None and event.type() == QEvent.Type.MouseButtonPress
        if not (pressed or isinstance(event, QKeyEvent)) or watched is not self.windowHandle():
            return False
        if pressed:
            self._tabbed = False
        if not isinstance(event, QKeyEvent) or QApplication.activeWindow() is not self:
            return False
        focus = QApplication.focusWidget()
        if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            self._tabbed = True
        if self._tabbed and self._press(focus, event):
            return True
        if isinstance(focus, QPlainTextEdit | QLineEdit | QAbstractSpinBox):
            return False
        place = PLACES[self.stack.currentIndex()]
        if event.key() == Qt.Key.Key_B and place == "Film" and not event.isAutoRepeat():
            self.film.show_bare(event.type() == QEvent.Type.KeyPress)
            return True
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and place == "Film":
            way = 1 if event.key() == Qt.Key.Key_Right else -1
            if event.isAutoRepeat() and not event.modifiers():
                if event.type() == QEvent.Type.KeyPress:
                    self.film.player.run(way)
                return True
            if event.type() == QEvent.Type.KeyRelease:
                self.film.player.stop_run()
        if event.type() != QEvent.Type.KeyPress:
            return False
        pressed = QKeySequence(event.keyCombination()).toString()
        for a in self.actions_table:
            plain = a.key and not _modified(a.key) and a.place in ("", place)
            if plain and pressed in (
                a.key,
                f"Num+{a.key}",
                "Enter" if a.key == "Return" else a.key,
            ):
                a.run()
                return True
        return False

    def _press(self, focus: QWidget | None, event: QKeyEvent) -> bool:
        """Press the button that was come to with Tab; its keys are not those of the place."""
        keys = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if not isinstance(focus, QAbstractButton) or event.key() not in keys or event.modifiers():
            return False
        if event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat():
            focus.click()
        return True

    # --- doing ------------------------------------------------------------------------------

    def say(self, text: str) -> None:
        """One line at the foot of the window."""
        self.status.setText(text or " ")
        self.status.setToolTip(text)
        self._count_open()

    def _show_queue(self) -> None:
        self.queue_words.setText(self.film.queue.words())
        if self.place == "Today" and (self.day.pages.currentIndex() or not self.film.queue.running):
            self.day.refresh()

    def visit(self, name: str) -> None:
        """Change to a place as it opens: Today with the day, not with the list of films."""
        if name == "Today":
            self.day.pages.setCurrentIndex(0)
        self.go(name)

    def go(self, name: str) -> None:
        """Change to a place."""
        index = PLACES.index(name)
        if name == "Session" and self.stack.currentIndex() != index:
            self.session.hold(self.athlete, self.session.day)
        else:
            self.session.save()
        self.stack.setCurrentIndex(index)
        for i, b in enumerate(self.place_buttons):
            b.setChecked(i == index)
        self._fill(name)
        self.settings.setValue("place", name)
        first = {"Film": self.film, "Ladder": self.ladder.rungs}.get(name)
        if first is not None:
            first.setFocus()

    def _fill(self, name: str) -> None:
        """Let a place show the athlete in hand, where it does not yet."""
        if name == "Today":
            self.day.refresh()
        if name not in self._stale:
            return
        self._stale.discard(name)
        if name == "Film":
            self.film.presenter.hold(self.athlete)
        elif name == "Athlete":
            self.facts.hold(self.athlete)
        elif name == "Ladder":
            self.ladder.hold(self.athlete)

    @property
    def place(self) -> str:
        """The place in view."""
        return PLACES[self.stack.currentIndex()]

    def _take_to(self, athlete_id: int, name: str) -> None:
        self.hold(athlete_id)
        if name == "Ladder":
            self.ladder.view(0)
        self.go(name)

    def _look_at(self, athlete_id: int, clip_id: int) -> None:
        """Open a film that waits for eyes."""
        self._take_to(athlete_id, "Film")
        for card in self.film.presenter.state.clips:
            if card.id == clip_id:
                self.film.presenter.open(card)

    def show_part(self, index: int) -> None:
        """One of the parts of the athlete's place."""
        self.go("Athlete")
        self.facts.view(index)

    def change_squad(self) -> None:
        """This athlete, or the whole squad."""
        self.go("Ladder")
        self.ladder.view(1 - self.ladder.stack.currentIndex())

    def do_proposed(self) -> None:
        """Do what the ladder's rules propose."""
        if self.place == "Ladder" and self.ladder.card.main.isVisible():
            self.ladder.card.main.click()

    def new_athlete(self) -> None:
        """Someone new: a name that is free, at once in the meeting."""
        names = {a.name for a in look_up.athletes(self.store)}
        n = 1
        while (name := f"New athlete {n}") in names:
            n += 1
        made = AddAthlete(name)
        try:
            self.history.run(made)
        except ClubError as err:
            self.say(str(err))
            return
        assert made.athlete_id is not None
        self.hold(made.athlete_id)
        self.show_part(0)
        self.facts.meeting.fields["name"].setFocus()
        self.facts.meeting.fields["name"].selectAll()

    def ask_people(self) -> None:
        """Choose a CSV file of athletes."""
        path, _ = QFileDialog.getOpenFileName(self, "Athletes from a file", "", "CSV (*.csv)")
        if path:
            self.take_people(Path(path))

    def take_people(self, path: Path) -> None:
        """Say row by row what is wrong; offer the good rows, all together."""
        try:
            reading = read_people(path, names_in(self.store), self.today())
        except (CsvError, ClubError) as err:
            self.say(str(err))
            return
        if not reading.good:
            self.say(says_of(reading, 1).replace("\n", "; "))
            return
        if reading.bad:
            asked = QMessageBox.question(
                self, "Athletes from a file",
                f"{says_of(reading)}\n\nTake the {len(reading.good)} good rows in?",
            )  # fmt: skip
            if asked != QMessageBox.StandardButton.Yes:
                self.say("nothing was taken in")
                return
        try:
            self.history.run(TakePeople(reading.good))
        except ClubError as err:
            self.say(str(err))
            return
        self._fill(self.place)
        self.say(f"{len(reading.good)} athletes taken in (Ctrl+Z takes them out)")

    def _look_again(self, _athlete_id: int) -> None:
        """Something about the athlete in hand has changed elsewhere."""
        if self.athlete is not None:
            self.athlete = look_up.athlete(self.store, self.athlete.id)
            self._name_in_hand()
            self._stale |= {"Ladder", "Athlete"} - {self.place}

    def _to_session(self, day: object) -> None:
        self.session.hold(self.athlete, day if isinstance(day, date) else None)
        self.stack.setCurrentIndex(PLACES.index("Session"))
        self.go("Session")

    def pick_athlete(self) -> None:
        """Open the list of athletes."""
        corner = self.athlete_button.mapToGlobal(self.athlete_button.rect().bottomLeft())
        self.picker.move(corner)
        self.picker.ask(look_up.athletes(self.store), self.athlete.id if self.athlete else None)

    def hold(self, athlete_id: int) -> None:
        """Take an athlete in hand, in all places."""
        self.session.save()
        if self.athlete is not None and self.athlete.id != athlete_id:
            self.say("")  # what was said was about somebody else
        found = [a for a in look_up.athletes(self.store) if a.id == athlete_id]
        self.athlete = found[0] if found else None
        if self.athlete is not None:
            self.settings.setValue("athlete", athlete_id)
        self._name_in_hand()
        self._stale = {"Film", "Athlete", "Ladder"}
        self._fill(self.place)
        self.session.hold(self.athlete)
        self._count_open()

    def _name_in_hand(self) -> None:
        a = self.athlete
        if a is None:
            self.athlete_button.setText("Choose an athlete\n/ and two letters")
            return
        rung = a.rung.partition(":")[0]
        second = " · ".join(x for x in (rung, a.caution) if x)
        if len(second) > MOST_CHARS:  # the caution is to be read whole; the tip names the ladder
            second = f"{rung.rpartition(', ')[2]} · {a.caution}"
        first = ", ".join(x for x in (a.name, a.sport) if x)
        self.athlete_button.setText(f"{first}\n{_short(second, MOST_CHARS)}")
        self.athlete_button.setToolTip(f"{a.rung}\n{a.caution}\nChange athlete (/)".strip())

    def _count_open(self) -> None:
        count = 0
        if self.athlete is not None:
            made = look_up.prescriptions_of(self.store, self.athlete.id)
            count = sum(1 for p in made if not p.outcome)
        drills = "drill" if count == 1 else "drills"
        self.open_drills.setText(f"{count} {drills} open" if count else "")

    def undo(self) -> None:
        """Take back the last change."""
        self._history(self.film.presenter.undo, "undone")

    def redo(self) -> None:
        """Do the last undone change again."""
        self._history(self.film.presenter.redo, "done again")

    def _history(self, act: Callable[[], str], word: str) -> None:
        self.session.save()
        try:
            name = act()
        except ClubError as err:
            self.say(str(err))
            return
        self._after_history()
        self.film.follow_history()
        self.say(f"{word}: {name}" if name else "nothing to undo")

    def _after_history(self) -> None:
        """Show what an undo or redo has changed, in every place."""
        self._show_club()
        in_hand = look_up.athlete(self.store, self.athlete.id) if self.athlete else None
        if in_hand is None:
            self.show_anybody()
            return
        self.athlete = in_hand
        self._name_in_hand()
        self.session.hold(in_hand, self.session.day)
        self._stale |= {"Ladder", "Athlete"}
        self._fill(self.place)

    def show_anybody(self) -> None:
        """Whoever was in hand is gone: take the first of the others, if there are any."""
        everyone = look_up.athletes(self.store)
        self.hold(everyone[0].id if everyone else -1)

    def _show_club(self) -> None:
        club = look_up.club_name(self.store)
        self.setWindowTitle(f"{club} – Keen Kettle" if club else "Keen Kettle")

    def name_club(self, club: str) -> None:
        """Give the club its name."""
        try:
            self.history.run(NameClub(club))
        except ClubError as err:
            self.say(str(err))
            return
        self._show_club()
        self.session.hold(self.athlete, self.session.day)

    def ask_club(self) -> None:
        """Ask for the club's name."""
        now = look_up.club_name(self.store)
        club, ok = QInputDialog.getText(self, "Club", "Name on the session card", text=now)
        if ok:
            self.name_club(club.strip())

    def find_command(self) -> None:
        """Open the list of everything that can be done."""
        table = [(f"{a.name}    {a.key}", a.run) for a in self.actions_table]
        PickList(self, "Everything you can do", table).open()

    def show_shelf(self) -> None:
        """Chosen stills and clips, large."""
        if self.group is None:
            self.group = GroupShow(self.store, self.history, self.jobs)
            self.group.said.connect(self.say)
        if not self.group.open():
            self.say("the shelf is empty: S puts the frame in view of a film on it")

    def change_theme(self) -> None:
        """Chalk for the desk, Rubber for the gym."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        other = theme.CHALK if theme.current() is theme.RUBBER else theme.RUBBER
        theme.apply_theme(app, other)
        self.settings.setValue("theme", other.name)
        self.film.presenter.changed("answers")
        self._stale |= {"Ladder", "Athlete"}
        self._fill(self.place)
        self.update()

    def print_card(self) -> None:
        """Print the session's card."""
        self.go("Session")
        self.session.ask_pdf()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and (data := event.mimeData()) is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is not None and (data := event.mimeData()) is not None:
            self.films.open([Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()])
            event.acceptProposedAction()

    # --- coming and going -------------------------------------------------------------------

    def _restore(self) -> None:
        kept = self.settings.value("geometry")
        if kept is not None:
            self.restoreGeometry(kept)
        self._show_club()
        everyone = look_up.athletes(self.store)
        wanted = int(self.settings.value("athlete", 0) or 0)
        ids = [a.id for a in everyone]
        kept_place = str(self.settings.value("place", "Today"))
        place = kept_place if kept_place in PLACES else "Today"
        self.stack.setCurrentIndex(PLACES.index(place))  # only this one is filled now
        self.hold(wanted if wanted in ids else (ids[0] if ids else -1))
        self.go(place)
        if not everyone:
            self.day.new.setFocus()
            self._tabbed = True  # Return begins, as with any other button come to by keys
        here = self.film.presenter.state.clip
        self.film.queue.fill(here.id if here else None)
        self.judging.look()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.save()
        self.settings.setValue("geometry", self.saveGeometry())
        handle = self.windowHandle()
        if handle is not None:
            handle.removeEventFilter(self)
        self.film.close_clip()
        if self.group is not None:
            self.group.close()
        self.jobs.stop()
        self.store.close()
        super().closeEvent(event)


def _modified(key: str) -> bool:
    return key.startswith(("Ctrl+", "Alt+"))


def _short(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
