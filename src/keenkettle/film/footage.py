"""What is known of a film whose joints are looked for, and what the nets saw on it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from keenkettle.film.far_disc import FarDisc
from keenkettle.film.outline import Outline
from keenkettle.film.plausible import Marks
from keenkettle.film.pose_net import Crop
from keenkettle.measure.calibration import JOINT_DEPTH_MM, PLATE_MM, USUAL_CAMERA_M
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JointTrack

BODY_DEPTH_M = 0.575  # the near side's joints behind the disc's face


@dataclass(frozen=True)
class Look:
    """What the nets saw on frames (K,): ``xy`` (K, 33, 2), ``seen`` (K, 33), and outlines.

    ``crowd``: somebody else of like size is there. ``mistaken``: the part of the
    body that was followed for the disc, empty where it was the disc.
    ``crops``: where the nets would look on the frame after each.
    """

    frames: NDArray[np.int64]
    xy: FloatArray
    seen: FloatArray
    outlines: list[Outline]
    crowd: bool = False
    mistaken: str = ""
    crops: list[Crop] = field(default_factory=list)

    def and_later(self, other: Look) -> Look:
        """With the looks at other frames; all in their order."""
        frames = np.concatenate([self.frames, other.frames])
        if not len(other.frames):
            return self
        order = np.argsort(frames)
        outlines, crops = self.outlines + other.outlines, self.crops + other.crops
        return Look(
            frames[order],
            np.concatenate([self.xy, other.xy])[order],
            np.concatenate([self.seen, other.seen])[order],
            [outlines[i] for i in order],
            self.crowd or other.crowd,
            self.mistaken,
            [crops[i] for i in order],
        )

    def within(self, lo: int, hi: int) -> Look:
        """Of the frames from ``lo`` to ``hi``."""
        return self.of((self.frames >= lo) & (self.frames <= hi))

    def of(self, some: NDArray[np.bool_]) -> Look:
        """Some of the looks (K,)."""
        here = np.flatnonzero(some)
        return Look(
            self.frames[here],
            self.xy[here],
            self.seen[here],
            [self.outlines[i] for i in here],
            self.crowd,
            self.mistaken,
            [self.crops[i] for i in here] if self.crops else [],
        )


@dataclass(frozen=True)
class Footage:
    """What is known of a film beside the joints.

    Attributes:
        times_s: of all frames, shape (N,).
        fps: frames a second.
        bar_xy: bar end, shape (N, 2), pixels.
        centre_px: middle of the picture.
        mm: pixels per millimetre in the disc's plane.
        side: the way the athlete faces, "left" or "right".
        stature_mm: the athlete's, where known.
        disc_mm: diameter of the disc or bell.
        far: the disc on the bar's far end, where it shows.
        marks: a coach's marks.
        flow: joints carried between them.
        split: whether the feet are split, and step together again later.
        passed: frames (N,) on which somebody walks past before the athlete, where known.
    """

    times_s: FloatArray
    fps: float
    bar_xy: FloatArray
    centre_px: FloatArray
    mm: float
    side: str
    stature_mm: float | None = None
    disc_mm: float = PLATE_MM
    far: FarDisc | None = None
    marks: Marks = field(default_factory=dict)
    flow: dict[str, JointTrack] = field(default_factory=dict)
    split: bool = False
    passed: NDArray[np.bool_] | None = None

    @property
    def radius_px(self) -> float:
        """Of the disc, which hides what is behind it."""
        return self.disc_mm / 2.0 * self.mm

    @property
    def camera_m(self) -> float:
        """From the camera to the disc's plane; a usual distance where it is not known."""
        return USUAL_CAMERA_M if self.far is None else self.far.camera_m(1.0 / self.mm)[0]

    @property
    def depth_share(self) -> float:
        """How large the body looks, behind the disc's plane as it stands."""
        return self.camera_m / (self.camera_m + BODY_DEPTH_M)

    def held_at(self, bar_xy: FloatArray) -> FloatArray:
        """Where the near hand holds a bar whose end is seen at (N, 2): further away than that end.

        What lies behind shrinks toward the picture's middle; a camera that is turned shifts it.
        A bell is held where it is.
        """
        if self.disc_mm != PLATE_MM:
            return bar_xy
        depth_m = JOINT_DEPTH_MM["wrist"] / 1000.0
        shrinks = depth_m / (self.camera_m + depth_m)
        held = bar_xy - shrinks * (bar_xy - self.centre_px)
        if self.far is not None:
            aside, over = self.far.aside_px, self.far.over_px
            held += np.array([aside, over]) * shrinks / (1.0 - self.far.size)
        return held
