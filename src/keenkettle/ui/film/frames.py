"""Frames for the stage, decoded in a process of their own; the newest wish wins."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from keenkettle.film.apart import ClipApart, Helper
from keenkettle.film.clip import ClipError

PICTURES_KEPT = 24
AHEAD = 3  # frames decoded ahead while there is nothing else to do
IDLE_S = 0.15  # no wish for so long: frames before the key frames are fetched, a decoder beside
MOST_TAIL, TAIL_BYTES = 8, 120 * 1024 * 1024  # frames before a key frame; all together
MOST_SMALL = 4000  # small pictures kept, about 20 kB each
SETTLE_S, JUMP = 0.06, 12  # a hand that jumps so many frames has come to rest after so long


class FrameServer(QObject):
    """Serves pictures of one clip. ``ready`` carries the frame number and the picture."""

    ready = pyqtSignal(int, QImage)
    thumb = pyqtSignal(int, QImage)
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._wake = threading.Condition()
        self._path: Path | None = None
        self._ends: Path | None = None
        self._wanted: int | None = None
        self._thumbs: list[int] = []
        self._closing = False
        self._filled = -1  # the frame whose neighbours behind were decoded last
        self._kept: OrderedDict[int, QImage] = OrderedDict()
        self._tails: list[int] = []  # ends of the groups of frames not gone through yet
        self._held: set[int] = set()  # those of them whose last frames are held
        self._tail = MOST_TAIL
        self._small: dict[int, bytes] = {}
        self._wished_s = 0.0
        self._served = 0  # the frame decoded last
        self._helper = Helper()
        self._thread = threading.Thread(target=self._loop, name="frames", daemon=True)
        self._thread.start()

    def open(self, path: Path | None, ends: Path | None = None) -> None:
        """Change to another clip, or to none; ``ends`` is the folder for what is kept of it."""
        with self._wake:
            self._path, self._wanted, self._thumbs = path, None, []
            self._ends = ends
            self._kept.clear()
            self._small.clear()
            self._wake.notify()

    def want(self, number: int) -> QImage | None:
        """Ask for a frame; returned at once where it is at hand, else sent by ``ready``."""
        with self._wake:
            if number != self._wanted:
                self._wished_s = time.monotonic()
            self._wanted = number
            self._wake.notify()
            return self._kept.get(number)

    def small(self, number: int) -> QImage | None:
        """A small picture of a frame, where one is at hand, until the frame itself comes."""
        data = self._small.get(number)
        made = QImage.fromData(data, "JPG") if data is not None else None
        return None if made is None or made.isNull() else made

    def want_thumbs(self, numbers: list[int]) -> None:
        """Ask for pictures of these frames, sent by ``thumb`` when there is time."""
        with self._wake:
            self._thumbs = list(dict.fromkeys(numbers))
            self._wake.notify()

    def close(self) -> None:
        """End the thread."""
        with self._wake:
            self._closing = True
            self._wake.notify()
        self._thread.join(5.0)

    # --- in the thread -----------------------------------------------------------

    def _loop(self) -> None:
        clip: ClipApart | None = None
        opened: Path | None = None
        while True:
            with self._wake:
                idle = False
                while not self._closing and self._path == opened and not self._work(clip):
                    idle = not self._wake.wait(IDLE_S if self._tails else None)
                    if idle:
                        break
                if self._closing:
                    break
                path, number, thumbs = self._path, self._wanted, list(self._thumbs)
                ends = self._ends  # the two belong together
            if path != opened:
                self._close(clip)
                clip, opened = self._open(path, ends), path
                self._plan_tails(clip)
            elif clip is not None and idle:
                self._hold_tail(clip, number)
            elif clip is not None:
                self._serve(clip, path, number, thumbs)
        self._helper.end()

    def _close(self, clip: ClipApart | None) -> None:
        if clip is not None:
            clip.close()
        self._tails = []

    def _plan_tails(self, clip: ClipApart | None) -> None:
        """Which key frames to hold the frames before of: as many as the memory allows.

        Small pictures are made of all groups of frames, also of the last.
        """
        if clip is None:
            return
        keys = [int(k) for k in clip.key_frames if k > 0]
        room = max(TAIL_BYTES // (clip.info.width * clip.info.height * 3 // 2), 1)
        self._held = set(keys[:room])
        self._tails = [*keys, clip.info.frames]
        self._tail = min(max(room // max(len(keys), 1), 1), MOST_TAIL)

    def _hold_tail(self, clip: ClipApart, number: int | None) -> None:
        """Hold the frames before the nearest key frame; stops for a wish it has no picture of."""
        key = min(self._tails, key=lambda k: abs(k - (number or 0)))

        def go_on() -> bool:
            wanted = self._wanted
            same = wanted == number or (wanted in self._small and not self._at_rest())
            return not self._closing and self._path == clip.path and same

        try:
            done, small = clip.hold_tail(key, self._tail if key in self._held else 0, go_on)
        except ClipError as err:
            self._tails = []
            self.failed.emit(str(err))
            return
        with self._wake:
            if self._path == clip.path:
                self._small |= small
        if done or go_on():
            self._tails.remove(key)
        if len(self._small) > MOST_SMALL:
            self._tails = []

    def _at_rest(self) -> bool:
        """Whether the hand has stopped for so long that the frame itself is wanted."""
        return time.monotonic() - self._wished_s >= SETTLE_S

    def _work(self, clip: ClipApart | None) -> bool:
        """Whether something waits to be decoded; called with the lock held."""
        if clip is None:
            return False
        if self._wanted is None:
            return bool(self._thumbs)
        last = clip.info.frames - 1
        near = range(self._wanted, min(self._wanted + AHEAD, last) + 1)
        behind = self._wanted > 0 and self._filled != self._wanted
        return any(n not in self._kept for n in near) or bool(self._thumbs) or behind

    def _open(self, path: Path | None, ends: Path | None) -> ClipApart | None:
        if path is None:
            return None
        try:
            return ClipApart(path, self._helper, ends)
        except ClipError as err:
            # One that was left meanwhile may have been taken away: nobody asks for it any more.
            if self._path == path:
                self.failed.emit(str(err))
            return None

    def _serve(
        self, clip: ClipApart, path: Path | None, number: int | None, thumbs: list[int]
    ) -> None:
        if number is not None and number not in self._kept:
            if abs(number - self._served) > JUMP and number in self._small and not self._at_rest():
                if self._tails:
                    self._hold_tail(clip, number)
                with self._wake:
                    self._wake.wait(SETTLE_S / 4.0)
                return
            self._served = number
            self._decode(clip, path, number, wanted=True)
        elif thumbs:
            with self._wake:
                if self._path == path and self._thumbs:
                    self._thumbs.pop(0)
            picture = self._picture(clip, thumbs[0])
            if picture is not None:
                self.thumb.emit(thumbs[0], picture)
        elif number is not None:
            if number in clip.key_frames and self._filled != number:
                # A step back from here costs most, and one is likely: it is made ready first.
                self._fill_behind(clip, number)
                return
            last = clip.info.frames - 1
            for n in range(number + 1, min(number + AHEAD, last) + 1):
                if n not in self._kept:
                    self._decode(clip, path, n, wanted=False)
                    return
            self._fill_behind(clip, number)

    def _fill_behind(self, clip: ClipApart, number: int) -> None:
        self._filled = number
        try:
            clip.fill_behind(number, lambda: self._wanted)
        except ClipError as err:
            self.failed.emit(str(err))  # the next frame that is asked for starts the decoder anew

    def _decode(self, clip: ClipApart, path: Path | None, number: int, wanted: bool) -> None:
        picture = self._picture(clip, number)
        if picture is None:
            picture = QImage()
        with self._wake:
            if self._path != path:
                return
            self._kept[number] = picture
            while len(self._kept) > PICTURES_KEPT:
                self._kept.popitem(last=False)
            still = self._wanted == number
        if wanted and still and not picture.isNull() and not self._closing:
            self.ready.emit(number, picture)

    def _picture(self, clip: ClipApart, number: int) -> QImage | None:
        try:
            rgb = clip.rgb(number)
        except ClipError as err:
            self.failed.emit(str(err))
            return None
        h, w = rgb.shape[:2]
        return QImage(rgb.data, w, h, rgb.strides[0], QImage.Format.Format_RGB888).copy()
