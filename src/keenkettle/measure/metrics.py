"""Metrics of one rep, by the contract's definitions, each with its uncertainty.

A metric whose events or joints are missing has the value None, never 0.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from keenkettle.measure.events import Events, RepSpan, leg_angles
from keenkettle.measure.geometry import (
    BoolArray,
    FloatArray,
    along_segment,
    inclination_deg,
    included_deg,
)
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
    "trunk_drop": "deg", "shoulder_lead_lift_off": "mm", "shoulder_lead_knee_pass": "mm",
    "elbow_before_extension": "deg", "heel_rise_lead": "ms", "foot_shift": "mm",
    "flight_time": "ms", "foot_lift": "mm", "turnover_time": "ms", "feet_hands_gap": "ms",
    "elbow_rack": "deg", "elbow_rack_bottom": "deg", "catch_thigh": "deg",
    "overhead_offset": "mm", "elbow_overhead_min": "deg", "dip_depth": "mm",
    "dip_forward": "mm", "dip_trunk_tilt": "deg", "front_shin": "deg", "rear_knee": "deg",
    "hold_sway": "mm",
}  # fmt: skip

HEEL_UP_MM, CLEAR_MM = 15.0, 10.0
BEFORE_EXTENSION_S, AFTER_CONTACT_S, LOCK_WAIT_S = 0.040, 0.100, 0.100
LOCKED_DEG = 170.0


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


@dataclass(frozen=True)
class RepContext:
    """What a metric is read from. ``floor_mm``: bar height above the floor at lift-off."""

    motion: Motion
    rep: RepSpan
    events: Events
    family: str
    floor_mm: float | None = None

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
        """Keep one value with its error, or say that its joints were lost there."""
        ok = bool(np.isfinite(value))
        self.out[name] = Measure(
            float(value) if ok else None,
            float(sigma),
            UNITS[name],
            at,
            "" if ok else "the joints it needs are not tracked there",
        )

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


def measure_rep(ctx: RepContext) -> Measures:
    """Measure one rep: every contract metric that the lift's family can have."""
    sheet = Sheet(ctx)
    for group in _GROUPS:
        group(sheet)
    for name, unit in UNITS.items():
        sheet.out.setdefault(name, Measure(None, 0.0, unit, None, "not part of this lift"))
    return sheet.out


def phase_times_ms(ctx: RepContext) -> dict[str, float]:
    """Milliseconds for each phase whose two ends were found."""
    t = ctx.motion.t_s
    bounds = phase_bounds(ctx.events)
    return {name: float(1000.0 * (t[b] - t[a])) for name, a, b in bounds}


def phase_bounds(events: Events) -> list[tuple[str, int, int]]:
    """Phases as (name, first sample, last sample), in order, from what was found."""
    end_of_pull = events.get("extension")
    if end_of_pull is None:
        end_of_pull = events.get("peak_velocity")
    marks = [
        ("dip", events.get("dip_start")),
        ("drive", events.get("dip_bottom")),
        ("pull", events.get("lift_off")),
        ("transition", events.get("knee_pass")),
        ("second pull", events.get("power_position")),
        ("turnover", end_of_pull),
        ("catch", events.get("catch")),
        ("recovery", events.get("bottom")),
        ("end", events.get("standing")),
    ]
    known = [(name, i) for name, i in marks if i is not None]
    phases = [(a, i, k) for (a, i), (_, k) in pairwise(known) if k > i]
    if events.get("knee_pass") is not None:
        phases = [("first pull" if n == "pull" else n, a, b) for n, a, b in phases]
    return phases


# --- the bar alone ---------------------------------------------------------


