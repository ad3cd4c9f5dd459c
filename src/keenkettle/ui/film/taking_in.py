"""Files become clips: looked at in the background, good ones taken in, bad ones named."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from keenkettle.club.people import facts_of
from keenkettle.club.store import ClubError
from keenkettle.coach.apart import AnalysisError
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.jobs import Job, JobRunner, Tell


class TakingIn(QObject):
    """``many`` when several were taken in and wait; ``problem`` when nothing could be."""

    told = pyqtSignal(str)
    problem = pyqtSignal(str)
    many = pyqtSignal()

    def __init__(self, presenter: FilmPresenter, jobs: JobRunner) -> None:
        super().__init__()
        self.presenter, self.jobs = presenter, jobs

    def take(self, paths: list[Path]) -> None:
        """Look at dropped or chosen files, then take in those that can be read."""
        if self.presenter.state.athlete is None:
            self.problem.emit("choose an athlete first (key /), then drop the film again")
            return

        def look(tell: Tell) -> list[tuple[Path, str, str]]:
            out = []
            for i, path in enumerate(paths):
                tell(f"looking at {path.name}", i / len(paths))
                try:
                    out.append((path, self.jobs.reviewers.look(path, tell), ""))
                except AnalysisError as err:
                    out.append((path, "", str(err)))
            return out

        job = Job(look)
        job.progressed.connect(lambda word, _share, _left: self.told.emit(word))
        job.done.connect(self._looked)
        self.jobs.start(job)

    def _looked(self, looked: list[tuple[Path, str, str]]) -> None:
        good = [(path, sha) for path, sha, _ in looked if sha]
        bad = [text for _, _, text in looked if text]
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
            words = f"{len(cards)} films taken in; they are analysed in the background"
            self.told.emit("; ".join(x for x in (words, *bad, self._consent()) if x))
        elif bad:
            self.problem.emit("; ".join(bad))

    def _consent(self) -> str:
        """A reminder where nobody has noted that the athlete may be filmed."""
        athlete = self.presenter.state.athlete
        if athlete is None or facts_of(athlete).consent:
            return ""
        return (
            f"no consent to film is noted for {athlete.name}: ask first, "
            "for a minor a guardian, and note it under Athlete"
        )
