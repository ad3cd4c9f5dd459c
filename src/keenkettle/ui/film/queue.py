"""Films analysed in the background, one a core; what was not reached is taken up next time."""

from __future__ import annotations

import os
import time
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from keenkettle.club import look_up
from keenkettle.club.films import keep_review
from keenkettle.club.store import ClubError, Store
from keenkettle.coach.review import Review
from keenkettle.ui.jobs import Job, JobRunner

AT_ONCE = max(os.cpu_count() or 1, 1)
STEPS = 20  # in which a film's progress is told


class Queue(QObject):
    """``moved`` when a film begins or ends; ``kept`` carries the id of one that is analysed."""

    moved = pyqtSignal()
    kept = pyqtSignal(int)
    told = pyqtSignal(str)

    def __init__(self, store: Store, jobs: JobRunner) -> None:
        super().__init__()
        self.store, self.jobs = store, jobs
        self.running: dict[int, Job] = {}
        self.waiting: list[tuple[int, Path]] = []
        self.failed: dict[int, str] = {}
        self.shares: dict[int, float] = {}  # how much of each is done
        self.done = 0
        self._began = 0.0

    @property
    def total(self) -> int:
        """All films since the queue was last empty."""
        return self.done + len(self.running) + len(self.waiting)

    def words(self) -> str:
        """How it stands, with the time left."""
        if not self.running and not self.waiting:
            return ""
        left = ""
        if self.done:
            each = (time.monotonic() - self._began) / self.done
            minutes = each * (len(self.running) + len(self.waiting)) / 60.0
            left = f", about {max(round(minutes), 1)} min left"
        return f"{self.done} of {self.total} films analysed{left}"

    def fill(self, leave_out: int | None = None) -> None:
        """Take in every clip that waits, but for one that is being analysed already."""
        known = {*self.running, *self.failed, leave_out, *(i for i, _ in self.waiting)}
        new = [c for c in look_up.waiting_clips(self.store) if c[0] not in known]
        if not self.running and not self.waiting:
            self.done, self._began = 0, time.monotonic()
        self.waiting += new
        self._go_on()

    def stop(self) -> None:
        """Let the rest be; it waits in the records for the next time."""
        self.waiting.clear()
        for job in list(self.running.values()):
            job.cancel()
        self.moved.emit()

    def drop(self, clip_ids: tuple[int, ...]) -> None:
        """Leave out films that were taken out of the records."""
        self.waiting = [c for c in self.waiting if c[0] not in clip_ids]
        for clip_id in clip_ids:
            if clip_id in self.running:
                self.running[clip_id].cancel()

    def _go_on(self) -> None:
        # One that was opened, and so analysed, in the meantime is not done twice.
        left = {i for i, _ in look_up.waiting_clips(self.store)} if self.waiting else set()
        self.waiting = [c for c in self.waiting if c[0] in left]
        while self.waiting and len(self.running) < AT_ONCE:
            clip_id, path = self.waiting.pop(0)
            try:
                request = look_up.request_for(self.store, clip_id)
            except ClubError:
                continue  # it was taken out meanwhile
            job = Job(lambda tell, r=request: self.jobs.reviewers.review(r, tell))
            job.progressed.connect(lambda _word, share, _left, i=clip_id: self._on(i, share))
            job.done.connect(lambda review, i=clip_id: self._keep(i, review))
            job.failed.connect(lambda text, i=clip_id, p=path: self._fail(i, p, text))
            job.ended.connect(lambda i=clip_id: self._end(i))
            self.running[clip_id] = job
            self.jobs.start(job)
        self.moved.emit()

    def _on(self, clip_id: int, share: float) -> None:
        before, self.shares[clip_id] = self.shares.get(clip_id, 0.0), share
        if int(before * STEPS) != int(share * STEPS):
            self.moved.emit()

    def state_of(self, clip_id: int) -> str:
        """What the queue knows of a film that is not analysed yet, empty where nothing."""
        if clip_id in self.running:
            return f"being analysed, {100 * self.shares.get(clip_id, 0.0):.0f} %"
        if any(i == clip_id for i, _ in self.waiting):
            return "waits to be analysed"
        return self.failed.get(clip_id, "")

    def _keep(self, clip_id: int, review: object) -> None:
        assert isinstance(review, Review)
        try:
            keep_review(self.store, clip_id, review)
        except ClubError as err:
            self.told.emit(str(err))
            return
        self.done += 1
        self.kept.emit(clip_id)

    def _fail(self, clip_id: int, path: Path, text: str) -> None:
        self.failed[clip_id] = text
        self.done += 1
        self.told.emit(text if path.name in text else f"{path.name}: {text}")

    def _end(self, clip_id: int) -> None:
        self.running.pop(clip_id, None)
        self.shares.pop(clip_id, None)
        self._go_on()
