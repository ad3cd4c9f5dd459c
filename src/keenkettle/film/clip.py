"""A video file as exactly numbered frames.

Frame N is the N-th picture in presentation order, whichever way it is reached. The index
of presentation times is read from packets, without decoding. Rotation flags and pixel
shape are applied, so pixels are those a player shows.
"""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Callable, Generator, Iterator
from copy import copy
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.ahead import DEPTH, Ahead
from keenkettle.film.ends import Ends
from keenkettle.film.index import ClipError as ClipError
from keenkettle.film.index import Counted, open_film, read_index, unreadable
from keenkettle.film.planes import LUMA, Gray, luma_of, planes_of, toned_of
from keenkettle.measure.geometry import FloatArray

CACHE_BYTES = 160 * 1024 * 1024
READY_BYTES = 320 * 1024 * 1024  # of luma decoded while the disc is still looked for
Numbered = TypeVar("Numbered", bound=tuple[Any, ...])
#: Frames held at once when a film is gone through backward: more are decoded less often twice.
BACK_CHUNK, BACK_BYTES = 24, 100_000_000
PLENTY_BITS = 0.08  # a pixel; 10 Mbit/s at 1080p and 60 frames a second
SMALL_PX = 512  # longer side of the pictures that are shown while the hand scrubs
KEPT_BEFORE = 24  # frames kept before one that is gone to
VARIABLE_SHARE = 0.02  # frame spacing that varies by more than this is a variable rate


@dataclass(frozen=True)
class ClipInfo:
    """What a clip is. Width and height are those after rotation, pixels.

    ``warning`` says what is wrong with a file that can still be used, else "".
    """

    path: Path
    frames: int
    width: int
    height: int
    duration_s: float
    fps_nominal: float
    variable_rate: bool
    rotation: int
    warning: str = ""


