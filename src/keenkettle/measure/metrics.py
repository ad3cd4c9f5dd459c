"""Metrics of a pull, by the contract's definitions, each with its uncertainty.

A metric whose events or joints are missing has the value None, never 0.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from keenkettle.measure.back import back_bend
from keenkettle.measure.events import LEG_ANGLES, Events, leg_angles, near_thigh
from keenkettle.measure.geometry import (
    BoolArray,
    FloatArray,
    along_segment,
    inclination_deg,
    included_deg,
    segment_distance,
)
from keenkettle.measure.motion import Motion, angle_sigma
from keenkettle.measure.peak_speed import NOT_SEEN_FAST, put_peak_speed
from keenkettle.measure.receiving import feet, lowering, receive
from keenkettle.measure.sheet import (
    BAR_MOMENT_FRAMES,
    EXTENSION_FRAMES,
    HANDS_LACK,
    NOT_THIS_LIFT,
    UNITS,
    Measure,
    Measures,
    RepContext,
    Sheet,
    along_thigh_sigma,
    inclination_sigma,
    line_sigma,
    moment_sigma,
    sideways_sigma,
    sigma_at,
    to_bar_sigma,
)
from keenkettle.measure.smooth import running_median

#: Power position to extension, and what that makes of the forward swing; by the simulator.
USUAL_DRIVE_S, USUAL_DRIVE_MM = 0.11, 20.0
BEFORE_EXTENSION_S, AFTER_CONTACT_S = 0.040, 0.100
BEND_S = 0.05  # a bend of the elbow lasts at least so long
TRACK_MM = 0.4  # what a followed disc is off on top of its noise; by benchmarks/accuracy
#: The bar's forward crest in the second pull, until so soon after it, against its speed after the
#: contact: root mean square of 71 reviews of 36 films, most of it one bar that was thrown late.
PULLED_S, CREST_M_S = 0.08, 0.18
DRIVE_MOMENT_S = 0.015  # to which the moment is known at which acceleration passes half its peak
DIP_LOSS = 0.02  # share of the greatest speed by which smoothing fills the dip before it
CATCH_FRAMES = 0.8  # root mean square error of the catch over 30 simulated films
PASS_FRAMES = 0.25  # of the moment the bar passes the knee, were the knee known exactly
LEAST_PASS_MM_S = 200.0  # a bar passes the knee no slower
MOMENT_REACH_S = 0.08  # a moment that is found is not further off than this


def measure_rep(ctx: RepContext) -> Measures:
    """Measure one rep: every contract metric that the lift's family can have."""
    sheet = Sheet(ctx)
    for group in _GROUPS:
        group(sheet)
    for name, unit in UNITS.items():
        sheet.out.setdefault(name, Measure(None, 0.0, unit, None, NOT_THIS_LIFT))
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
    received = any(events.get(name) is not None for name in ("catch", "bottom"))
    after_pull = "turnover" if received else "follow-through"  # of a pull, where nothing is caught
    marks = [
        ("descent", events.get("descent_start")),
        ("pull", events.get("lift_off")),
        ("transition", events.get("knee_pass")),
        ("second pull", events.get("power_position")),
        (after_pull, end_of_pull if events.get("lift_off") is not None else None),
        ("catch", events.get("catch")),
        ("recovery", events.get("bottom")),
        ("end", events.get("standing")),
        ("dip", events.get("dip_start")),
        ("drive", events.get("dip_bottom")),
        ("push under", events.get("drive_end")),
        ("end", events.get("recovered")),
    ]
    known = sorted(((name, i) for name, i in marks if i is not None), key=lambda k: k[1])
    phases = [(a, i, k) for (a, i), (_, k) in pairwise(known) if k > i]
    if events.get("knee_pass") is not None:
        phases = [("first pull" if n == "pull" else n, a, b) for n, a, b in phases]
    return phases


# --- the bar alone ---------------------------------------------------------


