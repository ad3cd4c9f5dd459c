"""How a camera held by hand moves, by the room behind the athlete.

Edges of the room beside the athlete are found again on other pictures (``room``). A camera on a
stand is looked at more seldom and left alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

import cv2
import numpy as np
from scipy.interpolate import Akima1DInterpolator
from scipy.signal import savgol_filter

from keenkettle.film.footage import Look
from keenkettle.film.planes import Gray
from keenkettle.film.plausible import Marks
from keenkettle.film.rim import Ring
from keenkettle.film.room import Room
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack

WIDTH_PX = 480  # pictures are looked at so small
MOVING_HZ, RESTING_HZ = 30.0, 4.0  # looks a second where the camera moves, and where it rests
BLIND = 4  # times as seldom where there was nothing to hold on to
BLUR_PX = 1.0
CALM_LOOKS = 8  # over which its motion is smoothed, by a cubic
MOVED_PX = 0.3  # small pixels, all in all: less is noise, and a camera on a stand
PATIENT = 60  # looks at another scene, before its edges are taken
FAR_SHARE = 0.15  # of the width; from there on too much of what was taken is out of the picture
#: Beside the disc's middle, radii; the athlete is there. Share of the width that is left at least.
ATHLETE_R, LEAST_BESIDE = 3.2, 0.25


class SteadyWatch:
    """Looks on while frames go by, forward or backward."""

    def __init__(self, fps: float, ring: Ring | None = None) -> None:
        """For a film of so many frames a second; ``ring`` is the disc, beside which the room is."""
        self._every = max(round(fps / MOVING_HZ), 1)
        self._seldom = max(round(fps / RESTING_HZ), 1)
        self._ring = ring
        self._shifts: dict[int, FloatArray] = {}
        self._room: tuple[Room, tuple[int, ...], FloatArray] | None = None
        self._last: FloatArray = np.zeros(2)
        self._least: FloatArray = np.zeros(2)
        self._most: FloatArray = np.zeros(2)
        self._scale = 1.0
        self._lost = 0

    def watch(self, frames: Iterable[tuple[int, Gray, Gray]]) -> Iterator[tuple[int, Gray, Gray]]:
        """The same frames, looked at on the way: number, luma and tone of shape (height, width)."""
        for number, luma, tone in frames:
            # A hand is never still for long, and it sways faster than a stand is looked at.
            begun = len(self._shifts) * self._every <= self._seldom
            step = self._every if begun or self._moved() else self._seldom
            if number % (step if self._room or not self._shifts else BLIND * step) == 0:
                self._look(number, luma)
            yield number, luma, tone

    def drift(self, frames: int) -> FloatArray | None:
        """Shift of the room on each picture, shape (N, 2), pixels; None where it keeps its place.

        It is 0 at first.
        """
        if not self._moved():
            return None
        out = np.zeros((frames, 2))
        numbers = np.array(sorted(self._shifts))
        shifts = np.array([self._shifts[int(n)] for n in numbers])
        for axis in (0, 1):
            told = np.isfinite(shifts[:, axis])
            known = numbers[told]
            if len(known) < 2:
                continue
            within = np.clip(np.arange(frames), known[0], known[-1])
            out[:, axis] = Akima1DInterpolator(known, shifts[told, axis], method="makima")(within)
        calm = 2 * round(CALM_LOOKS * self._every / 2) + 1
        if calm <= frames:  # a hand sways slowly
            out = savgol_filter(out, calm, 3, axis=0, mode="nearest")
        return np.asarray((out - out[0]) / self._scale)

    def _moved(self) -> bool:
        """Whether the camera is held by hand, as far as was seen."""
        return float((self._most - self._least).max()) >= MOVED_PX

    def _look(self, number: int, luma: Gray) -> None:
        self._scale = min(1.0, WIDTH_PX / luma.shape[1])
        size = (round(luma.shape[1] * self._scale), round(luma.shape[0] * self._scale))
        reduced = cv2.resize(luma, size, interpolation=cv2.INTER_AREA)
        small = np.asarray(cv2.GaussianBlur(reduced, (0, 0), BLUR_PX), np.uint8)
        if self._room is not None and self._room[1] != small.shape:
            self._room = None  # the film goes on in another size
        if self._room is None:
            self._take(small)
            self._shifts.setdefault(number, self._last)
            return
        room, _, base = self._room
        shift = room.shift_on(small, self._last - base)
        if shift is None:
            # A moment's blur, or somebody who passes; what was taken anew then would not know how
            # far the camera had gone meanwhile.
            self._lost += 1
            if self._lost > PATIENT:
                self._room = None  # another scene
            return
        self._lost = 0
        self._shifts[number] = base + shift
        self._last = np.where(np.isfinite(shift), base + shift, self._last)
        self._least = np.minimum(self._least, self._last)
        self._most = np.maximum(self._most, self._last)
        if float(np.abs(self._last - base).max()) > FAR_SHARE * small.shape[1]:
            self._take(small)

    def _take(self, small: Gray) -> None:
        width = small.shape[1]
        beside = np.ones(width, bool)
        if self._ring is not None:
            off = np.abs(np.arange(width) - self._scale * self._ring.x)
            most = float(np.quantile(off, 1.0 - LEAST_BESIDE))
            beside = off > min(ATHLETE_R * self._scale * self._ring.r, most)
        room = Room(small, beside)
        self._room = None if room.bare else (room, small.shape, self._last)


def look_against_room(look: Look, drift_px: FloatArray) -> Look:
    """What the nets saw as a camera that does not move would show it; ``drift_px`` (N, 2)."""
    shift = drift_px[look.frames]
    outlines = [
        replace(o, matrix=o.matrix - np.column_stack([np.zeros((2, 2)), d]))
        for o, d in zip(look.outlines, shift, strict=True)
    ]
    return replace(look, xy=look.xy - shift[:, None], outlines=outlines)


def marks_against_room(marks: Marks, drift_px: FloatArray) -> Marks:
    """A coach's marks likewise."""
    return {
        name: {
            n: (x - float(drift_px[n, 0]), y - float(drift_px[n, 1])) for n, (x, y) in of.items()
        }
        for name, of in marks.items()
    }


def moved_by(tracks: dict[str, JointTrack], shift_px: FloatArray) -> dict[str, JointTrack]:
    """Tracks with every frame moved by (N, 2) pixels."""
    return {name: replace(t, xy_px=t.xy_px + shift_px) for name, t in tracks.items()}
