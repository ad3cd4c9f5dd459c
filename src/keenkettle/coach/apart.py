"""A review made in a process of its own, so that windows stay live and survive a codec's fall."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from keenkettle.child import Child, ChildDiedError, own_pipe, quiet
from keenkettle.coach.bar import Progress
from keenkettle.coach.review import CancelledError, Request, Review, judge_tracks, review_clip
from keenkettle.coach.reviewed import Tracked
from keenkettle.film.looked import Looked, look
from keenkettle.measure.motion import JointTrack

MODULE = "keenkettle.coach.apart"
LOOK_S = 0.05
MOST_KEPT = max(os.cpu_count() or 1, 1)


class AnalysisError(ValueError):
    """A clip could not be reviewed; the message says why and what to do."""


class Reviewers:
    """Helper processes that are kept for the next clip; several threads may use them."""

    def __init__(self) -> None:
        self._idle: list[Child] = []
        self._lock = threading.Lock()

    def review(
        self, request: Request, tell: Progress, early: Callable[[Review], None] | None = None
    ) -> Review:
        """As ``review_clip``, in a helper.

        Raises:
            AnalysisError: what went wrong, in one sentence.
            CancelledError: ``tell`` asked to stop.
        """
        made: Review = self._ask(request.clip, "review", request, tell, early)
        return made

    def judge(
        self, request: Request, tracked: Tracked, joints: dict[str, JointTrack], tell: Progress
    ) -> Review:
        """As ``judge_tracks``, in a helper.

        Raises:
            AnalysisError: what went wrong, in one sentence.
            CancelledError: ``tell`` asked to stop.
        """
        made: Review = self._ask(request.clip, "judge", (request, tracked, joints), tell)
        return made

    def look(self, path: Path, tell: Progress) -> Looked:
        """Whether a file can be read as a clip, and which it is.

        Raises:
            AnalysisError: it cannot be, and why.
            CancelledError: ``tell`` asked to stop.
        """
        made: Looked = self._ask(path, "look", path, tell)
        return made

    def _ask(
        self, path: Path, word: str, about: Any, tell: Progress,
        early: Callable[[Review], None] | None = None,
    ) -> Any:  # fmt: skip
        with self._lock:
            child = self._idle.pop() if self._idle else Child(MODULE)
        try:
            answer = self._wait(child, word, about, tell, early)
        except ChildDiedError as err:
            child.kill()
            raise AnalysisError(
                f"{path.name}: the analysis broke down, so the file is probably damaged; "
                "copy it from the phone again, or choose another"
            ) from err
        except AnalysisError:
            self._keep(child)
            raise
        except CancelledError:
            child.kill()
            raise
        self._keep(child)
        return answer

    def _wait(
        self, child: Child, asked: str, about: Any, tell: Progress,
        early: Callable[[Review], None] | None,
    ) -> Any:  # fmt: skip
        child.send(asked, about)
        stage, share = "opening", 0.0
        while True:
            tell(stage, share)  # raises where the person has asked to stop
            answer = child.answer(LOOK_S)
            if answer is None:
                continue
            word, *rest = answer
            if word == "told":
                stage, share = rest
            elif word == "early":
                if early is not None:
                    early(rest[0])
            elif word == "failed":
                raise AnalysisError(rest[0])
            else:
                return rest[0]

    def _keep(self, child: Child) -> None:
        with self._lock:
            if len(self._idle) < MOST_KEPT and child.alive:
                self._idle.append(child)
                return
        child.kill()

    def end(self) -> None:
        """End those that wait."""
        with self._lock:
            for child in self._idle:
                child.kill()
            self._idle.clear()


Early = Callable[[Review], None]
ToJudge = tuple[Request, Tracked, dict[str, JointTrack]]


def _look(path: Path, _tell: Progress, _early: Early) -> Looked:
    return look(path)


def _judge(about: ToJudge, _tell: Progress, _early: Early) -> Review:
    return judge_tracks(*about)


WORK: dict[str, Callable[[Any, Progress, Early], Any]] = {
    "review": review_clip, "look": _look, "judge": _judge,
}  # fmt: skip


def _serve(pipe: Any) -> None:
    """In the helper: do what is asked for until the pipe closes."""
    while True:
        try:
            word, about = pipe.recv()
        except EOFError:
            return
        try:
            made = WORK[word](
                about,
                lambda stage, share: pipe.send(("told", stage, share)),
                lambda review: pipe.send(("early", review)),
            )
        except (ValueError, OSError, RuntimeError) as err:
            pipe.send(("failed", str(err)))
        except MemoryError:
            pipe.send(("failed", "there is not enough memory for this; close other programs"))
        else:
            pipe.send(("done", made))


if __name__ == "__main__":
    quiet()
    _serve(own_pipe())
