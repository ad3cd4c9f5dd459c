"""A clip decoded in a process of its own: a codec that falls over takes no window with it.

Pictures come over in memory that both share.
"""

from __future__ import annotations

import mmap
import os
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenkettle.child import Child, ChildDiedError, own_fd, own_pipe, quiet
from keenkettle.film.clip import KEPT_BEFORE, Clip, ClipError, ClipInfo
from keenkettle.film.ends import Ends

MODULE = "keenkettle.film.apart"
LOOK_S = 0.005  # how often a long answer is looked at for whether it is still wanted
MOST_WAIT_S = 30.0  # a decoder that is silent for so long hangs
MOST_FALLS = 3  # so often a clip may bring the decoder down before it is given up


class ClipApart:
    """Like ``Clip`` for showing frames; the helper is kept from clip to clip."""

    def __init__(self, path: Path, helper: Helper, ends: Path | None = None) -> None:
        """Open a clip in the helper.

        Args:
            path: the file.
            helper: the process.
            ends: folder for the last frames before key frames, or None to keep none.

        Raises:
            ClipError: as for ``Clip``, or its decoder fell over.
        """
        self.path, self._helper = Path(path), helper
        self._ends = Ends(ends, self.path) if ends is not None else None
        self._falls = 0
        self.info: ClipInfo
        self.key_frames: NDArray[np.int64]
        self._open()

    def _open(self) -> None:
        self.info, self.key_frames = self._helper.ask(
            self.path, "open", str(self.path), self._ends and str(self._ends.folder)
        )
        self._helper.map(self.info.width * self.info.height * 3)
        self._opened = self._helper.started

    def _ask(self, what: str, *rest: Any, go_on: Callable[[], bool] | None = None) -> Any:
        """Ask about the clip; where the helper fell over since, it is opened there again."""
        if self._opened != self._helper.started or not self._helper.alive:
            self._falls += 1
            if self._falls > MOST_FALLS:
                raise ClipError(broken(self.path))
            self._open()
        return self._helper.ask(self.path, what, *rest, go_on=go_on)

    def rgb(self, number: int) -> NDArray[np.uint8]:
        """Picture of a frame, shape (height, width, 3); valid until the next is asked for.

        Raises:
            ClipError: there is no such frame, it is damaged, or the decoder fell over.
        """
        self._ask("rgb", number)
        return self._helper.picture(self.info.height, self.info.width)

    def fill_behind(self, number: int, wanted: Callable[[], int | None]) -> None:
        """Decode the frames just before one, for stepping back, where they are not at hand.

        Args:
            number: the frame.
            wanted: the frame that is wished for; another one than these stops it.
        """

        def go_on() -> bool:
            n = wanted()
            if n is None or not number - KEPT_BEFORE <= n <= number:
                return False
            return self._ends is None or n not in self._ends

        self._ask("behind", number, go_on=go_on)

    def hold_tail(
        self, key: int, most: int, go_on: Callable[[], bool]
    ) -> tuple[bool, dict[int, bytes]]:
        """Hold the last frames before a key frame, and make small pictures (JPEG) on the way.

        Returns:
            False where it was stopped before the end; the pictures by frame.
        """
        held, small = self._ask("tail", key, most, go_on=go_on)
        return bool(held), small

    def close(self) -> None:
        """Let go of the file."""
        if self._helper.alive and self._opened == self._helper.started:
            self._helper.ask(self.path, "close")


def broken(path: Path) -> str:
    """The sentence for a file on which the decoder fell over."""
    return (
        f"{path.name}: its decoder broke down, so the file is probably damaged; "
        "copy it from the phone again, or choose another"
    )


