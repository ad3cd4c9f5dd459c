"""Long work off the window's thread: progress, cancel and errors handled in one place."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from keenkettle.coach.apart import Reviewers
from keenkettle.coach.review import CancelledError

log = logging.getLogger(__name__)
TELL_EVERY_S = 0.05
Tell = Callable[[str, float], None]
Work = Callable[[Tell], Any]


class Job(QObject):
    """One piece of long work. ``failed`` carries a sentence for the person."""

    progressed = pyqtSignal(str, float, float)  # stage, share 0-1, seconds left (< 0 unknown)
    early = pyqtSignal(object)  # a first part of the result, where the work gives one
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    cancelled = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._stop = threading.Event()
        self._began = self._told = 0.0

    def cancel(self) -> None:
        """Ask the work to stop at its next step."""
        self._stop.set()

    def forget(self) -> None:
        """Whoever waits for this job may be gone: what it has still to say goes nowhere."""
        for signal in (
            self.progressed, self.early, self.done, self.failed, self.cancelled, self.ended,
        ):  # fmt: skip
            with suppress(TypeError):  # nobody was connected
                signal.disconnect()

    def _tell(self, stage: str, share: float) -> None:
        if self._stop.is_set():
            raise CancelledError
        now = time.monotonic()
        if now - self._told < TELL_EVERY_S and share < 1.0:
            return
        self._told = now
        spent = now - self._began
        left = spent * (1.0 - share) / share if share > 0.05 else -1.0
        self.progressed.emit(stage, share, left)

    def work(self) -> None:
        """Run in the pool's thread."""
        self._began = time.monotonic()
        try:
            result = self._work(self._tell)
        except CancelledError:
            self.cancelled.emit()
        except (ValueError, OSError, RuntimeError) as err:
            # Every error the core raises on purpose is one of these and says what to do.
            log.info("a job ended with: %s", err)
            self.failed.emit(str(err))
        except MemoryError:
            self.failed.emit("there is not enough memory for this; close other programs")
        else:
            self.done.emit(result)
        self.ended.emit()


class _Runner(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self.job = job

    def run(self) -> None:
        self.job.work()


class JobRunner:
    """Runs jobs in a small pool and keeps them alive until they end."""

    def __init__(self) -> None:
        self._pool = QThreadPool()
        self._pool.setMaxThreadCount(4)
        self._jobs: set[Job] = set()
        self.reviewers = Reviewers()  # whatever reads a film does so in a process of its own

    def start(self, job: Job) -> None:
        """Start a job; connect to its signals first."""
        self._jobs.add(job)
        job.ended.connect(lambda: self._jobs.discard(job))
        self._pool.start(_Runner(job))

    @property
    def busy(self) -> bool:
        """Whether a job has not ended yet."""
        return bool(self._jobs)

    def stop(self) -> None:
        """Cancel everything and wait for it to end."""
        for job in list(self._jobs):
            job.cancel()
        self._pool.waitForDone(5000)
        for job in list(self._jobs):
            job.forget()
        self._jobs.clear()
        self.reviewers.end()