class Clip:
    """An open clip. One thread at a time; close it, or use it in a ``with``."""

    def __init__(self, path: Path, ends: Ends | None = None) -> None:
        """Open and index a file.

        Args:
            ends: where the last frames before key frames are kept, once they were decoded.

        Raises:
            ClipError: missing, empty, not a video, without pictures, or of one picture only.
        """
        self.path, self.ends = Path(path), ends
        self._ahead: Ahead[Any] | None = None
        self._rough = False
        self._cache: OrderedDict[int, av.VideoFrame] = OrderedDict()
        self._cache_bytes = 0
        self._held: dict[int, av.VideoFrame] = {}
        self._open()
        try:
            self._index = read_index(self._box, self._stream)
            pts, keys = self._index.pts, self._index.keys
            if len(pts) < 2:
                raise ClipError(
                    f"{self.path.name} holds {len(pts)} picture{'s' * (len(pts) != 1)}; "
                    "a lift needs a clip of at least two, so choose a film of it"
                )
            self._pts, self._keys = pts, keys
            self._before_key = frozenset(int(k) - 1 for k in keys if k > 0)
            self._number = {int(p): i for i, p in enumerate(pts)}
            self.times_s: FloatArray = (pts - pts[0]) * float(self._stream.time_base or 1.0)
            self._next = 0
            self._quick_until: int | None = None
            #: What ``toned`` and ``looks`` show: luma, or a mixture with colour differences.
            self.tone = LUMA
            self._rotation, self._aspect, self._fields = 0, 1.0, False
            first = self._first_frame()
            self._fields = bool(first.interlaced_frame)
            self._rotation = int(round(-first.rotation / 90.0) * 90) % 360
            sar = self._stream.sample_aspect_ratio
            self._aspect = float(sar) if sar else 1.0
            self.info = self._describe(first)
        except ClipError:
            self._box.close()
            raise
        except (av.error.FFmpegError, IndexError, ValueError) as err:
            self._box.close()
            raise ClipError(unreadable(self.path)) from err

    def _open(self) -> None:
        self._box = open_film(self.path)
        self._stream = self._box.streams.video[0]
        self._position: Iterator[av.VideoFrame] | None = None
        if self._stream.codec_context is None:  # pictures of a kind that nothing reads
            self._box.close()
            raise ClipError(unreadable(self.path))
        self._stream.thread_type = "AUTO"

    def let_go(self, rough: bool = False) -> None:
        """Give back the memory of what was decoded so far and is not held: the decoder keeps that
        of as many pictures as ever waited at once.

        Args:
            rough: from here on without the decoder's smoothing of blocks' edges, which costs a
                fifth of the time and is not seen on small pictures.

        Raises:
            ClipError: the file is gone.
        """
        self._halt()
        self._cache.clear()
        self._cache_bytes = 0
        self._box.close()
        self._open()
        self._rough = rough
        if rough:
            self._stream.codec_context.options = {"skip_loop_filter": "all"}

    def again(self) -> Clip:
        """Another reader of the same film, in luma, which need not be gone through to be known.

        Raises:
            ClipError: the file is gone.
        """
        other = copy(self)
        other.ends, other.tone, other._ahead, other._rough = None, LUMA, None, False
        other._cache, other._cache_bytes, other._held = OrderedDict(), 0, {}
        other._next, other._quick_until = 0, None
        other._open()
        return other

    def __enter__(self) -> Clip:
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def close(self) -> None:
        """Release the file and the cache."""
        self._halt()
        self._cache.clear()
        self._held.clear()
        self._box.close()

    def _describe(self, first: av.VideoFrame) -> ClipInfo:
        steps = np.diff(self.times_s)
        typical = float(np.median(steps)) or 1e-3
        shape = self._turn(np.zeros((first.height, first.width), np.uint8)).shape
        return ClipInfo(
            path=self.path,
            frames=len(self.times_s),
            width=shape[1],
            height=shape[0],
            duration_s=float(self.times_s[-1] + typical),
            fps_nominal=round(1.0 / typical, 3),
            variable_rate=bool(np.any(np.abs(steps - typical) > VARIABLE_SHARE * typical + 0.0011)),
            rotation=self._rotation,
            warning=self._warning(),
        )

    def _warning(self) -> str:
        if self._fields:
            return (
                f"{self.path.name} is interlaced: every other line is of another moment and left "
                "out, so heights are known half as well; film progressive"
            )
        promised, there = int(self._stream.frames or 0), len(self.times_s)
        if promised - there <= max(2, promised // 50):
            return ""
        return (
            f"{self.path.name} is cut short: {there} of {promised} frames are there; "
            "copy it from the phone again for the rest"
        )

    # --- frames ---------------------------------------------------------------

    def gray(self, number: int) -> Gray:
        """Luma of frame ``number``, shape (height, width).

        Raises:
            ClipError: there is no such frame, or it is damaged.
        """
        return self._turn(luma_of(self._frame(number)))

    def toned(self, number: int) -> Gray:
        """Frame ``number`` in the clip's tone, shape (height, width).

        Raises:
            ClipError: there is no such frame, or it is damaged.
        """
        return self._turn(toned_of(self._frame(number), self.tone))

    def planes(self, number: int) -> tuple[Gray, Gray, Gray] | None:
        """Luma and both colour differences of a frame, each of shape (height, width); None where it
        has no colour planes.

        Raises:
            ClipError: there is no such frame, or it is damaged.
        """
        return self._planes_of(self._frame(number))

    def _planes_of(self, frame: av.VideoFrame) -> tuple[Gray, Gray, Gray] | None:
        found = planes_of(frame)
        if found is None:
            return None
        y, u, v = found
        return self._turn(y), self._turn(u), self._turn(v)

    def all_planes(self) -> Iterator[tuple[int, tuple[Gray, Gray, Gray] | None]]:
        """Number and planes, as ``planes`` gives them, of every frame in order; damaged frames are
        left out.
        """
        self._halt()
        for number, frame in self._decode_from(0):
            yield number, self._planes_of(frame)

    def rgb(self, number: int) -> NDArray[np.uint8]:
        """Picture of frame ``number``, shape (height, width, 3).

        Raises:
            ClipError: there is no such frame, or it is damaged.
        """
        if not self.cached(number) and self.ends is not None and number in self._before_key:
            kept = self.ends.get(number)
            if kept is not None:
                return kept
        return self._shown(self._frame(number))

    @property
    def key_frames(self) -> NDArray[np.int64]:
        """Numbers of the frames that decode by themselves, shape (K,)."""
        return self._keys

    def cached(self, number: int) -> bool:
        """Whether a frame can be shown without decoding."""
        return number in self._cache or number in self._held

    def grays(self, start: int = 0, stop: int | None = None) -> Iterator[tuple[int, Gray]]:
        """Luma of frames start to stop - 1 in order; damaged frames are left out."""
        self._halt()
        end = self.info.frames if stop is None else stop
        for number, frame in self._decode_from(start):
            if number >= end:
                return
            yield number, self._turn(luma_of(frame))

    def looks(self, start: int = 0, stop: int | None = None) -> Iterator[tuple[int, Gray, Gray]]:
        """Frames start to stop - 1 in order: number, luma, and the picture in the clip's tone.

        They are decoded ahead while the caller looks at those before.
        """
        end = self.info.frames if stop is None else stop
        yield from self._made_ahead(lambda at: self._looks(at, end), start)

    def begin_looks(self) -> Iterator[tuple[int, Gray, Gray]]:
        """The same from the first frame on, begun now: some wait until they are asked for.

        Where blocks' edges hardly show, they are not smoothed from here on.
        """
        self._halt()
        if self._plentiful():
            self.let_go(rough=True)
        end, size = self.info.frames, self.info.width * self.info.height
        depth = max(READY_BYTES // size, DEPTH)
        self._ahead = Ahead(self._looks(0, end), depth, _luma_alone)
        return self._made_ahead(lambda at: self._looks(at, end), 0, self._ahead)

    def _plentiful(self) -> bool:
        """Whether the file is H.264 with so many bits that its blocks hardly differ at their edges;
        the bar's end then is where it is with smoothing, to a few hundredths of a pixel.
        """
        bits = 8.0 * float(self._box.size)
        pixels = float(self.info.frames) * self.info.width * self.info.height
        return self._stream.codec_context.name == "h264" and bits >= PLENTY_BITS * pixels

    def _looks(self, start: int, end: int) -> Generator[tuple[int, Gray, Gray], None, None]:
        for number, frame in self._decode_from(start):
            if number >= end:
                return
            luma = self._turn(luma_of(frame))
            toned = luma if self.tone == LUMA else self._turn(toned_of(frame, self.tone))
            yield number, luma, toned

    def _made_ahead(
        self,
        make: Callable[[int], Generator[Numbered, None, None]],
        start: int,
        begun: Ahead[Numbered] | None = None,
    ) -> Iterator[Numbered]:
        """Items that begin with their frame's number, made in a thread.

        Where somebody else needs the decoder meanwhile, the thread ends, and what is left is
        made anew from there.
        """
        at = start
        while True:
            if begun is None:
                self._halt()
                begun = self._ahead = Ahead(make(at))
            own, begun = begun, None
            try:
                for item in own:
                    at = item[0] + 1
                    yield item
            finally:
                own.stop()
            if not own.stopped:
                return

    def _halt(self) -> None:
        """No thread of ours decodes any more."""
        if self._ahead is not None:
            self._ahead.stop()
            self._ahead = None

    def looks_back(self, start: int) -> Iterator[tuple[int, Gray, Gray]]:
        """The same for the frames before ``start``, from the last to the first."""
        size = self.info.width * self.info.height * (1 if self.tone == LUMA else 2)
        chunk = max(BACK_BYTES // size, BACK_CHUNK)
        for stop in range(start, 0, -chunk):
            part = [(n, g.copy(), t) for n, g, t in self.looks(max(stop - chunk, 0), stop)]
            while part:  # each is let go before the next part is decoded
                yield part.pop()

    def rgbs(self, wanted: list[int]) -> Iterator[tuple[int, NDArray[np.uint8]]]:
        """Pictures of these frames, in order; damaged frames are left out."""
        for number, frame in self._some(wanted):
            yield number, self._shown(frame)

    def hold(self, wanted: list[int]) -> None:
        """Decode these frames in one go and keep them for as long as the clip is open, to be
        looked at again and again; damaged ones are left out. Where key frames are rare each would
        else be decoded from far back each time.
        """
        self._held.update(self._some(wanted))

    def _some(self, wanted: list[int]) -> Iterator[tuple[int, av.VideoFrame]]:
        self._halt()
        left = sorted(set(wanted))
        while left:
            start, stop = left[0], left[0]
            for number, frame in self._decode_from(start):
                if number == left[0]:
                    yield number, frame
                while left and left[0] <= number:
                    left.pop(0)
                stop = number
                if not left or (
                    left[0] - number > KEPT_BEFORE and self._key_before(left[0]) > number
                ):
                    break
            else:
                return
            if stop == start and left and left[0] == start:
                left.pop(0)

    def _frame(self, number: int) -> av.VideoFrame:
        if not 0 <= number < len(self._pts):
            raise ClipError(
                f"{self.path.name} has frames 0 to {len(self._pts) - 1}; there is no {number}"
            )
        if number in self._held:
            return self._held[number]
        self._halt()
        if number in self._cache:
            self._cache.move_to_end(number)
            return self._cache[number]
        alone = self._key_alone(number)
        if alone is not None:
            self._keep(number, alone)
            return alone
        for found, frame in self._continue_or_seek(number):
            if number - found <= KEPT_BEFORE:
                self._keep(found, frame)
            if found == number:
                return frame
            if found > number:
                break
        raise ClipError(
            f"{self.path.name}: frame {number} is damaged; "
            "go on to another, or copy the clip from the phone again"
        )

    def _key_alone(self, number: int) -> av.VideoFrame | None:
        """A key frame that is not reached next: its packet alone is decoded, and no other."""
        if number != self._key_before(number) or (self._position and self._next == number):
            return None
        self._box.seek(int(self._pts[number]), stream=self._stream, backward=True)
        self._position = None
        self._stream.codec_context.skip_frame = "DEFAULT"
        packet = next(self._box.demux(self._stream), None)
        if packet is None or packet.pts != self._pts[number]:
            return None
        try:
            frames = [*packet.decode(), *self._stream.codec_context.decode(None)]
        except av.error.FFmpegError:
            return None
        return next((f for f in frames if f.pts == packet.pts), None)

    def _continue_or_seek(self, number: int) -> Iterator[tuple[int, av.VideoFrame]]:
        key = self._key_before(number)
        if self._position is None or not key <= self._next <= number:
            # Frames that no other frame needs are passed over until near the wanted one.
            # Where pictures are counted, none may be missing.
            if not self._index.counted:
                self._quick_until = int(self._pts[max(number - 1, 0)])
            try:
                yield from self._decode_from(number)
            finally:
                if self._quick_until is not None:
                    self._quick_until = None
                    self._position = None  # what was passed over is missing from here on
            return
        yield from self._numbered(self._position)

    def fill_behind(self, number: int, go_on: Callable[[], bool]) -> None:
        """Decode the frames just before one into the cache, for stepping back.

        Args:
            number: the frame.
            go_on: looked at before each frame; False stops it.
        """
        self._halt()
        first = max(number - KEPT_BEFORE, 0)
        missing = [n for n in range(first, number) if n not in self._cache]
        if missing:
            for found, frame in self._decode_from(self._key_before(missing[0])):
                if found >= first:
                    self._keep(found, frame)
                if found >= missing[-1] or not go_on():
                    break

    def tail(
        self,
        key: int,
        most: int,
        go_on: Callable[[], bool],
        small: dict[int, bytes] | None = None,
    ) -> list[tuple[int, av.VideoFrame]]:
        """The last frames before a key frame, for stepping back over it; empty where stopped.

        Args:
            key: a key frame's number, or how many frames there are.
            most: how many are kept.
            go_on: looked at before each frame.
            small: filled with small pictures (JPEG) of all frames gone through.
        """
        self._halt()
        kept: deque[tuple[int, av.VideoFrame]] = deque(maxlen=most)
        for number, frame in self._decode_from(self._key_before(key - 1)):
            if number >= key or not go_on():
                return list(kept) if number >= key else []
            kept.append((number, frame))
            if small is not None:
                small[number] = self._small(frame)
        return list(kept)

    def _small(self, frame: av.VideoFrame) -> bytes:
        k = SMALL_PX / max(frame.width, frame.height)
        made = frame.reformat(
            max(round(frame.width * k), 2), max(round(frame.height * k), 2), "bgr24"
        )
        picture = self._turn(np.asarray(made.to_ndarray(), np.uint8))
        return bytes(cv2.imencode(".jpg", picture, (cv2.IMWRITE_JPEG_QUALITY, 85))[1])

    def adopt(self, frames: list[tuple[int, av.VideoFrame]]) -> None:
        """Hold frames of this film, decoded elsewhere, for as long as it is open."""
        self._held.update(frames)

    def _key_before(self, number: int) -> int:
        return int(self._keys[max(int(np.searchsorted(self._keys, number, "right")) - 1, 0)])

    def _decode_from(self, start: int) -> Iterator[tuple[int, av.VideoFrame]]:
        """Decode from the key frame at or before ``start``; frames before it are cached only."""
        key = self._key_before(start)
        while True:
            at = self._index.begin if key <= self._keys[0] else int(self._pts[key])
            self._box.seek(at, stream=self._stream, backward=True)
            self._position = self._decoded()
            reached = False
            for number, frame in self._numbered(self._position):
                if number > start and not reached and key > 0:
                    break  # the container landed too late; go back one key frame more
                reached = reached or number >= start
                if number >= start:
                    yield number, frame
                elif start - number < KEPT_BEFORE:
                    self._keep(number, frame)
            else:
                return
            # A damaged file may have no key frame before this one: then from its beginning.
            key = self._key_before(key - 1) if key > self._keys[0] else 0

    def _decoded(self) -> Iterator[av.VideoFrame]:
        """Decoded frames from here on; damaged packets are passed over."""
        counted = Counted() if self._index.counted else None
        for packet in self._box.demux(self._stream):
            quick = self._quick_until is not None and (packet.pts or 0) < self._quick_until
            self._stream.codec_context.skip_frame = "NONREF" if quick else "DEFAULT"
            try:
                yield from counted.decode(packet) if counted else packet.decode()
            except av.error.EOFError:
                return
            except av.error.FFmpegError:
                continue

    def _numbered(self, frames: Iterator[av.VideoFrame]) -> Iterator[tuple[int, av.VideoFrame]]:
        for frame in frames:
            number = self._number.get(int(frame.pts)) if frame.pts is not None else None
            if number is not None:
                whole = not (frame.is_corrupt or self._rough)
                if self.ends is not None and number in self._before_key and whole:
                    self.ends.keep(number, partial(self._shown, frame))
                self._next = number + 1
                yield number, frame

    def _keep(self, number: int, frame: av.VideoFrame) -> None:
        size = sum(p.buffer_size for p in frame.planes)
        self._cache[number] = frame
        self._cache.move_to_end(number)
        self._cache_bytes = size * len(self._cache)
        while self._cache_bytes > CACHE_BYTES and len(self._cache) > 2:
            self._cache.popitem(last=False)
            self._cache_bytes -= size

    def _first_frame(self) -> av.VideoFrame:
        for number, frame in self._decode_from(0):
            self._keep(number, frame)
            return frame
        raise ClipError(unreadable(self.path))

    def _shown(self, frame: av.VideoFrame) -> NDArray[np.uint8]:
        return self._turn(np.asarray(frame.to_ndarray(format="rgb24"), np.uint8))

    def _turn(self, picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """A picture as a player shows it: of one moment, with square pixels, upright."""
        if self._fields:
            size = (picture.shape[1], picture.shape[0])
            picture = np.asarray(cv2.resize(picture[::2], size), dtype=np.uint8)
        if abs(self._aspect - 1.0) > 0.005:
            width = round(picture.shape[1] * self._aspect)
            picture = np.asarray(cv2.resize(picture, (width, picture.shape[0])), dtype=np.uint8)
        if self._rotation:
            picture = np.ascontiguousarray(np.rot90(picture, -self._rotation // 90))
        return picture


def _luma_alone(look: tuple[int, Gray, Gray]) -> tuple[int, Gray, Gray]:
    """A frame in luma that does not hold on to all of the decoded picture."""
    number, luma, _ = look
    luma = luma.copy()
    return number, luma, luma