class Helper:
    """The process; started anew where it fell over or hung. One thread at a time."""

    def __init__(self) -> None:
        self._memory = os.memfd_create("kettle-frames")
        self._child: Child | None = Child(MODULE, self._memory)
        self._map: mmap.mmap | None = None
        self.started = 1  # how often it was started

    @property
    def alive(self) -> bool:
        """Whether it runs."""
        return self._child is not None and self._child.alive

    def ask(
        self, path: Path, what: str, *rest: Any, go_on: Callable[[], bool] | None = None
    ) -> Any:
        """Ask and wait for the answer; ``go_on`` is looked at meanwhile, and False stops it.

        Raises:
            ClipError: what the helper says, or that it fell over or hung.
        """
        if self._child is None:
            self._child = Child(MODULE, self._memory)
            self.started += 1
        try:
            self._child.send(what, *rest)
            answer = self._wait(self._child, go_on)
        except ChildDiedError as err:
            self._child.kill()
            self._child = None
            raise ClipError(broken(path)) from err
        if answer[0] == "failed":
            raise ClipError(answer[1])
        return answer[1]

    def _wait(self, child: Child, go_on: Callable[[], bool] | None) -> tuple[Any, ...]:
        told, waited_s = False, 0.0
        step_s = MOST_WAIT_S if go_on is None else LOOK_S
        while waited_s < MOST_WAIT_S:
            answer = child.answer(step_s)
            if answer is not None:
                return answer
            waited_s += step_s
            if go_on is not None and not told and not go_on():
                child.send("stop")
                told = True
        raise ChildDiedError("no answer")

    def map(self, size: int) -> None:
        """See the memory that pictures come in."""
        self._map = mmap.mmap(self._memory, size)

    def picture(self, height: int, width: int) -> NDArray[np.uint8]:
        """The picture that came last."""
        assert self._map is not None
        return np.frombuffer(self._map, np.uint8, height * width * 3).reshape(height, width, 3)

    def end(self) -> None:
        """End the process."""
        if self._child is not None:
            self._child.kill()
            self._child = None
        self._map = None
        os.close(self._memory)


# --- in the helper -----------------------------------------------------------------


class _Server:
    """Answers questions about one clip at a time."""

    def __init__(self, pipe: Connection, memory: int) -> None:
        self.pipe, self.memory = pipe, memory
        self.clip: Clip | None = None
        self.beside: Clip | None = None
        self.map: mmap.mmap | None = None

    def serve(self) -> None:
        """Until the pipe closes."""
        while True:
            try:
                what, *rest = self.pipe.recv()
            except EOFError:
                return
            if what == "stop":
                continue  # it came too late
            try:
                answer = getattr(self, f"_{what}")(*rest)
            except ClipError as err:
                self.pipe.send(("failed", str(err)))
            else:
                self.pipe.send(("done", answer))

    def _open(self, path: str, ends: str | None) -> tuple[ClipInfo, NDArray[np.int64]]:
        self._close()
        kept = Ends(Path(ends), Path(path)) if ends is not None else None
        self.clip = Clip(Path(path), kept)
        if kept is not None:
            kept.make_room()
        size = self.clip.info.width * self.clip.info.height * 3
        os.ftruncate(self.memory, max(size, os.fstat(self.memory).st_size))
        self.map = mmap.mmap(self.memory, size)
        return self.clip.info, self.clip.key_frames

    def _rgb(self, number: int) -> None:
        if self.clip is None or self.map is None:
            raise ClipError("no clip is open in the decoder")
        picture = self.clip.rgb(number)
        shown = np.frombuffer(self.map, np.uint8).reshape(picture.shape)
        np.copyto(shown, picture)

    def _behind(self, number: int) -> None:
        assert self.clip is not None
        if number > 0 and not self.clip.cached(number - 1):
            self.clip.fill_behind(number, lambda: not self.pipe.poll())

    def _tail(self, key: int, most: int) -> tuple[bool, dict[int, bytes]]:
        assert self.clip is not None
        self.beside = self.beside or Clip(self.clip.path, self.clip.ends)
        small: dict[int, bytes] = {}
        frames = self.beside.tail(key, max(most, 1), lambda: not self.pipe.poll(), small)
        if most:
            self.clip.adopt(frames)
        return bool(frames), small

    def _close(self) -> None:
        for clip in (self.clip, self.beside):
            if clip is not None:
                clip.close()
        self.clip = self.beside = self.map = None


if __name__ == "__main__":
    quiet()
    _Server(own_pipe(), own_fd(0)).serve()
