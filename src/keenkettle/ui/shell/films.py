"""Films come in: chosen, dropped, off a card, or made here with a camera."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from keenkettle.club.catalogue import FilmLine
from keenkettle.club.copies import copy_in
from keenkettle.club.filmed import cut_off, filmed_name
from keenkettle.club.look_up import set_clip
from keenkettle.film.camera import cards
from keenkettle.ui.film.filming import FilmingDialog
from keenkettle.ui.jobs import Job, Tell
from keenkettle.ui.shell.whole_record import many

if TYPE_CHECKING:
    from keenkettle.ui.shell.window import MainWindow

SUFFIXES = {".mp4", ".mov", ".mkv", ".webm", ".avi", ".m4v"}
FILMS = "Films (*.mp4 *.mov *.mkv *.webm *.avi *.m4v);;All files (*)"
MARKS = "Marks or tracks (*.csv);;All files (*)"
NO_CARD = (
    "no card or phone with pictures is plugged in: unlock the phone and allow files there, "
    "or copy its films into a folder and open that"
)


class Films(QObject):
    """Asks for films, and hands them to the clips of the athlete in hand."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.window = window
        self.filming: FilmingDialog | None = None

    def open(self, paths: list[Path]) -> None:
        """Take films, or folders of them, into the clips of the athlete in hand."""
        self.window.go("Film")
        found = films_in(paths)
        if found:
            self.window.film.taking.take(found)
        else:
            self.window.say(f"no film is in {', '.join(p.name for p in paths)}; drop video files")

    def show_list(self) -> None:
        """All films of the club, and why files that came last were not taken in."""
        self.window.go("Today")
        self.window.day.show_films(self.window.film.taking.refused)

    def copy_in(self, lines: list[FilmLine]) -> None:
        """Copy films into the club's folder, in the background; the records point there then."""
        window, store = self.window, self.window.store

        def copy(tell: Tell) -> int:
            for line in lines:
                path = copy_in(store.clips_folder, line.path, line.sha256, tell)
                set_clip(store, line.clip_id, path=str(path))
            return len(lines)

        job = Job(copy)
        job.progressed.connect(lambda word, share, _left: window.say(f"{word}: {share:.0%}"))
        job.done.connect(lambda n: window.say(f"{many(n, 'film')} kept in the club's folder"))
        job.failed.connect(window.say)
        job.ended.connect(window.day.films.refresh)
        job.ended.connect(window.film.presenter.look_again)
        window.jobs.start(job)

    def ask_film(self) -> None:
        """Choose films."""
        self._ask("Open films", "")

    def ask_folder(self) -> None:
        """Choose a folder of films."""
        name = QFileDialog.getExistingDirectory(self.window, "A folder of films")
        if name:
            self.open([Path(name)])

    def ask_card(self) -> None:
        """Choose films on a card or phone that is plugged in."""
        found = cards()
        if found:
            self._ask("Films on the card or phone", str(found[0]))
        else:
            self.window.say(NO_CARD)

    def ask_camera(self) -> None:
        """Film the athlete in hand with a camera on this computer."""
        athlete, store = self.window.athlete, self.window.store
        if athlete is None:
            self.window.say("choose an athlete first (key /), then film")
            return
        if left := cut_off(store, athlete.id):
            self.open(left)
            self.window.say(f"{many(len(left), 'film')} of {athlete.name} cut off before: taken in")
        name = partial(filmed_name, store, athlete.id)
        self.filming = FilmingDialog(
            self.window, self.window.jobs, athlete.name, name, lambda path: self.open([path])
        )
        self.filming.open()

    def ask_moved(self) -> None:
        """Choose where the open clip's file went."""
        path, _ = QFileDialog.getOpenFileName(self.window, "Where is the film now", "", FILMS)
        if path:
            self.window.film.relink(Path(path))

    def ask_marks(self) -> None:
        """Choose a file with marks or tracks of the open clip."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Marks or tracks of this film", "", MARKS
        )
        if path:
            self.window.film.take_marks(Path(path))

    def _ask(self, title: str, where: str) -> None:
        names, _ = QFileDialog.getOpenFileNames(self.window, title, where, FILMS)
        if names:
            self.open([Path(n) for n in names])


def films_in(paths: list[Path]) -> list[Path]:
    """The files among these, and the films in the folders among these."""
    out = []
    for path in paths:
        inside = sorted(path.iterdir()) if path.is_dir() else []
        out += [p for p in inside if p.suffix.lower() in SUFFIXES] if inside else [path]
    return [p for p in out if not p.is_dir()]