def _bar_metrics(s: Sheet) -> None:
    m, ev = s.ctx.motion, s.ctx.events
    y = m.bar[:, 1]
    rel, noise = m.scale_error, np.hypot(1.4 * m.bar_sigma, TRACK_MM)
    fastest, lift_off = ev["peak_velocity"], ev["lift_off"]
    assert fastest is not None and lift_off is not None
    put_peak_speed(s, fastest)
    if at := s.needs("bar_peak_height", (), "peak_height"):
        rise = y[at[0]] - y[lift_off]
        s.put("bar_peak_height", rise, np.hypot(noise, rel * rise), at[0])
        if s.ctx.floor_mm is not None:
            up = rise + s.ctx.floor_mm
            s.put("bar_peak_above_floor", up, np.hypot(noise + 4.0, rel * up), at[0])
    if at := s.needs("catch_drop", (), "peak_height", "catch"):
        error = noise + moment_sigma(m, y, at[1], CATCH_FRAMES)
        s.put("catch_drop", y[at[0]] - y[at[1]], error, at[1])
    if at := s.needs("sink", (), "catch", "bottom"):
        error = noise + moment_sigma(m, y, at[0], CATCH_FRAMES)
        s.put("sink", y[at[0]] - y[at[1]], error, at[1])
    if at := s.needs("net_x", (), "catch"):
        moment = moment_sigma(m, m.bar[:, 0], at[0], BAR_MOMENT_FRAMES)
        error = np.hypot(np.hypot(noise, moment), sideways_sigma(m, lift_off, at[0]))
        s.put("net_x", m.bar[at[0], 0] - m.bar[lift_off, 0], error, at[0])
    s.put_sway()
    if at := s.needs("turnover_time", ("hip", "knee"), "extension", "catch"):
        error = np.hypot(0.41 * m.spacing_s, _extension_spread_s(m, at[0]))
        s.put("turnover_time", 1000 * (m.t_s[at[1]] - m.t_s[at[0]]), 1000 * error, at[1])


def _first_pull(s: Sheet) -> None:
    m, ev = s.ctx.motion, s.ctx.events
    v, lift_off = m.bar_v[:, 1], ev["lift_off"]
    x, noise = m.bar[:, 0], np.hypot(1.4 * m.bar_sigma, TRACK_MM)
    assert lift_off is not None
    if at := s.needs("first_pull_velocity", ("knee",), "knee_pass"):
        i = lift_off + int(np.argmax(v[lift_off : at[0] + 1]))
        # A bar that still speeds up at the knee is as fast as that moment is known.
        moment = moment_sigma(m, np.fmax.accumulate(v), at[0], _pass_frames(m, at[0]))
        sigma = np.linalg.norm([m.speed_sigma, m.scale_error * v[i], moment])
        s.put("first_pull_velocity", v[i], float(sigma), i)
        peak = float(s.out["bar_peak_velocity"].value or np.nan)
        error = np.hypot(1.5 * m.speed_sigma, moment) / peak
        s.put("rhythm_ratio", v[i] / peak, float(error), i)
        if not np.isfinite(peak):
            s.out["rhythm_ratio"] = replace(s.out["rhythm_ratio"], why=NOT_SEEN_FAST)
        out = m.bar[lift_off : at[0] + 1, 0] - m.bar[lift_off, 0]
        k = int(np.argmax(out))
        error = np.hypot(1.4 * m.bar_sigma, sideways_sigma(m, lift_off, lift_off + k))
        error = np.hypot(error, _before_knee_sigma(m, lift_off, at[0]))
        s.put("forward_in_first_pull", max(float(out[k]), 0.0), error, lift_off + k)
    else:
        s.needs("rhythm_ratio", ("knee",), "knee_pass")
        s.needs("forward_in_first_pull", ("knee",), "knee_pass")
    if at := s.needs("transition_min_velocity", ("knee", "hip"), "knee_pass", "power_position"):
        i = at[0] + int(np.argmin(v[at[0] : at[1] + 1]))
        error = np.hypot(m.speed_sigma, DIP_LOSS * float(np.max(v)))
        s.put("transition_min_velocity", v[i], error, i)
        first = s.out["first_pull_velocity"].value
        if first:
            s.put("transition_share", v[i] / first, 1.5 * error / first, i)
    else:
        s.needs("transition_share", ("knee", "hip"), "knee_pass", "power_position")
    if at := s.needs("pull_in", ("knee", "hip"), "power_position"):
        error = np.linalg.norm([noise, moment_sigma(m, x, at[0]), _range_near_power(m, at[0], x)])
        error = np.hypot(error, sideways_sigma(m, lift_off, at[0]))
        s.put("pull_in", x[lift_off] - x[at[0]], error, at[0])
    _forward_swing(s, noise)


