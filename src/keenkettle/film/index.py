"""When each picture of a file is shown, read from its packets without decoding them."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

LOOK_AT = 16  # pictures decoded to see whether the packets' times are those of decoding


class ClipError(ValueError):
    """A file cannot be used as a clip; the message names the file and what to do."""


@dataclass(frozen=True)
class Index:
    """The pictures of a stream, times in its ticks.

    Attributes:
        pts: shape (N,), presentation times in order.
        keys: shape (K,), numbers of the frames that decode by themselves.
        begin: where to seek for the first picture; some containers seek by decoding time.
        counted: the packets' times are not those of the pictures they release; these leave the
            decoder in the right order under wrong times.
    """

    pts: NDArray[np.int64]
    keys: NDArray[np.int64]
    begin: int
    counted: bool


def unreadable(path: Path) -> str:
    """What is said of a file that nothing reads."""
    return (
        f"{path.name} cannot be read as video; it may be damaged or of another kind, "
        "so copy it from the phone again or choose another file"
    )


def open_film(path: Path) -> Any:
    """Open a container that has pictures.

    Raises:
        ClipError: missing, a folder, empty, not a video, or sound only.
    """
    if not path.exists():
        raise ClipError(f"{path.name} is not there any more; find the file and open it again")
    if path.is_dir():
        raise ClipError(f"{path.name} is a folder; choose a video file in it")
    if path.stat().st_size == 0:
        raise ClipError(f"{path.name} is empty (0 bytes); copy it from the phone again")
    try:
        box = av.open(str(path))
    except (av.error.FFmpegError, OSError, ValueError) as err:
        raise ClipError(unreadable(path)) from err
    if not box.streams.video:
        box.close()
        raise ClipError(f"{path.name} has sound but no pictures; choose the film of the lift")
    return box


def read_index(box: Any, stream: Any) -> Index:
    """Go through the packets once.

    Raises:
        av.error.FFmpegError: the file cannot be gone back to its beginning.
    """
    pts: list[int] = []
    keys: list[int] = []
    begin, reordered = 0, False
    try:
        for packet in box.demux(stream):
            if packet.size == 0 or packet.is_discard:
                continue
            if packet.pts is None:
                return _by_decoding(box, stream)
            pts.append(packet.pts)
            dts = packet.pts if packet.dts is None else packet.dts
            begin, reordered = min(begin, dts, packet.pts), reordered or dts != packet.pts
            if packet.is_keyframe:
                keys.append(packet.pts)
    except av.error.FFmpegError:
        pass  # a truncated file: what was read so far can be used
    ordered = np.unique(np.array(pts, dtype=np.int64))
    numbers = np.searchsorted(ordered, np.array(sorted(keys), dtype=np.int64))
    # Times of decoding under pictures that wait for later ones, or two pictures in one packet.
    doubtful = not reordered or stream.codec_context.name == "mpeg4"
    counted = doubtful and stream.codec_context.has_b_frames and _out_of_order(box, stream)
    return Index(ordered, numbers if len(numbers) else np.zeros(1, np.int64), begin, bool(counted))


def _out_of_order(box: Any, stream: Any) -> bool:
    """Whether pictures come out of the decoder under times that go back."""
    last: int | None = None
    try:
        box.seek(0, stream=stream, backward=True)
        for n, frame in enumerate(box.decode(stream)):
            if frame.pts is not None:
                if last is not None and frame.pts < last:
                    return True
                last = frame.pts
            if n >= LOOK_AT:
                break
    except av.error.FFmpegError:
        pass
    return False


def _by_decoding(box: Any, stream: Any) -> Index:
    """For containers whose packets carry no presentation times."""
    box.seek(0, stream=stream, backward=True)
    pts: list[int] = []
    keys: list[int] = []
    try:
        for frame in box.decode(stream):
            if frame.pts is not None and (not pts or frame.pts > pts[-1]):
                pts.append(frame.pts)
                if frame.key_frame:
                    keys.append(len(pts) - 1)
    except av.error.FFmpegError:
        pass
    return Index(np.array(pts, np.int64), np.array(keys or [0], np.int64), 0, False)


class Counted:
    """Gives pictures, in the order they leave the decoder, the packets' times in order."""

    def __init__(self) -> None:
        self._waiting: list[int] = []

    def decode(self, packet: Any) -> Iterator[Any]:
        """The pictures that a packet releases, under their true times.

        Raises:
            av.error.FFmpegError: the packet is damaged; its time is given to no picture.
        """
        mine = None if packet.is_discard else packet.pts
        if mine is not None:
            heapq.heappush(self._waiting, mine)
        try:
            frames = packet.decode()
        except av.error.FFmpegError:
            if mine in self._waiting:
                self._waiting.remove(mine)
                heapq.heapify(self._waiting)
            raise
        for frame in frames:
            if self._waiting:
                frame.pts = heapq.heappop(self._waiting)
            yield frame