def _bar_metrics(s: Sheet) -> None:
    m, ev = s.ctx.motion, s.ctx.events
    y, v = m.bar[:, 1], m.bar_v[:, 1]
    rel, noise = m.scale_error, m.bar_sigma * np.sqrt(2.0)
    fastest, lift_off = ev["peak_velocity"], ev["lift_off"]
    assert fastest is not None and lift_off is not None
    peak_v = float(v[fastest])
    s.put("bar_peak_velocity", peak_v, np.hypot(m.speed_sigma, rel * peak_v), fastest)
    if at := s.needs("bar_peak_height", (), "peak_height"):
        rise = y[at[0]] - y[lift_off]
        s.put("bar_peak_height", rise, np.hypot(noise, rel * rise), at[0])
        if s.ctx.floor_mm is not None:
            up = rise + s.ctx.floor_mm
            s.put("bar_peak_above_floor", up, np.hypot(noise + 4.0, rel * up), at[0])
    if at := s.needs("catch_drop", (), "peak_height", "catch"):
        s.put("catch_drop", y[at[0]] - y[at[1]], noise + abs(v[at[1]]) * 250 * m.spacing_s, at[1])
    if at := s.needs("sink", (), "catch", "bottom"):
        s.put("sink", y[at[0]] - y[at[1]], noise + abs(v[at[0]]) * 250 * m.spacing_s, at[1])
    if at := s.needs("net_x", (), "catch"):
        s.put("net_x", m.bar[at[0], 0] - m.bar[lift_off, 0], noise, at[0])
    if at := s.needs("hold_sway", (), "standing"):
        hold = m.bar[at[0] : s.ctx.rep.end + 1, 0]
        if len(hold) >= 8:
            s.put("hold_sway", float(np.std(hold)), m.bar_sigma, at[0])
    if at := s.needs("turnover_time", ("hip", "knee"), "extension", "catch"):
        s.put("turnover_time", 1000 * (m.t_s[at[1]] - m.t_s[at[0]]), 410 * m.spacing_s, at[1])


def _first_pull(s: Sheet) -> None:
    m, ev = s.ctx.motion, s.ctx.events
    v, lift_off = m.bar_v[:, 1], ev["lift_off"]
    assert lift_off is not None
    if at := s.needs("first_pull_velocity", ("knee",), "knee_pass"):
        i = lift_off + int(np.argmax(v[lift_off : at[0] + 1]))
        sigma = np.hypot(m.speed_sigma, m.scale_error * v[i])
        s.put("first_pull_velocity", v[i], sigma, i)
        peak = float(s.out["bar_peak_velocity"].value or np.nan)
        s.put("rhythm_ratio", v[i] / peak, 1.5 * m.speed_sigma / peak, i)
        out = m.bar[lift_off : at[0] + 1, 0] - m.bar[lift_off, 0]
        k = int(np.argmax(out))
        s.put("forward_in_first_pull", max(float(out[k]), 0.0), 1.4 * m.bar_sigma, lift_off + k)
    else:
        s.needs("rhythm_ratio", ("knee",), "knee_pass")
        s.needs("forward_in_first_pull", ("knee",), "knee_pass")
    if at := s.needs("transition_min_velocity", ("knee", "hip"), "knee_pass", "power_position"):
        i = at[0] + int(np.argmin(v[at[0] : at[1] + 1]))
        s.put("transition_min_velocity", v[i], m.speed_sigma, i)
        first = s.out["first_pull_velocity"].value
        if first:
            s.put("transition_share", v[i] / first, 1.5 * m.speed_sigma / first, i)
    else:
        s.needs("transition_share", ("knee", "hip"), "knee_pass", "power_position")
    if at := s.needs("pull_in", ("knee", "hip"), "power_position"):
        s.put("pull_in", m.bar[lift_off, 0] - m.bar[at[0], 0], 1.4 * m.bar_sigma, at[0])
    if at := s.needs("forward_swing", ("knee", "hip"), "power_position"):
        last = s.ctx.events.get("catch") or s.ctx.events.get("peak_height") or s.ctx.rep.end
        run = m.bar[at[0] : last + 1, 0] - m.bar[at[0], 0]
        k = int(np.argmax(run))
        s.put("forward_swing", max(float(run[k]), 0.0), 1.4 * m.bar_sigma, at[0] + k)


# --- trunk, legs and arms in the pull ---------------------------------------


def _sigma_at(m: Motion, i: int, *names: str) -> float:
    """Joint noise at a sample, mm, worst of the named joints."""
    return float(max(m.joint_sigma[n][i] for n in names)) if m.joint_sigma else 0.0


def _to_bar_sigma(m: Motion, i: int, *names: str) -> float:
    """Standard deviation of a joint's distance from the bar sideways, mm."""
    own = _sigma_at(m, i, *names)
    return float(np.sqrt(own**2 + m.bar_sigma**2 + m.side_sigma**2))


def angle_sigma(m: Motion, i: int, a: str, vertex: str, b: str) -> float:
    """Standard deviation of an included angle from independent joint noise, degrees."""
    l1 = float(np.linalg.norm(m.joints[a][i] - m.joints[vertex][i]))
    l2 = float(np.linalg.norm(m.joints[b][i] - m.joints[vertex][i]))
    var = 0.0
    if m.joint_sigma:
        sa, sv, sb = (float(m.joint_sigma[n][i]) for n in (a, vertex, b))
        var = (sa / l1) ** 2 + (sb / l2) ** 2 + (sv * (1 / l1 + 1 / l2)) ** 2
    return float(np.degrees(np.sqrt(var)))


