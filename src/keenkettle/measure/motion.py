"""A lift in SI-derived units: the bar and the joints over time, with uncertainty.

World: millimetres, x positive the way the athlete faces, y up; the origin is the bar's
first sample unless said otherwise. Rates are m/s, accelerations m/s2. Gaps are NaN.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from keenkettle.measure.calibration import Calibration
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.smooth import BAR_CUTOFF_HZ, JOINT_CUTOFF_HZ, half_amplitude_hz, smooth

LITTLE_MM = 1.5  # of noise: a disc, not hands that stand for it; then smoothing takes less
SURE_GROWTH = 2.0  # standard deviations of the change of a disc's size from row to row
#: Of its way from one frame to the next a smeared disc may be off by this share, where little of
#: its rim is seen; by films with long exposures.
SMEARED, POOR = 0.08, 0.75
SEEN = 0.5  # quality of a frame on which the bar was seen
#: Share of a hand-held camera's sway that the room behind does not show: it is half as far again as
#: the bar, and a lens moves as well as turns; and the length of a phase.
SWAY_LEFT, PHASE_S = 0.35, 0.3
CUT_S = 60.0  # put between pieces of a film that was cut, so that neither bends the other
JOINTS = ("ear", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")


@dataclass(frozen=True)
class JointTrack:
    """One joint in pixels: ``xy_px`` (N, 2), NaN where unknown; ``sigma_px`` (N,).

    ``far_side`` (N,): where it is one of the side away from the camera, as the front leg of a split
    may be; None where it never is.
    """

    xy_px: FloatArray
    sigma_px: FloatArray
    far_side: BoolArray | None = None


@dataclass(frozen=True)
class BarTrack:
    """Bar end in pixels: ``xy_px`` (N, 2); ``quality`` (N,) 0 lost to 1; noise of one frame.

    ``cuts`` are the first frames after a cut of the film. ``drift_px`` (N, 2): how far the room
    moves on the picture, 0 at first, where the camera was held by hand. ``grows`` is the share by
    which the disc's outline is wider a pixel lower, and its standard deviation: a camera that
    looks upward shows what is higher up smaller.
    """

    xy_px: FloatArray
    quality: FloatArray
    sigma_px: float
    cuts: tuple[int, ...] = ()
    drift_px: FloatArray | None = None
    grows: tuple[float, float] = (0.0, float("inf"))

    @property
    def steady_px(self) -> FloatArray:
        """Bar end as a camera that does not move would show it, shape (N, 2), pixels."""
        return self.xy_px if self.drift_px is None else self.xy_px - self.drift_px

    @property
    def looks_up(self) -> bool:
        """Whether the disc's size tells of a camera that looks upward, or downward."""
        return abs(self.grows[0]) > SURE_GROWTH * self.grows[1]

    def path_on(self, frame: int) -> FloatArray:
        """The path as it lies over the room on one frame's picture, shape (N, 2), pixels."""
        return self.xy_px if self.drift_px is None else self.steady_px + self.drift_px[frame]


@dataclass(frozen=True)
class Motion:
    """Bar and joints in the world.

    Attributes:
        t_s: shape (N,), seconds.
        bar: shape (N, 2), mm, smoothed.
        bar_v: shape (N, 2), m/s.
        bar_a: shape (N, 2), m/s2.
        joints: name to (N, 2), mm.
        joint_sigma: name to (N,), mm.
        bar_sigma, speed_sigma: one standard deviation, mm and m/s, from noise alone.
        scale_error: relative standard deviation of millimetres per pixel.
        lean_sigma: standard deviation of the vertical, radians.
        side_sigma: standard deviation of joints against the bar sideways, mm.
        rise_sigma: the same upward, shape (N,); None on exact motion.
        seen: whether the bar was seen, shape (N,), or bridged; None on exact motion.
        smeared: what a bar that was seen poorly in fast motion may be off besides, shape (N,), mm;
            None on exact motion.
        bar_cutoff_hz, joint_cutoff_hz: of which smoothing left half; None on exact motion.
        facing_told: whether it is known which way is forward, or only guessed by the bar's path.
    """

    t_s: FloatArray
    bar: FloatArray
    bar_v: FloatArray
    bar_a: FloatArray
    joints: dict[str, FloatArray] = field(default_factory=dict)
    joint_sigma: dict[str, FloatArray] = field(default_factory=dict)
    bar_sigma: float = 0.0
    speed_sigma: float = 0.0
    scale_error: float = 0.0
    lean_sigma: float = 0.0
    side_sigma: float = 0.0
    rise_sigma: FloatArray | None = None
    seen: BoolArray | None = None
    smeared: FloatArray | None = None
    facing_told: bool = True
    bar_cutoff_hz: float | None = None
    joint_cutoff_hz: float | None = None

    def has(self, *names: str) -> bool:
        """Whether all these joints are tracked."""
        return all(n in self.joints for n in names)

    @property
    def spacing_s(self) -> float:
        """Median time between frames, s."""
        return float(np.median(np.diff(self.t_s)))