def _forward_swing(s: Sheet, noise: float) -> None:
    """Forward from the power position on. Where the knees' re-bend hides behind the disc, the bar
    meets the thigh at about that moment; where that is not seen either, the drive takes as long as
    it usually does.
    """
    m, ev = s.ctx.motion, s.ctx.events
    x = m.bar[:, 0]
    known = [e for e in ("power_position", "contact") if ev.get(e) is not None]
    usual = not known and ev.get("extension") is not None
    begins = known[0] if known else "extension" if usual else "power_position"
    if at := s.needs("forward_swing", ("knee", "hip"), begins):
        begin = at[0]
        near = _range_near_contact if begins == "contact" else _range_near_power
        if usual:
            begin = int(np.searchsorted(m.t_s, m.t_s[begin] - USUAL_DRIVE_S))
        last = ev.get("catch") or ev.get("peak_height") or s.ctx.rep.end
        run = x[begin : last + 1] - x[begin]
        k = int(np.argmax(run))
        told = USUAL_DRIVE_MM if usual else near(m, begin, x)
        error = np.linalg.norm([noise, moment_sigma(m, x, begin), told])
        error = np.hypot(error, sideways_sigma(m, begin, begin + k))
        s.put("forward_swing", max(float(run[k]), 0.0), float(error), begin + k)


# --- trunk, legs and arms in the pull ---------------------------------------


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
            value = float(trunk[at[0]])
            error = inclination_sigma(m, at[0], "hip", "shoulder")
            if event == "power_position":
                error = np.hypot(error, _range_near_power(m, at[0], trunk))
            elif event == "knee_pass":
                value, moment = _passing_knee(m, at[0], trunk)
                error = np.hypot(error, moment)
            s.put(name, value, error, at[0])
    back_bend(s, "lift_off", "peak_velocity")
    if at := s.needs("trunk_drop", ("hip", "shoulder", "knee"), "lift_off", "knee_pass"):
        trunk = inclination_deg(m.joints["hip"], m.joints["shoulder"])
        i = at[0] + int(np.nanargmin(trunk[at[0] : at[1] + 1]))
        begun, dropped = (line_sigma(m, k, "hip", "shoulder") for k in (at[0], i))
        s.put("trunk_drop", trunk[at[0]] - trunk[i], float(np.hypot(begun, dropped)), i)
    if at := s.needs("hip_over_bar_lift_off", ("hip",), "lift_off"):
        over = m.joints["hip"][:, 1] - m.bar[:, 1]
        error = np.hypot(sigma_at(m, at[0], "hip"), moment_sigma(m, over, at[0]))
        s.put("hip_over_bar_lift_off", over[at[0]], float(np.hypot(error, m.bar_sigma)), at[0])
    for name, event in (
        ("shoulder_lead_lift_off", "lift_off"),
        ("shoulder_lead_knee_pass", "knee_pass"),
    ):
        if at := s.needs(name, ("shoulder",), event):
            lead = m.joints["shoulder"][:, 0] - m.bar[:, 0]
            value, error = float(lead[at[0]]), to_bar_sigma(m, at[0], "shoulder")
            if event == "knee_pass":  # shoulders that fall back do so fast
                value, moment = _passing_knee(m, at[0], lead)
                error = float(np.hypot(error, moment))
            s.put(name, value, error, at[0])


def _passing_knee(m: Motion, i: int, values: FloatArray) -> tuple[float, float]:
    """A value (N,) as the bar passes the knee, between sample ``i`` and the one before, and what
    not knowing that moment adds to its error: the surer the knee and the faster the bar, the less.
    """
    if i == 0 or not m.has("knee"):
        return float(values[i]), moment_sigma(m, values, i)
    before, after = m.bar[i - 1 : i + 1, 1] - m.joints["knee"][i - 1 : i + 1, 1]
    share = float(np.clip(before / (before - after), 0.0, 1.0)) if before < after else 1.0
    passed = float(values[i - 1] + share * (values[i] - values[i - 1]))
    return passed, moment_sigma(m, values, i, _pass_frames(m, i))


def _pass_frames(m: Motion, i: int) -> float:
    """Standard deviation of the moment the bar passes the knee, frames."""
    step_mm = max(abs(float(m.bar_v[i, 1])) * 1000.0, LEAST_PASS_MM_S) * m.spacing_s
    return float(np.hypot(PASS_FRAMES, sigma_at(m, i, "knee") / step_mm))


def _before_knee_sigma(m: Motion, start: int, i: int) -> float:
    """What not knowing when the bar passes the knee adds to the error of how far forward it was by
    then, mm: a thigh that it meets just after bumps it far.
    """
    off = round(_pass_frames(m, i)) if m.joint_sigma else 0
    last = len(m.t_s) - 1
    far = [
        float(m.bar[start : min(max(k, start), last) + 1, 0].max()) for k in (i - off, i, i + off)
    ]
    return max(abs(far[0] - far[1]), abs(far[2] - far[1]))