def line_sigma(m: Motion, i: int, a: str, b: str) -> float:
    """Standard deviation of a limb's inclination at sample i, degrees."""
    length = float(np.linalg.norm(m.joints[a][i] - m.joints[b][i]))
    return float(np.degrees(np.sqrt(2.0) * _sigma_at(m, i, a, b) / max(length, 1.0)))


def _trunk(s: Sheet) -> None:
    m = s.ctx.motion
    pairs = {
        "trunk_lift_off": "lift_off",
        "trunk_knee_pass": "knee_pass",
        "trunk_power_position": "power_position",
        "trunk_extension": "extension",
    }
    for name, event in pairs.items():
        if at := s.needs(name, ("hip", "shoulder"), event):
            trunk = inclination_deg(m.joints["hip"], m.joints["shoulder"])
            s.put(name, trunk[at[0]], line_sigma(m, at[0], "hip", "shoulder"), at[0])
    if at := s.needs("trunk_drop", ("hip", "shoulder", "knee"), "lift_off", "knee_pass"):
        trunk = inclination_deg(m.joints["hip"], m.joints["shoulder"])
        i = at[0] + int(np.nanargmin(trunk[at[0] : at[1] + 1]))
        sigma = np.sqrt(2.0) * line_sigma(m, i, "hip", "shoulder")
        s.put("trunk_drop", trunk[at[0]] - trunk[i], sigma, i)
    for name, event in (
        ("shoulder_lead_lift_off", "lift_off"),
        ("shoulder_lead_knee_pass", "knee_pass"),
    ):
        if at := s.needs(name, ("shoulder",), event):
            lead = m.joints["shoulder"][at[0], 0] - m.bar[at[0], 0]
            s.put(name, lead, _to_bar_sigma(m, at[0], "shoulder"), at[0])


def _extension(s: Sheet) -> None:
    m = s.ctx.motion
    legs = ("ankle", "knee", "hip", "shoulder")
    if m.has(*legs):
        knee, hip = leg_angles(m)
        if at := s.needs("hip_extension", legs, "extension"):
            i = at[0]
            s.put("hip_extension", hip[i], angle_sigma(m, i, "knee", "hip", "shoulder"), i)
            s.put("knee_extension", knee[i], angle_sigma(m, i, "ankle", "knee", "hip"), i)
        if at := s.needs("knee_power_position", legs, "power_position"):
            i = at[0]
            s.put("knee_power_position", knee[i], angle_sigma(m, i, "ankle", "knee", "hip"), i)
    for name in ("hip_extension", "knee_extension"):
        if name not in s.out:
            s.needs(name, legs, "extension")
    if "knee_power_position" not in s.out:
        s.needs("knee_power_position", legs, "power_position")
    if at := s.needs("ankle_extension", ("knee", "ankle", "toe"), "extension"):
        i = at[0]
        angle = included_deg(m.joints["knee"][i], m.joints["ankle"][i], m.joints["toe"][i])
        s.put("ankle_extension", float(angle), angle_sigma(m, i, "knee", "ankle", "toe"), i)
    if at := s.needs("bar_hip_gap", ("hip",), "extension"):
        i = at[0]
        gap = m.bar[i, 0] - m.joints["hip"][i, 0]
        s.put("bar_hip_gap", gap, _to_bar_sigma(m, i, "hip"), i)
    if at := s.needs(
        "elbow_before_extension", ("shoulder", "elbow", "wrist"), "lift_off", "extension"
    ):
        j = m.joints
        elbow = included_deg(j["shoulder"], j["elbow"], j["wrist"])
        end = int(np.searchsorted(m.t_s, m.t_s[at[1]] - BEFORE_EXTENSION_S, side="right"))
        i = at[0] + int(np.nanargmin(elbow[at[0] : max(end, at[0] + 1)]))
        s.put(
            "elbow_before_extension", elbow[i], angle_sigma(m, i, "shoulder", "elbow", "wrist"), i
        )


