"""The set position: does this body reach the bar, flat-backed, heels down? mm and degrees.

A planar chain foot, shank, thigh, trunk, arm. The bar's centre lies at the disc's radius (plus
what the discs are raised by), touching the shin or just clear of it, over the middle of the
foot; arms are straight, the shoulder slightly ahead of the bar. Two things are free: the
shank's lean and the shoulder's lead. Of the poses that keep all limits the one with the least
excess at any joint is shown. x is ahead of the ankle, y above the floor.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache
from math import ceil
from typing import Any

import numpy as np

from keenkettle.fit.grip import joint_width
from keenkettle.fit.lengths import LengthError, Lengths, make_lengths
from keenkettle.measure.geometry import FloatArray, included_deg

SHIN_MM = 62.0  # shin depth plus half a bar
MOST_GAP_MM = 12.0  # "just clear" of the shin
BAR_AHEAD_MM = (60.0, 110.0)  # bar ahead of the ankle: over the middle of the foot
LEAD_MM = (10.0, 70.0)  # shoulder ahead of the bar
LEAST_TRUNK_DEG = 12.0  # chest above hip
HIP_OVER_KNEE_MM = 0.0
#: Until measured. Hip flexion is between the thigh and the line from hip to shoulder joint,
#: read in the deepest flat-backed hinge. A clinician's figure is smaller: the shoulder blade
#: slides forward and down in the set, which this chain of straight links takes as flexion.
ANKLE_DEG, HIP_DEG = 25.0, 145.0
MOST_ANKLE_DEG, MOST_HIP_DEG = 45.0, 160.0
RAISES_MM = (0.0, 50.0, 100.0, 150.0, 200.0)
MOST_RAISE_MM = 400.0
SLACK_SCALE = np.array([1.0, 1.0, 1.0, 10.0, 10.0, 10.0, 10.0, 10.0])
KNEE_TO_WALL_DEG_PER_CM = 3.6  # Bennell et al. (1998): about 3.6 degrees for each centimetre
POINTS = ("knee", "hip", "shoulder")
LIMIT_NAMES = ("ankle", "hip", "trunk", "knee height", "shin", "bar too far", "bar too near", "arm")


class SetPositionError(ValueError):
    """A limit that cannot be; the message names it and its range."""


@dataclass(frozen=True)
class Limits:
    """What the joints allow: ankle dorsiflexion and hip flexion, degrees; disc, mm."""

    ankle_deg: float = ANKLE_DEG
    hip_deg: float = HIP_DEG
    disc_mm: float = 450.0
    raises_mm: tuple[float, ...] = RAISES_MM

    def __post_init__(self) -> None:
        """Check the ranges.

        Raises:
            SetPositionError: a limit cannot be.
        """
        for name, value, low, high in (
            ("ankle", self.ankle_deg, 0.0, 60.0),
            ("hip", self.hip_deg, 60.0, 170.0),
        ):
            if not low <= value <= high:
                raise SetPositionError(f"{name} range is {value:g}; give {low:g} to {high:g} deg")
        if not 150.0 <= self.disc_mm <= 500.0:
            raise SetPositionError(f"disc is {self.disc_mm:g} mm; give 150 to 500 mm")


@dataclass(frozen=True)
class SetPose:
    """One pose: points (2,) mm by joint; angles in degrees."""

    points: dict[str, FloatArray]
    ankle_deg: float
    knee_deg: float
    hip_deg: float
    trunk_deg: float


@dataclass(frozen=True)
class SetFit:
    """The answer. ``raise_mm`` is the least of the raises at hand, None if none is enough.

    Attributes:
        reachable: from the floor with the disc's own height.
        least_raise_mm: the least raise at all, None beyond ``MOST_RAISE_MM``.
        binding: limits that stand in the way from the floor, or touch the pose shown.
        gain_ankle_deg, gain_hip_deg: range that would do the same; None where none would.
    """

    reachable: bool
    raise_mm: float | None
    least_raise_mm: float | None
    binding: tuple[str, ...]
    pose: SetPose
    pose_raise_mm: float
    gain_ankle_deg: float | None
    gain_hip_deg: float | None
    arm_mm: float = field(default=0.0)


def dorsiflexion_deg(knee_to_wall_mm: float) -> float:
    """Ankle dorsiflexion from the knee-to-wall distance, degrees.

    Bennell et al. (1998), Aust. J. Physiother. 44: about 3.6 degrees for each centimetre.
    """
    return KNEE_TO_WALL_DEG_PER_CM * knee_to_wall_mm / 10.0


def planar_arm(lengths: Lengths, grip_mm: float) -> float:
    """Arm as seen from the side, mm, with the hands this far apart."""
    side = max(grip_mm - joint_width(lengths), 0.0) / 2.0
    arm = lengths["arm"]
    return float(np.sqrt(max(arm**2 - side**2, (0.3 * arm) ** 2)))


#: Poses of a grid by lean, lead and gap; every coarse pose is a fine one, too.
FINE, COARSE = (61, 13, 4), (21, 7, 2)
STEP_MM = 25.0
SLOPE_STEPS = np.array([1e-5, 1e-4, 1e-4, 1e-4])  # degrees and mm, for derivatives
NEAR_DEG = 6.0  # within which the fine poses' answer lies beside that of the coarse ones
GAIN_DEG = 0.4  # to which a gain in range is told; it is shown in whole degrees


@dataclass(frozen=True)
class _Chain:
    """The body with a bar height; all limits as slacks of one vector function."""

    lengths: Lengths
    limits: Limits
    arm: float

    def solve(
        self, lean: FloatArray, lead: FloatArray, bar_x: FloatArray, bar_y: FloatArray
    ) -> dict[str, FloatArray]:
        """Points and angles for arrays of the free values; hip is behind the shoulder."""
        p = self._chain(lean, lead, bar_x, bar_y)
        pairs = {name: np.stack([p[f"{name}_x"], p[f"{name}_y"]], -1) for name in POINTS}
        return {**p, **pairs, "bar": np.stack([bar_x, bar_y], -1)}

    def _chain(
        self, lean: FloatArray, lead: FloatArray, bar_x: FloatArray, bar_y: FloatArray
    ) -> dict[str, FloatArray]:
        """The same, coordinate by coordinate, for many poses at once."""
        b = self.lengths.body
        a = np.radians(lean)
        knee_x, knee_y = b.shank * np.sin(a), b.ankle_height + b.shank * np.cos(a)
        shoulder_x = bar_x + lead
        shoulder_y = bar_y + np.sqrt(np.maximum(self.arm**2 - lead**2, 0.0))
        along_x, along_y = shoulder_x - knee_x, shoulder_y - knee_y
        dist = np.hypot(along_x, along_y)
        reach = np.clip(dist, abs(b.thigh - b.trunk) + 1e-6, b.thigh + b.trunk - 1e-6)
        along = (b.thigh**2 - b.trunk**2 + reach**2) / (2.0 * reach)
        off = np.sqrt(np.maximum(b.thigh**2 - along**2, 0.0))
        long = np.maximum(dist, 1e-9)
        hip_x = knee_x + (along * along_x - off * along_y) / long
        hip_y = knee_y + (along * along_y + off * along_x) / long
        cos = (b.thigh**2 + b.trunk**2 - reach**2) / (2.0 * b.thigh * b.trunk)
        return {
            "knee_x": knee_x,
            "knee_y": knee_y,
            "hip_x": hip_x,
            "hip_y": hip_y,
            "shoulder_x": shoulder_x,
            "shoulder_y": shoulder_y,
            "flexion": 180.0 - np.degrees(np.arccos(np.clip(cos, -1.0, 1.0))),
            "trunk": np.degrees(np.arctan2(shoulder_y - hip_y, shoulder_x - hip_x)),
            "chain_gap": np.abs(dist - reach),
        }

    def slacks(self, x: FloatArray, raise_mm: FloatArray | float) -> FloatArray:
        """How much each limit leaves, scaled to degrees; negative is broken. Shape (..., 8)."""
        return np.stack(self._each(x, raise_mm), -1)

    def slopes(self, v: FloatArray) -> FloatArray:
        """Derivatives of the slacks by lean, lead, bar x and raise, shape (8, 4); all at once."""
        beside = np.vstack([v, v + np.diag(SLOPE_STEPS)])
        left = self.slacks(beside[:, :3], beside[:, 3])
        return np.asarray(((left[1:] - left[0]) / SLOPE_STEPS[:, None]).T)

    def tightest(self, x: FloatArray, raise_mm: float) -> FloatArray:
        """What the tightest limit leaves in each pose, shape (K,)."""
        return np.asarray(np.minimum.reduce(self._each(x, raise_mm)))

    def _each(self, x: FloatArray, raise_mm: FloatArray | float) -> list[FloatArray]:
        lean, lead, bar_x = x[..., 0], x[..., 1], x[..., 2]
        bar_y = self.limits.disc_mm / 2.0 + np.broadcast_to(raise_mm, lean.shape)
        p = self._chain(lean, lead, bar_x, bar_y)
        b = self.lengths.body
        a = np.radians(lean)
        shin = (bar_y - b.ankle_height) * np.tan(a) + SHIN_MM / np.cos(a)
        near, far = BAR_AHEAD_MM
        left = (
            self.limits.ankle_deg - lean,
            self.limits.hip_deg - p["flexion"],
            p["trunk"] - LEAST_TRUNK_DEG,
            p["hip_y"] - p["knee_y"] - HIP_OVER_KNEE_MM,
            np.minimum(bar_x - shin, MOST_GAP_MM - (bar_x - shin)) + 0.5,
            far - bar_x,
            bar_x - near,
            0.5 - p["chain_gap"],  # mm of play, so that a reached chain is not on the edge
        )
        return [slack / scale for slack, scale in zip(left, SLACK_SCALE, strict=True)]

    def grid(self, raise_mm: float, steps: tuple[int, int, int] = FINE) -> FloatArray:
        """Poses to begin from, shape (K, 3): lean, lead, bar x; the bar touches the shin."""
        lean, lead, tangent, clear = _leans(min(self.limits.ankle_deg, MOST_ANKLE_DEG), steps)
        height = self.limits.disc_mm / 2.0 + raise_mm - self.lengths.body.ankle_height
        return np.stack([lean, lead, height * tangent + clear], -1)

    def best(
        self, raise_mm: float, steps: tuple[int, int, int] = FINE
    ) -> tuple[FloatArray, FloatArray]:
        """The pose of the grid that leaves most to its tightest limit, and its slacks."""
        x = self.grid(raise_mm, steps)
        i = int(np.argmax(self.tightest(x, raise_mm)))
        return x[i], self.slacks(x[i], raise_mm)

    def easiest(self, raise_mm: float) -> FloatArray:
        """Of the poses within all limits the one with the least effort.

        Effort is the trunk's lever on the back, and joints near the end of their range.
        Where no pose is within the limits, the one that breaks them least.
        """
        x = self.grid(raise_mm)
        tightest = self.tightest(x, raise_mm)
        if tightest.max() < 0:
            return np.asarray(x[int(np.argmax(tightest))])
        bar_y = np.full(len(x), self.limits.disc_mm / 2.0 + raise_mm)
        p = self._chain(x[:, 0], x[:, 1], x[:, 2], bar_y)
        effort = np.cos(np.radians(p["trunk"])) + 0.3 * (p["flexion"] / self.limits.hip_deg) ** 16
        effort += 0.3 * (x[:, 0] / max(self.limits.ankle_deg, 1.0)) ** 16
        effort += 0.1 * ((x[:, 1] - 35.0) / 35.0) ** 2
        return np.asarray(x[int(np.argmin(np.where(tightest >= 0, effort, np.inf)))])

    def margin(self, raise_mm: float, steps: tuple[int, int, int] = FINE) -> float:
        """What the tightest limit leaves in the best pose, degrees."""
        return float(self.tightest(self.grid(raise_mm, steps), raise_mm).max())


@lru_cache(maxsize=64)
def _leans(most: float, steps: tuple[int, int, int]) -> tuple[FloatArray, ...]:
    """Lean, lead, the lean's tangent, and how far the bar is from the shin's line, all (K,)."""
    lean, lead, gap = (
        v.ravel()
        for v in np.meshgrid(
            np.linspace(0.0, most, steps[0]),
            np.linspace(*LEAD_MM, steps[1]),
            np.linspace(0.0, MOST_GAP_MM, steps[2]),
        )
    )
    a = np.radians(lean)
    return lean, lead, np.tan(a), SHIN_MM / np.cos(a) + gap


def _least_raise(chain: _Chain) -> float | None:
    """The least raise, mm, that makes the set reachable; None beyond ``MOST_RAISE_MM``."""
    from scipy.optimize import Bounds, NonlinearConstraint, brentq, minimize  # slow to load

    if chain.margin(0.0) >= 0:
        return 0.0
    tries = np.arange(STEP_MM, MOST_RAISE_MM + 1.0, STEP_MM)
    # The coarse poses are among the fine ones, so what they reach is reached.
    above = next((float(t) for t in tries if chain.margin(float(t), COARSE) >= 0), None)
    if above is None:
        above = float(tries[-1])
        if chain.margin(above) < 0:
            return None
    while above > STEP_MM and chain.margin(above - STEP_MM) >= 0:
        above -= STEP_MM
    steps = COARSE if chain.margin(above, COARSE) >= 0 else FINE
    rough = float(brentq(lambda r: chain.margin(float(r), steps), above - STEP_MM, above, xtol=2.0))
    # The grid is coarse; a constrained solve takes the last millimetres.
    start, _ = chain.best(rough)
    solve: Any = minimize  # its type stubs know no bounds beside constraints
    found = solve(
        lambda v: float(v[3]) / 100.0,
        np.append(start, rough),
        jac=lambda _v: np.array([0.0, 0.0, 0.0, 0.01]),
        method="SLSQP",
        bounds=Bounds(
            [0.0, LEAD_MM[0], 0.0, 0.0], [chain.limits.ankle_deg, LEAD_MM[1], 400.0, MOST_RAISE_MM]
        ),
        constraints=NonlinearConstraint(
            lambda v: chain.slacks(v[:3], v[3]), 0.0, np.inf, jac=chain.slopes
        ),
        tol=1e-7,
    )
    solved = float(found.x[3])
    broken = float(np.min(chain.slacks(found.x[:3], solved)))
    if found.success and broken > -1e-3 and solved <= rough + 2.0:
        return solved
    return float(brentq(chain.margin, above - STEP_MM, above, xtol=1.0))


def _pose(chain: _Chain, x: FloatArray, raise_mm: float) -> SetPose:
    bar_y = np.array(chain.limits.disc_mm / 2.0 + raise_mm)
    p = chain.solve(x[0], x[1], x[2], bar_y)
    names = ("knee", "hip", "shoulder", "bar")
    points = {n: np.asarray(p[n]) for n in names}
    points["ankle"] = np.array([0.0, chain.lengths.body.ankle_height])
    knee = included_deg(points["ankle"], points["knee"], points["hip"])
    return SetPose(
        points=points,
        ankle_deg=float(x[0]),
        knee_deg=float(knee),
        hip_deg=float(180.0 - p["flexion"]),
        trunk_deg=float(p["trunk"]),
    )


def _gain(
    lengths: Lengths, limits: Limits, arm: float, which: str, now: float, most: float
) -> float | None:
    """Degrees more of one range that bring the floor within reach; None where none do."""

    from scipy.optimize import brentq  # slow to load

    def margin(value: float, steps: tuple[int, int, int] = FINE) -> float:
        own = (
            replace(limits, ankle_deg=value) if which == "ankle" else replace(limits, hip_deg=value)
        )
        return _Chain(lengths, own, arm).margin(0.0, steps)

    if margin(most) < 0:
        return None
    high = most
    if margin(most, COARSE) >= 0 > margin(now, COARSE):
        high = min(
            float(brentq(lambda v: margin(float(v), COARSE), now, most, xtol=1.0)) + 1.0, most
        )
    low = max(now, high - NEAR_DEG)
    low, high = (low, high) if margin(low) < 0 <= margin(high) else (now, most)
    return float(brentq(margin, low, high, xtol=GAIN_DEG)) - now


def _binding(
    lengths: Lengths, limits: Limits, chain: _Chain, gains: dict[str, float | None]
) -> tuple[str, ...]:
    """Which limits stand in the way of the floor."""
    alone = tuple(name for name in ("hip", "ankle") if gains[name] is not None)
    if alone:
        return alone
    both = replace(limits, ankle_deg=MOST_ANKLE_DEG, hip_deg=MOST_HIP_DEG)
    if _Chain(lengths, both, chain.arm).margin(0.0) >= 0:
        return ("ankle", "hip")
    slacks = chain.best(0.0)[1]
    return tuple(LIMIT_NAMES[i] for i in np.argsort(slacks) if slacks[i] < 0)


def fit_set_position(lengths: Lengths, grip_mm: float, limits: Limits | None = None) -> SetFit:
    """Solve the set position.

    Args:
        lengths: the body.
        grip_mm: between the middles of the hands.
        limits: what the joints allow.

    Returns:
        Whether the floor is within reach, the pose from there or from the least raise, what
        stands in the way, and what would bring it within reach.
    """
    own = limits or Limits()
    chain = _Chain(lengths, own, planar_arm(lengths, grip_mm))
    least = _least_raise(chain)
    reachable = least == 0.0
    at_hand = None
    if least is not None:
        at_hand = next((r for r in sorted(own.raises_mm) if r >= least - 1.0), None)
    shown = at_hand if at_hand is not None else (least if least is not None else MOST_RAISE_MM)
    gains: dict[str, float | None] = {"ankle": None, "hip": None}
    if not reachable:
        gains["ankle"] = _gain(lengths, own, chain.arm, "ankle", own.ankle_deg, MOST_ANKLE_DEG)
        gains["hip"] = _gain(lengths, own, chain.arm, "hip", own.hip_deg, MOST_HIP_DEG)
    return SetFit(
        reachable=reachable,
        raise_mm=at_hand,
        least_raise_mm=least,
        binding=() if reachable else _binding(lengths, own, chain, gains),
        pose=_pose(chain, chain.easiest(shown), shown),
        pose_raise_mm=shown,
        gain_ankle_deg=gains["ankle"],
        gain_hip_deg=gains["hip"],
        arm_mm=chain.arm,
    )


#: What a good lifter's hips may be higher or lower than in the pose with the least effort, mm.
POSE_SD_MM = 15.0


def fitted_hip(
    stature_mm: float, measured_mm: dict[str, float], grip_mm: float, limits: Limits
) -> tuple[float, float] | None:
    """Hip over the middle of the bar in the fitted set position from the floor, mm, and its
    standard deviation by the errors of the lengths; None where the floor is out of reach.

    Raises:
        BodyError, LengthError: the lengths cannot be of a body.
    """

    def hip(measured: dict[str, float]) -> float | None:
        lengths = make_lengths(stature_mm, measured)
        chain = _Chain(lengths, limits, planar_arm(lengths, grip_mm))
        if chain.margin(0.0) < 0.0:
            return None
        points = _pose(chain, chain.easiest(0.0), 0.0).points
        return float(points["hip"][1] - points["bar"][1])

    fitted, lengths = hip(measured_mm), make_lengths(stature_mm, measured_mm)
    if fitted is None:
        return None
    error = POSE_SD_MM
    for name in ("arm", "shoulder_height", "hip_crease", "knee_height"):
        other = None
        for step in (1.0, -1.0):
            try:
                moved = {**measured_mm, name: lengths[name] + step * lengths.sigma[name]}
                other = hip(moved) if other is None else other
            except LengthError:
                continue
        error = float(np.hypot(error, 0.0 if other is None else other - fitted))
    return fitted, error


def whole_cm(value_mm: float | None) -> int | None:
    """Millimetres up to the next whole centimetre, None where unknown."""
    return None if value_mm is None else ceil(value_mm / 10.0 - 1e-6)