def _range_near_power(m: Motion, i: int, value: FloatArray) -> float:
    """What not knowing the moment of the power position adds to the error of ``value``: the
    knee is at its least for several frames, to within its own error.
    """
    if not m.joint_sigma:
        return 0.0
    knee = included_deg(m.joints["ankle"], m.joints["knee"], m.joints["hip"])
    same = knee <= knee[i] + angle_sigma(m, i, "ankle", "knee", "hip")
    return _spread(m, i, same, value)


def _range_near_contact(m: Motion, i: int, value: FloatArray) -> float:
    """The same for the contact: the gap of bar and thigh is known to the joints' error only."""
    if not m.joint_sigma:
        return 0.0
    gap = segment_distance(m.bar, m.joints["knee"], m.joints["hip"])
    same = np.abs(gap - gap[i]) <= 0.5 * sigma_at(m, i, "knee", "hip")
    return _spread(m, i, same, value)


def _extension_spread_s(m: Motion, i: int) -> float:
    """Standard deviation of the moment of extension, s: the legs are straight for a while."""
    legs = ("ankle", "knee", "hip", "shoulder")
    if not m.joint_sigma or not m.has(*legs):
        return 0.0
    knee, hip = leg_angles(m)
    total = knee + hip
    error = angle_sigma(m, i, "ankle", "knee", "hip")
    return _spread(m, i, total >= total[i] - error, m.t_s)


def _spread(m: Motion, i: int, same: BoolArray, value: FloatArray) -> float:
    """Standard deviation of a value over the frames that could be the moment as well."""
    a, b = i, i
    while a > 0 and same[a - 1] and m.t_s[i] - m.t_s[a] < MOMENT_REACH_S:
        a -= 1
    while b + 1 < len(same) and same[b + 1] and m.t_s[b] - m.t_s[i] < MOMENT_REACH_S:
        b += 1
    near = value[max(a - 1, 0) : b + 2]
    return float((np.nanmax(near) - np.nanmin(near)) / np.sqrt(12.0))


def _extension(s: Sheet) -> None:
    m = s.ctx.motion
    legs = ("ankle", "knee", "hip", "shoulder")
    if m.has(*legs):
        knee, hip = leg_angles(m)
        if at := s.needs("hip_extension", legs, "extension"):
            i = at[0]
            for name, angle, joints in zip(
                ("hip_extension", "knee_extension"), (hip, knee), LEG_ANGLES, strict=True
            ):
                moment = moment_sigma(m, angle, i, EXTENSION_FRAMES)
                s.put(name, angle[i], np.hypot(angle_sigma(m, i, *joints), moment), i)
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
        s.put("bar_hip_gap", gap, to_bar_sigma(m, i, "hip"), i)
    if at := s.needs(
        "elbow_before_extension", ("shoulder", "elbow", "wrist"), "lift_off", "extension"
    ):
        j = m.joints
        elbow = included_deg(j["shoulder"], j["elbow"], j["wrist"])
        end = int(np.searchsorted(m.t_s, m.t_s[at[1]] - BEFORE_EXTENSION_S, side="right"))
        # A bend lasts; a single frame's twitch is the marks'.
        wide = 2 * round(BEND_S / m.spacing_s / 2.0) + 1
        steady = running_median(elbow, wide) if m.joint_sigma else elbow
        i = at[0] + int(np.nanargmin(steady[at[0] : max(end, at[0] + 1)]))
        s.put(
            "elbow_before_extension", steady[i], angle_sigma(m, i, "shoulder", "elbow", "wrist"), i
        )