def _contact(s: Sheet) -> None:
    m = s.ctx.motion
    legs = ("knee", "hip")
    if at := s.needs("contact_height", legs, "contact"):
        i = at[0]
        share = along_segment(m.bar[i], m.joints["knee"][i], m.joints["hip"][i])
        thigh = float(np.linalg.norm(m.joints["knee"][i] - m.joints["hip"][i]))
        s.put("contact_height", float(share), _sigma_at(m, i, *legs) / thigh, i)
        window = (m.t_s >= m.t_s[i]) & (m.t_s <= m.t_s[i] + AFTER_CONTACT_S)
        k = i + int(np.argmax(m.bar_v[window, 0]))
        s.put("contact_forward_speed", m.bar_v[k, 0], m.speed_sigma, k)
    else:
        s.needs("contact_forward_speed", legs, "contact")
    if at := s.needs("drive_start_height", legs, "power_position", "peak_velocity"):
        a, b = at[0], at[1]
        if b > a + 1:
            accel = m.bar_a[a : b + 1, 1]
            k = a + int(np.argmax(accel > 0.5 * accel.max()))
            share = along_segment(m.bar[k], m.joints["knee"][k], m.joints["hip"][k])
            thigh = float(np.linalg.norm(m.joints["knee"][k] - m.joints["hip"][k]))
            s.put("drive_start_height", float(share), 2 * _sigma_at(m, k, *legs) / thigh, k)
    if at := s.needs("bar_head_gap", ("ear",), "extension"):
        above = m.bar[at[0] :, 1] - m.joints["ear"][at[0] :, 1]
        passed = np.flatnonzero(above[: s.ctx.rep.end - at[0] + 1] >= 0)
        if len(passed):
            i = at[0] + int(passed[0])
            s.put(
                "bar_head_gap",
                m.bar[i, 0] - m.joints["ear"][i, 0],
                _to_bar_sigma(m, i, "ear"),
                i,
            )


# --- feet -------------------------------------------------------------------


def _feet(s: Sheet) -> None:
    m, ev = s.ctx.motion, s.ctx.events
    start = ev["lift_off"] or 0
    if at := s.needs("heel_rise_lead", ("heel", "hip", "knee"), "power_position"):
        rest = float(np.nanmedian(m.joints["heel"][max(start - 5, 0) : start + 1, 1]))
        # The rise that leads into the finish, not a twitch long before it.
        last_up = ev["extension"] if ev["extension"] is not None else at[0]
        down = np.flatnonzero(m.joints["heel"][start : last_up + 1, 1] <= rest + HEEL_UP_MM)
        if len(down) and start + int(down[-1]) < last_up:
            i = start + int(down[-1]) + 1
            s.put("heel_rise_lead", 1000 * (m.t_s[at[0]] - m.t_s[i]), 1000 * m.spacing_s * 0.7, i)
    last = ev["standing"] or s.ctx.rep.end
    if s.needs("foot_shift", ("toe",)) is not None:
        toe = m.joints["toe"]
        before = np.nanmedian(toe[max(start - 5, 0) : start + 1, 0])
        after = np.nanmedian(toe[max(last - 3, start) : last + 1, 0])
        s.put("foot_shift", after - before, 1.4 * _sigma_at(m, last, "toe"), ev["catch"] or last)
    if s.needs("flight_time", ("heel", "toe")) is not None:
        _flight(s, start, last)


def _flight(s: Sheet, start: int, last: int) -> None:
    m = s.ctx.motion
    heights = []
    for name in ("heel", "toe"):
        y = m.joints[name][:, 1]
        heights.append(y[start : last + 1] - np.nanmedian(y[max(start - 5, 0) : start + 1]))
    clear = (heights[0] > CLEAR_MM) & (heights[1] > CLEAR_MM)
    sigma = 1000 * m.spacing_s
    if not clear.any():
        s.put("flight_time", 0.0, sigma, s.ctx.events["extension"])
        return
    a, b = _longest(clear)
    took = 1000 * (m.t_s[start + b] - m.t_s[start + a] + m.spacing_s)
    # The foot crosses 10 mm slowly: its own error becomes time at both ends.
    highest = max(float(heights[1][a : b + 1].max()), CLEAR_MM)
    sigma = float(np.hypot(sigma, took * _sigma_at(m, start + a, "toe", "heel") / highest))
    s.put("flight_time", took, sigma, start + a)
    i = start + a + int(np.argmax(heights[1][a : b + 1]))
    s.put("foot_lift", float(heights[1][a : b + 1].max()), _sigma_at(m, i, "toe"), i)


