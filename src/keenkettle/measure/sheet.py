"""What every measure is made of: a value, its error, and where a rep's facts are read from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.events import Events, RepSpan
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import Motion

UNITS = {
    "bar_peak_velocity": "m/s", "first_pull_velocity": "m/s", "rhythm_ratio": "1",
    "transition_min_velocity": "m/s", "transition_share": "1", "bar_peak_height": "mm",
    "bar_peak_above_floor": "mm",
    "catch_drop": "mm", "sink": "mm", "pull_in": "mm", "forward_in_first_pull": "mm",
    "forward_swing": "mm", "net_x": "mm", "bar_hip_gap": "mm", "contact_height": "1",
    "contact_forward_speed": "m/s", "drive_start_height": "1", "bar_head_gap": "mm",
    "trunk_power_position": "deg", "knee_power_position": "deg", "trunk_extension": "deg",
    "start_travel": "mm", "lowering_gap": "mm", "implement_gap": "mm", "side_difference": "1",
    "knee_after_drive": "deg", "hip_extension": "deg", "knee_extension": "deg",
    "ankle_extension": "deg", "trunk_lift_off": "deg", "trunk_knee_pass": "deg",
    "trunk_drop": "deg", "hip_over_bar_lift_off": "mm", "shoulder_lead_lift_off": "mm",
    "shoulder_lead_knee_pass": "mm",
    "elbow_before_extension": "deg", "heel_rise_lead": "ms", "foot_shift": "mm",
    "flight_time": "ms", "foot_lift": "mm", "turnover_time": "ms", "feet_hands_gap": "ms",
    "elbow_rack": "deg", "elbow_rack_bottom": "deg", "catch_thigh": "deg",
    "overhead_offset": "mm", "elbow_overhead_min": "deg", "dip_depth": "mm",
    "dip_forward": "mm", "dip_trunk_tilt": "deg", "front_shin": "deg", "rear_knee": "deg",
    "back_bend": "deg", "foot_order": "ms",
    "hold_sway": "mm", "bar_slope": "deg", "elbow_gap": "ms", "landing_width": "1",
    "knee_inside": "mm", "split_width": "1",
}  # fmt: skip

#: Measures that go up and down, or are times, and so do not ask how the camera is turned.
UPRIGHT = frozenset({
    "bar_peak_velocity", "bar_peak_height", "bar_peak_above_floor", "catch_drop", "sink",
    "turnover_time", "flight_time", "foot_lift", "dip_depth", "hip_over_bar_lift_off",
})  # fmt: skip

#: Root mean square error of events that hang on joints (power position, knee, contact), of
#: those of the bar, and of extension, which leans on both; frames; by benchmarks/accuracy.
MOMENT_FRAMES, BAR_MOMENT_FRAMES, EXTENSION_FRAMES = 0.8, 0.45, 0.4
NOT_THIS_LIFT = "not part of this lift"
HANDS_LACK = "needs two reps or more with each hand, and which hand did which"


@dataclass(frozen=True)
class Measure:
    """One measured value, its standard deviation and the sample it was read at.

    ``why`` names what is missing when the value is None.
    """

    value: float | None
    sigma: float
    unit: str
    at: int | None = None
    why: str = ""


Measures = dict[str, Measure]

NO_JOINTS = "the joints it needs are not tracked there"
HIDDEN = "the bar was hidden there"
HIDDEN_AT_LIFT_OFF = "the bar was hidden at lift-off"
HOLD_MM = 60.0  # a bar that is this much higher or lower is held there no more
FEWEST_HELD, HELD_MM = 8, 0.3  # samples; what a followed disc creeps about while it is held
UNSURE = "it is not known well enough there"
#: Standard deviations from which a value tells nothing of a lift, by unit; errors as large are no
#: longer those of a normal distribution either.
MOST_SIGMA = {"deg": 25.0, "mm": 100.0}
MOST_HIDDEN_S = 0.1  # over which a bridge tells where the bar is
#: Measured from where the bar was at lift-off.
FROM_LIFT_OFF = frozenset(
    {"bar_peak_height", "bar_peak_above_floor", "net_x", "forward_in_first_pull", "pull_in",
     "forward_swing", "first_pull_velocity", "transition_share", "rhythm_ratio", "start_travel"}
)  # fmt: skip


@dataclass(frozen=True)
class RepContext:
    """What a metric is read from.

    ``floor_mm``: bar height above the floor at lift-off; ``start`` and
    ``implement``: as in the catalogue.
    """

    motion: Motion
    rep: RepSpan
    events: Events
    family: str
    floor_mm: float | None = None
    start: str = "floor"
    implement: str = "barbell"

    def at(self, *names: str) -> list[int] | None:
        """Sample indices of these events, or None if one is missing."""
        found = [self.events.get(n) for n in names]
        return [i for i in found if i is not None] if None not in found else None


class Sheet:
    """Collects measures; a missing need becomes a stated reason."""

    def __init__(self, ctx: RepContext) -> None:
        self.ctx = ctx
        self.out: Measures = {}

    def put(self, name: str, value: float, sigma: float, at: int | None) -> None:
        """Keep one value with its error, both in its unit of UNITS, read at sample ``at``; or say
        that its joints were lost there or are not known well enough, or the bar hidden there or
        where it is measured from.
        """
        why = "" if np.isfinite(value) else NO_JOINTS
        begins = self.ctx.rep.lift_off if name in FROM_LIFT_OFF else None
        for k, says in ((at, HIDDEN), (begins, HIDDEN_AT_LIFT_OFF)):
            if k is not None and hidden_s(self.ctx.motion, k) > MOST_HIDDEN_S:
                why = why or says
        if sigma > MOST_SIGMA.get(UNITS[name], np.inf):
            why = why or UNSURE
        known = None if why else float(value)
        self.out[name] = Measure(known, float(sigma), UNITS[name], at, why)

    def put_sway(self) -> None:
        """How far the held bar goes to and fro, mm, without what noise alone would show."""
        if at := self.needs("hold_sway", (), "standing"):
            m = self.ctx.motion
            after = m.bar[at[0] : self.ctx.rep.end + 1]
            left = np.abs(after[:, 1] - after[0, 1]) > HOLD_MM  # lowered, or stood up with
            hold = after[: int(np.argmax(left)) if left.any() else len(after), 0]
            if len(hold) >= FEWEST_HELD:
                sway = float(np.sqrt(max(float(np.var(hold)) - m.bar_sigma**2, 0.0)))
                noise = 0.0 if m.bar_sigma <= 0.0 else HELD_MM
                self.put("hold_sway", sway, float(np.hypot(m.bar_sigma, noise)), at[0])

    def needs(self, name: str, joints: tuple[str, ...], *events: str) -> list[int] | None:
        """Event indices if everything is there; else notes why not and returns None."""
        if not self.ctx.motion.has(*joints):
            lacking = [j for j in joints if j not in self.ctx.motion.joints]
            why = f"needs {' and '.join(lacking)} marks"
        else:
            at = self.ctx.at(*events)
            if at is not None:
                return at
            lost = [e.replace("_", " ") for e in events if self.ctx.events.get(e) is None]
            why = f"the {' and the '.join(lost)} was not seen"
        self.out[name] = Measure(None, 0.0, UNITS[name], None, why)
        return None


def hidden_s(m: Motion, i: int) -> float:
    """How long the bar was hidden about a sample, s; 0 where it was seen there."""
    if m.seen is None or m.seen[i]:
        return 0.0
    seen = np.flatnonzero(m.seen)
    k = int(np.searchsorted(seen, i))
    first = seen[k - 1] + 1 if k > 0 else 0
    last = seen[k] - 1 if k < len(seen) else len(m.seen) - 1
    return float(m.t_s[last] - m.t_s[first]) + m.spacing_s


def sigma_at(m: Motion, i: int, *names: str) -> float:
    """Joint noise at a sample, mm, worst of the named joints."""
    return float(max(m.joint_sigma[n][i] for n in names)) if m.joint_sigma else 0.0


def moment_sigma(m: Motion, values: FloatArray, i: int, frames: float = MOMENT_FRAMES) -> float:
    """What not knowing the moment adds to the error of a value read there; 0 on exact motion.

    Args:
        m: the motion.
        values: shape (N,), what is read.
        i: the sample it is read at.
        frames: standard deviation of the moment, frames.
    """
    if not m.joint_sigma and not m.bar_sigma:
        return 0.0
    near = values[max(i - 1, 0) : i + 2]
    steps = np.abs(np.diff(near))
    return frames * float(np.nanmax(steps)) if np.isfinite(steps).any() else 0.0


def to_bar_sigma(m: Motion, i: int, *names: str) -> float:
    """Standard deviation of a joint's distance from the bar sideways, mm."""
    own = sigma_at(m, i, *names)
    above = max(abs(float(m.joints[n][i, 1] - m.bar[i, 1])) for n in names)
    leaning = m.lean_sigma * above if np.isfinite(above) else 0.0
    return float(np.sqrt(own**2 + m.bar_sigma**2 + m.side_sigma**2 + leaning**2))


