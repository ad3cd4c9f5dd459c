"""Clips are judged again where the lift or the body they were judged for has changed."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from keenkettle.club import look_up
from keenkettle.club.climbing import keep_said
from keenkettle.club.commands import ChangeAthlete, Command
from keenkettle.club.film_commands import SetFacts
from keenkettle.club.stale import stale_clips
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tracks import TracksError, unpack
from keenkettle.coach.apart import AnalysisError
from keenkettle.ui.jobs import Job, JobRunner, Tell


class JudgingAgain(QObject):
    """Listens to what is changed; measures over time and gates follow in the background."""

    done = pyqtSignal()

    def __init__(self, store: Store, jobs: JobRunner) -> None:
        super().__init__()
        self.store, self.jobs = store, jobs
        self.job: Job | None = None
        self.failed: set[int] = set()  # these say why when they are opened

    def hear(self, command: Command) -> None:
        """Something was done, undone or done again."""
        if isinstance(command, ChangeAthlete | SetFacts):
            self.failed.clear()
            self.look()

    def look(self) -> None:
        """Judge what is out of date; a run that is under way looks again as it ends."""
        if self.job is not None or not self._left():
            return
        self.job = Job(self._judge_all)
        self.job.ended.connect(self._end)
        self.jobs.start(self.job)

    def _end(self) -> None:
        self.job = None
        self.done.emit()
        self.look()

    def _left(self) -> list[int]:
        return [i for i in stale_clips(self.store) if i not in self.failed]

    def _judge_all(self, tell: Tell) -> None:
        while left := self._left():
            with suppress(ClubError, TracksError, AnalysisError):
                self._judge(left[0], tell)
                continue
            self.failed.add(left[0])

    def _judge(self, clip_id: int, tell: Tell) -> None:
        request = look_up.request_for(self.store, clip_id)
        tracked, joints = unpack(look_up.tracks_of(self.store, clip_id) or b"")
        tracked = replace(tracked, info=replace(tracked.info, path=Path(request.clip)))
        review = self.jobs.reviewers.judge(request, tracked, joints, tell)
        keep_said(self.store, clip_id, review)