def _longest(mask: BoolArray) -> tuple[int, int]:
    """First and last sample of the longest run that is true; there is at least one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(int), [0]])))
    runs = list(zip(edges[::2], edges[1::2], strict=True))
    a, b = max(runs, key=lambda r: r[1] - r[0])
    return int(a), int(b) - 1


# --- receiving the bar -------------------------------------------------------


def _receive(s: Sheet) -> None:
    m = s.ctx.motion
    if s.ctx.family == "clean":
        for name, event in (("elbow_rack", "catch"), ("elbow_rack_bottom", "bottom")):
            if at := s.needs(name, ("shoulder", "elbow"), event):
                i = at[0]
                up = inclination_deg(m.joints["shoulder"][i], m.joints["elbow"][i])
                s.put(name, float(up), line_sigma(m, i, "shoulder", "elbow"), i)
    if at := s.needs("catch_thigh", ("hip", "knee"), "bottom"):
        i = at[0]
        d = m.joints["hip"][i] - m.joints["knee"][i]
        thigh = np.degrees(np.arctan2(d[1], abs(d[0])))
        s.put("catch_thigh", float(thigh), line_sigma(m, i, "hip", "knee"), i)
    if s.ctx.family == "snatch":
        overhead_metrics(s)


def overhead_metrics(s: Sheet) -> None:
    """What the hold overhead says: offset from the foot, elbows, hands after feet."""
    m = s.ctx.motion
    if at := s.needs("overhead_offset", ("heel", "toe"), "bottom"):
        i = at[0]
        middle = (m.joints["heel"][i, 0] + m.joints["toe"][i, 0]) / 2.0
        s.put(
            "overhead_offset",
            m.bar[i, 0] - middle,
            _to_bar_sigma(m, i, "heel", "toe"),
            i,
        )
    arm = ("shoulder", "elbow", "wrist")
    if at := s.needs("elbow_overhead_min", arm, "catch"):
        j = m.joints
        elbow = included_deg(j["shoulder"], j["elbow"], j["wrist"])
        end = s.ctx.rep.end
        high = m.bar[:, 1] > j["shoulder"][:, 1]
        late = m.t_s <= m.t_s[at[0]] + LOCK_WAIT_S
        peak = s.ctx.events["peak_height"] or at[0]
        locked = np.flatnonzero(
            (elbow >= LOCKED_DEG) & high & late & (np.arange(len(late)) >= peak)
        )
        begin = int(locked[0]) if len(locked) else int(np.flatnonzero(late)[-1])
        i = begin + int(np.nanargmin(elbow[begin : end + 1]))
        s.put("elbow_overhead_min", elbow[i], angle_sigma(m, i, *arm), i)
        if len(locked) and m.has("toe", "heel"):
            _hands_late(s, begin, at[0])


def _hands_late(s: Sheet, locked: int, catch: int) -> None:
    """Elbows locked after the feet came down; needs a landing that was seen."""
    m = s.ctx.motion
    start = s.ctx.events["lift_off"] or 0
    ext = s.ctx.events["extension"]
    if ext is None:
        return
    toe = m.joints["toe"][:, 1] - np.nanmedian(m.joints["toe"][max(start - 5, 0) : start + 1, 1])
    up = np.flatnonzero(toe[ext : catch + 1] > CLEAR_MM)
    if len(up):
        down = ext + int(up[-1]) + 1
        gap = 1000 * (m.t_s[locked] - m.t_s[min(down, len(toe) - 1)])
        # How much earlier the elbow was straight to within its own error, and the toe's
        # error on landing, are the error of the gap.
        j = m.joints
        elbow = included_deg(j["shoulder"], j["elbow"], j["wrist"])
        error = angle_sigma(m, locked, "shoulder", "elbow", "wrist")
        near = ext + int(np.argmax(elbow[ext : locked + 1] >= LOCKED_DEG - error))
        early = 1000 * (m.t_s[locked] - m.t_s[near]) if elbow[near] >= LOCKED_DEG - error else 0.0
        high = max(float(toe[ext : catch + 1].max()), CLEAR_MM)
        landing = 100.0 * _sigma_at(m, min(down, len(toe) - 1), "toe") / high
        s.put(
            "feet_hands_gap",
            gap,
            float(np.sqrt((1000 * m.spacing_s) ** 2 + early**2 + landing**2)),
            locked,
        )


def _hang_start(s: Sheet) -> None:
    m, start = s.ctx.motion, s.ctx.events["lift_off"]
    assert start is not None
    window: FloatArray = (m.t_s >= m.t_s[start] - 1.0) & (m.t_s <= m.t_s[start])
    steps = np.linalg.norm(np.diff(m.bar[window], axis=0), axis=1)
    if m.t_s[start] - m.t_s[0] >= 1.0 and len(steps):
        s.put("start_travel", float(steps.sum()), m.bar_sigma, start)


_GROUPS: tuple[Callable[[Sheet], None], ...] = (
    _bar_metrics, _first_pull, _trunk, _extension, _contact, _feet, _receive, _hang_start,
)  # fmt: skip