def make_motion(
    t_s: FloatArray,
    bar: BarTrack,
    joints: dict[str, JointTrack],
    calibration: Calibration,
    facing: str,
    told: bool = True,
) -> Motion:
    """Turn pixel tracks into a smoothed motion.

    Args:
        t_s: shape (N,), true seconds.
        bar: bar-end track in pixels.
        joints: joint tracks in pixels, any subset of JOINTS.
        calibration: scale and vertical.
        facing: "left" or "right" on the picture.
        told: whether that is known, or a guess.

    Raises:
        TrackError: fewer than five frames, or time does not increase.
    """
    steady = bar.steady_px
    origin = steady[0]
    world = calibration.to_mm(steady, origin, facing)
    weights = np.where(bar.quality < SEEN, 1e-3, np.clip(bar.quality, 0.05, 1.0))
    noise = bar.sigma_px * calibration.mm_per_px
    twice = noise <= LITTLE_MM
    apart = t_s + CUT_S * np.searchsorted(bar.cuts, np.arange(len(t_s)), "right")
    axes = [
        smooth(apart, world[:, i], BAR_CUTOFF_HZ, weights, noise, twice, robust=True)
        for i in (0, 1)
    ]
    middle = calibration.to_mm(np.array(calibration.centre_px), origin, facing)
    tracks: dict[str, FloatArray] = {}
    sigmas: dict[str, FloatArray] = {}
    for name, track in joints.items():
        seen = track.xy_px if bar.drift_px is None else track.xy_px - bar.drift_px
        mm = calibration.to_mm(
            calibration.in_disc_plane(seen, name, track.far_side), origin, facing
        )
        if np.isfinite(mm).all(axis=1).sum() < 5:
            continue
        # Unequal trust would bend the cut-off with it; a floor keeps it nearly even.
        trust = 1.0 / np.maximum(track.sigma_px, 0.3) ** 2
        trust = np.clip(trust / np.nanmax(trust), 0.25, 1.0)
        xy = [smooth(apart, mm[:, i], JOINT_CUTOFF_HZ, trust).value for i in (0, 1)]
        tracks[name] = np.stack(xy, -1)
        tracks[name][~np.isfinite(mm).all(axis=1)] = np.nan
        # Errors of the camera's place move all joints alike: they leave angles alone and are
        # carried in ``side_sigma`` for distances between a joint and the bar.
        sigmas[name] = track.sigma_px * calibration.mm_per_px
    way = np.linalg.norm(np.gradient(world, axis=0), axis=1)  # mm from frame to frame
    poor = np.clip((POOR - bar.quality) / (POOR - SEEN), 0.0, 1.0)
    swayed_mm, swayed_m_s = _swayed(t_s, bar.drift_px, calibration.mm_per_px)
    spacing_s = float(np.median(np.diff(t_s)))
    return Motion(
        t_s=t_s,
        bar=np.stack([a.value for a in axes], -1),
        bar_v=np.stack([a.rate for a in axes], -1) / 1000.0,
        bar_a=np.stack([a.accel for a in axes], -1) / 1000.0,
        joints=tracks,
        joint_sigma=sigmas,
        bar_sigma=float(np.hypot(axes[1].sigma, swayed_mm)),
        speed_sigma=float(np.hypot(axes[1].sigma_rate / 1000.0, swayed_m_s)),
        scale_error=calibration.scale_error,
        lean_sigma=calibration.vertical_sigma,
        side_sigma=calibration.side_sigma_mm,
        seen=bar.quality >= SEEN,
        smeared=np.asarray(SMEARED * way * poor),
        rise_sigma=calibration.depth_sigma * np.abs(axes[1].value - middle[1]),
        facing_told=told,
        bar_cutoff_hz=half_amplitude_hz(spacing_s, BAR_CUTOFF_HZ, twice),
        joint_cutoff_hz=half_amplitude_hz(spacing_s, JOINT_CUTOFF_HZ),
    )


def _swayed(t_s: FloatArray, drift_px: FloatArray | None, mm_per_px: float) -> tuple[float, float]:
    """What is left of a camera's sway once the room's has been taken out, mm over a phase of a lift
    and m/s: the room is further away than the bar, so a lens that moves shows it move less.
    """
    if drift_px is None:
        return 0.0, 0.0
    drift_mm = SWAY_LEFT * mm_per_px * drift_px
    speed_m_s = np.gradient(drift_mm[:, 1], t_s) / 1000.0
    later = np.searchsorted(t_s, t_s + PHASE_S)
    there = later < len(t_s)
    moved_mm = (drift_mm[later[there]] - drift_mm[there]) / np.sqrt(2.0)
    over = float(np.sqrt(np.mean(moved_mm**2, axis=0)).max()) if there.any() else 0.0
    return over, float(np.sqrt(np.mean(speed_m_s**2)))


def angle_sigma(m: Motion, i: int, a: str, vertex: str, b: str) -> float:
    """Standard deviation of an included angle from independent joint noise, degrees."""
    l1 = float(np.linalg.norm(m.joints[a][i] - m.joints[vertex][i]))
    l2 = float(np.linalg.norm(m.joints[b][i] - m.joints[vertex][i]))
    var = 0.0
    if m.joint_sigma:
        sa, sv, sb = (float(m.joint_sigma[n][i]) for n in (a, vertex, b))
        var = (sa / l1) ** 2 + (sb / l2) ** 2 + (sv * (1 / l1 + 1 / l2)) ** 2
    return float(np.degrees(np.sqrt(var)))
