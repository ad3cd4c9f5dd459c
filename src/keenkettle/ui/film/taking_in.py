"""Files become clips: looked at in the background, good ones taken in, bad ones named."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from keenkettle.club.copies import copy_in
from keenkettle.club.people import facts_of
from keenkettle.club.store import ClubError
from keenkettle.coach.apart import AnalysisError
from keenkettle.film.camera import plugged_in
from keenkettle.film.looked import Looked
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.jobs import Job, JobRunner, Tell

NAMED = 3  # bad files that are named on the stage, where nothing else is to be shown


class TakingIn(QObject):
    """``many`` when several were taken in and wait; ``problem`` when nothing could be."""

    told = pyqtSignal(str)
    problem = pyqtSignal(str)
    many = pyqtSignal()

    def __init__(self, presenter: FilmPresenter, jobs: JobRunner) -> None:
        super().__init__()
        self.presenter, self.jobs = presenter, jobs
        self.job: Job | None = None
        self.refused: list[str] = []  # of the last files that came: what was wrong with each

    def take(self, paths: list[Path]) -> None:
        """Look at dropped or chosen files, then take in those that can be read."""
        if self.presenter.state.athlete is None:
            self.problem.emit("choose an athlete first (key /), then drop the film again")
            return

        folder = self.presenter.store.clips_folder

        def look(tell: Tell) -> list[Looked | str]:
            out: list[Looked | str] = []
            for i, path in enumerate(paths):
                count = f" {i + 1} of {len(paths)}:" if len(paths) > 1 else ""
                tell(f"looking at{count} {path.name} (Esc stops)", i / len(paths))
                try:
                    looked = self.jobs.reviewers.look(path, tell)
                    if any(path.is_relative_to(root) for root in plugged_in()):
                        # It will be pulled out again, and the film with it.
                        copy = copy_in(folder, path, looked.sha256, tell)
                        looked = replace(looked, path=copy)
                    out.append(looked)
                except (AnalysisError, ClubError, OSError) as err:
                    out.append(str(err))
            return out

        self.cancel()
        job = self.job = Job(look)
        job.progressed.connect(lambda word, _share, _left: self.told.emit(word))
        job.done.connect(self._looked)
        job.failed.connect(self.problem)
        job.cancelled.connect(lambda: self.told.emit("stopped; no film was taken in"))
        job.ended.connect(lambda: self._ended(job))
        self.jobs.start(job)

    def cancel(self) -> bool:
        """Stop looking at files; whether any were being looked at."""
        running, self.job = self.job, None
        if running is not None:
            running.cancel()
        return running is not None

    def _ended(self, job: Job) -> None:
        if self.job is job:
            self.job = None

    def _looked(self, looked: list[Looked | str]) -> None:
        good = [x for x in looked if isinstance(x, Looked)]
        bad = self.refused = [x for x in looked if isinstance(x, str)]
        try:
            cards = self.presenter.add_clips(good) if good else []
        except (ClubError, OSError) as err:
            self.problem.emit(str(err))
            return
        if len(looked) == 1 and cards:
            self.presenter.open(cards[0])
            self.told.emit(self._consent())
        elif cards:
            self.presenter.changed("clips")
            self.many.emit()
            words = f"{len(cards)} films taken in, analysed in the background"
            self.told.emit("; ".join(x for x in (words, _few(bad), self._consent()) if x))
        elif bad:
            more = f"; {len(bad) - NAMED} more: see Ctrl+Shift+O" if len(bad) > NAMED else ""
            self.problem.emit("; ".join(bad[:NAMED]) + more)

    def _consent(self) -> str:
        """A reminder where nobody has noted that the athlete may be filmed."""
        athlete = self.presenter.state.athlete
        if athlete is None or facts_of(athlete).consent:
            return ""
        return (
            f"no consent to film is noted for {athlete.name}: ask, for a minor a guardian, "
            "and note it"
        )


def _few(bad: list[str]) -> str:
    """What was wrong with one file; of several only how many, as the foot has one line."""
    if len(bad) < 2:
        return "".join(bad)
    return f"{len(bad)} were not (Ctrl+Shift+O says why)"
