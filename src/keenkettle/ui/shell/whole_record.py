"""One athlete's whole record: handed out, taken in, or erased; each is asked for by name."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from keenkettle.club.csv_people import names_in
from keenkettle.club.erase import Belongings, belongings, erase
from keenkettle.club.record import RecordError, TakeRecord, read_record, write_record
from keenkettle.club.store import ClubError
from keenkettle.ui.jobs import Job, Tell

if TYPE_CHECKING:
    from keenkettle.ui.shell.window import MainWindow

RECORDS = "Records (*.zip)"


class WholeRecord(QObject):
    """What can be done with the record of the athlete in hand."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.window = window

    def ask_out(self) -> None:
        """Ask where the record goes; the question names whose it is and what is in it."""
        athlete = self.window.athlete
        if athlete is None:
            self.window.say("nobody is in hand; press / and choose an athlete")
            return
        title = f"All records and films of {athlete.name}: where to"
        path, _ = QFileDialog.getSaveFileName(
            self.window, title, f"{athlete.name}, whole record.zip", RECORDS
        )
        if path:
            self.write(Path(path))

    def write(self, out: Path) -> None:
        """Write the record in the background."""
        athlete, store = self.window.athlete, self.window.store
        if athlete is None:
            return
        self.window.session.save()

        def told(missing: list[str]) -> None:
            lacks = f"; without {', '.join(missing)}, not where it was" if missing else ""
            self.window.say(f"written: {out.name}{lacks}; it can be read by whoever has it")

        self._start(lambda tell: write_record(store, athlete.id, out, tell), told)

    def ask_in(self) -> None:
        """Choose a record to take in."""
        path, _ = QFileDialog.getOpenFileName(self.window, "An athlete's record", "", RECORDS)
        if path:
            self.take(Path(path))

    def take(self, path: Path) -> None:
        """Check a record, fetch its films in the background, then take all of it in."""
        window = self.window
        try:
            record = read_record(path, names_in(window.store))
        except (RecordError, ClubError) as err:
            window.say(str(err))
            return
        command = TakeRecord(record, window.store.clips_folder)

        def fetched(_none: object) -> None:
            try:
                window.history.run(command)
            except (RecordError, ClubError) as err:
                command.remove_films()
                window.say(str(err))
                return
            assert command.athlete_id is not None
            window.hold(command.athlete_id)
            window.say(f"{record.athlete['name']} is taken in (Ctrl+Z takes it out)")

        self._start(command.fetch_films, fetched)

    def ask_erase(self) -> None:
        """Say what would go, and erase only on a plain yes."""
        window = self.window
        if window.athlete is None:
            window.say("nobody is in hand; press / and choose an athlete")
            return
        window.session.save()
        try:
            what = belongings(window.store, window.athlete.id)
        except ClubError as err:
            window.say(str(err))
            return
        box = QMessageBox(window)
        box.setWindowTitle(f"Erase {what.name}")
        box.setText(f"Erase {what.name} for good?")
        box.setInformativeText(says_of(what))
        yes = box.addButton(f"Erase {what.name}", QMessageBox.ButtonRole.DestructiveRole)
        keep = box.addButton("Keep", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(keep)
        box.setEscapeButton(keep)
        box.exec()
        if box.clickedButton() is yes:
            self.erase()

    def erase(self) -> None:
        """Erase the athlete in hand in the background, and show somebody else meanwhile."""
        window = self.window
        assert window.athlete is not None
        athlete_id, store = window.athlete.id, window.store
        window.film.let_go()
        window.session.hold(None)
        window.hold(-1)

        def ended() -> None:
            window.history.forget()  # what was done before holds what is to be gone
            if window.athlete is None:
                window.show_anybody()

        def told(gone: Belongings) -> None:
            ended()
            window.say(f"{gone.name} is erased")

        def failed(text: str) -> None:
            ended()
            window.say(text)

        self._start(lambda tell: erase(store, athlete_id, tell), told, failed)

    def _start(
        self,
        work: Callable[[Tell], object],
        done: Callable[..., None],
        failed: Callable[[str], None] | None = None,
    ) -> None:
        job = Job(work)
        job.progressed.connect(lambda word, share, _left: self.window.say(f"{word}: {share:.0%}"))
        job.done.connect(done)
        job.failed.connect(failed or self.window.say)
        self.window.jobs.start(job)


def many(count: int, word: str) -> str:
    """A count with its word."""
    return f"{count} {word}{'s' * (count != 1)}"


def says_of(what: Belongings) -> str:
    """What goes and what stays, in words."""
    counted = ", ".join(many(n, word) for word, n in what.counts.items() if n) or "no sessions"
    copies = len(what.copies)
    lines = [
        f"Everything kept of {what.name} goes: {counted}, measures, answers and notes; "
        f"also from {'the daily copy' if copies == 1 else f'{copies} daily copies'}."
    ]
    if what.own:
        lines.append(f"Deleted with it: {many(len(what.own), 'film file')} in the club's folder.")
    if what.elsewhere:
        names = ", ".join(str(p) for p in what.elsewhere[:4])
        more = f" and {len(what.elsewhere) - 4} more" if len(what.elsewhere) > 4 else ""
        lines.append(f"Films elsewhere stay where they are; delete them yourself: {names}{more}.")
    if what.damaged:
        names = ", ".join(p.name for p in what.damaged)
        lines.append(f"Damaged records put aside may still name them; delete by hand: {names}.")
    lines.append("What was handed out before stays with whoever has it.")
    lines.append("This cannot be undone. To keep a copy, hand out the whole record first.")
    return "\n\n".join(lines)