def sideways_sigma(m: Motion, i: int, j: int) -> float:
    """What the camera adds to the error of the bar's way forward between two samples, mm."""
    x, y = m.bar[j] - m.bar[i]
    return float(np.hypot(m.lean_sigma * y, m.scale_error * x))


def along_thigh_sigma(m: Motion, i: int) -> float:
    """Standard deviation of where the bar is along the thigh at sample i, shares of the thigh."""
    thigh = float(np.linalg.norm(m.joints["knee"][i] - m.joints["hip"][i]))
    rise = 0.0 if m.rise_sigma is None else float(m.rise_sigma[i])
    return float(np.hypot(sigma_at(m, i, "knee", "hip"), rise)) / max(thigh, 1.0)


def line_sigma(m: Motion, i: int, a: str, b: str) -> float:
    """Standard deviation of a limb's direction at sample i on the picture, degrees."""
    length = float(np.linalg.norm(m.joints[a][i] - m.joints[b][i]))
    return float(np.degrees(np.sqrt(2.0) * sigma_at(m, i, a, b) / max(length, 1.0)))


def inclination_sigma(m: Motion, i: int, a: str, b: str) -> float:
    """The same against the vertical, which is not quite known either."""
    return float(np.hypot(line_sigma(m, i, a, b), np.degrees(m.lean_sigma)))