def _contact(s: Sheet) -> None:
    m = s.ctx.motion
    legs = ("knee", "hip")
    if at := s.needs("contact_height", legs, "contact"):
        i = at[0]
        share = along_segment(m.bar[i], m.joints["knee"][i], m.joints["hip"][i])
        along = along_segment(m.bar, m.joints["knee"], m.joints["hip"])
        error = np.hypot(along_thigh_sigma(m, i), _range_near_contact(m, i, along))
        s.put("contact_height", float(share), error, i)
        _thrown(s, [i], lambda after: _range_near_contact(m, i, after))
    elif m.has(*legs) and (some := near_thigh(m, s.ctx.events)) is not None:
        # Whenever they met, what the bar did next differs little.
        _thrown(s, range(some.start, some.stop), lambda after: float(np.ptp(after[some]) / 12**0.5))
    elif (crest := _crest(m, s.ctx.events)) is not None:
        _thrown(s, [crest], lambda _: CREST_M_S)
    else:
        s.needs("contact_forward_speed", legs, "contact")
    if at := s.needs("drive_start_height", legs, "power_position", "peak_velocity"):
        a, b = at[0], at[1]
        if b > a + 1:
            accel = m.bar_a[a : b + 1, 1]
            k = a + int(np.argmax(accel > 0.5 * accel.max()))
            share = along_segment(m.bar[k], m.joints["knee"][k], m.joints["hip"][k])
            along = along_segment(m.bar, m.joints["knee"], m.joints["hip"])
            moment = moment_sigma(m, along, k, DRIVE_MOMENT_S / m.spacing_s)
            error = np.hypot(along_thigh_sigma(m, k), moment)
            s.put("drive_start_height", float(share), error, k)
    if at := s.needs("bar_head_gap", ("ear",), "extension"):
        above = m.bar[at[0] :, 1] - m.joints["ear"][at[0] :, 1]
        passed = np.flatnonzero(above[: s.ctx.rep.end - at[0] + 1] >= 0)
        if len(passed):
            i = at[0] + int(passed[0])
            s.put(
                "bar_head_gap",
                m.bar[i, 0] - m.joints["ear"][i, 0],
                to_bar_sigma(m, i, "ear"),
                i,
            )


def _crest(m: Motion, ev: Events) -> int | None:
    """When the bar goes forward fastest in the second pull, if all of that was seen: only the thigh
    can have thrown it there, whenever they met.
    """
    drive, extension = ev.get("power_position"), ev.get("extension")
    if drive is None or extension is None:
        return None
    last = int(np.searchsorted(m.t_s, m.t_s[extension] + PULLED_S))
    if drive >= last or (m.seen is not None and not m.seen[drive:last].all()):
        return None
    return drive + int(np.argmax(m.bar_v[drive:last, 0]))


def _thrown(s: Sheet, met: Sequence[int], spread: Callable[[FloatArray], float]) -> None:
    """How fast the bar goes forward soon after it met the thigh, at one of these samples.

    Args:
        s: the sheet.
        met: when they may have met.
        spread: error for not knowing that better, of a value by the sample of meeting (N,).
    """
    m = s.ctx.motion
    forward = m.bar_v[:, 0]
    ends = np.searchsorted(m.t_s, m.t_s + AFTER_CONTACT_S, side="right")
    after = np.array([forward[a:b].max() for a, b in enumerate(ends)])
    low, high = (float(f(after[met])) for f in (np.min, np.max))
    k = met[0] + int(np.argmax(forward[met[0] : ends[met[-1]]]))
    error = np.hypot(m.speed_sigma, moment_sigma(m, forward, k))
    error = np.hypot(error, m.lean_sigma * m.bar_v[k, 1])
    s.put("contact_forward_speed", (low + high) / 2.0, np.hypot(error, spread(after)), k)


def _hang_start(s: Sheet) -> None:
    m, start = s.ctx.motion, s.ctx.events["lift_off"]
    assert start is not None
    window: FloatArray = (m.t_s >= m.t_s[start] - 1.0) & (m.t_s <= m.t_s[start])
    steps = np.linalg.norm(np.diff(m.bar[window], axis=0), axis=1)
    if m.t_s[start] - m.t_s[0] >= 1.0 and len(steps):
        s.put("start_travel", float(steps.sum()), m.bar_sigma, start)


def _implement(s: Sheet) -> None:
    """How far a dumbbell or kettlebell swings from the hip."""
    m, rep = s.ctx.motion, s.ctx.rep
    if s.ctx.implement not in ("dumbbell", "kettlebell"):
        return
    if s.needs("implement_gap", ("hip",)) is not None:
        part = slice(rep.lift_off, rep.end + 1)
        gap = np.abs(m.bar[part, 0] - m.joints["hip"][part, 0])
        if np.isfinite(gap).any():
            i = rep.lift_off + int(np.nanargmax(gap))
            s.put("implement_gap", float(np.nanmax(gap)), to_bar_sigma(m, i, "hip"), i)
    s.out["side_difference"] = Measure(None, 0.0, UNITS["side_difference"], None, HANDS_LACK)


_GROUPS: tuple[Callable[[Sheet], None], ...] = (
    _bar_metrics, _first_pull, _trunk, _extension, _contact, feet, receive, lowering,
    _hang_start, _implement,
)  # fmt: skip
