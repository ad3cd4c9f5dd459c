"""Feet and the receiving of the bar: heels, flight, rack, overhead, lowering."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.geometry import BoolArray, FloatArray, inclination_deg, included_deg
from keenkettle.measure.gravity import G_M_S2
from keenkettle.measure.motion import Motion, angle_sigma
from keenkettle.measure.sheet import (
    UNITS,
    Measure,
    Sheet,
    inclination_sigma,
    sigma_at,
    to_bar_sigma,
)

HEEL_UP_MM, CLEAR_MM = 15.0, 10.0
LOCK_WAIT_S = 0.100
LOCKED_DEG = 170.0
PLANTED_S, LONGEST_RISE_S = 0.25, 0.6  # feet are down until so long before the legs are done
LEAVES_S, LANDS_S = 0.10, 0.25  # when feet can leave the floor, and when they are back
LANDED_S, STOOD_FRAMES = 0.6, 8  # after the drive feet are down again by then
SPLIT_MM = 180.0  # a foot that lands so far ahead has stepped into a split
SHIFT_SHARE = 0.7  # of a point's error is the same before and after
FARTHEST_BACK_DEG = 95.0  # an upper arm behind the athlete holds no bar on the shoulders
HIDDEN_ELBOW_DEG = 28.0  # an elbow's direction that is known no better is not known
UNSEEN = 2.0  # standard deviations of the feet's height below which a leap is not seen
MOST_FLIGHT_SD_MS = 100.0  # a leap that is too long lasts 160
STEADY_MM = 8.0  # feet must be known so well to time when they clear 10 mm
LOWERING_M_S, DROPPED_M_S2 = 0.15, -6.0  # slower is held still; nearer to free fall is dropped


# --- feet -------------------------------------------------------------------


def _splits(m: Motion, first: int, last: int) -> bool:
    """Whether the feet part before and behind; those of a clean before a split jerk do not."""
    if "toe_rear" not in m.joints:
        return False
    apart = np.abs(m.joints["toe"][first : last + 1, 0] - m.joints["toe_rear"][first : last + 1, 0])
    return bool(np.nanmax(apart, initial=0.0) > SPLIT_MM)


def feet(s: Sheet) -> None:
    """Heel rise, and what the feet do between the start and the stand."""
    m, ev = s.ctx.motion, s.ctx.events
    start = s.ctx.rep.lift_off
    last = ev["standing"] or s.ctx.rep.end
    drive = _drive(s)
    if at := s.needs("heel_rise_lead", ("heel", "hip", "knee"), "power_position"):
        _heel_rise(s, at[0], start, drive)
    if _splits(m, start, last):
        s.out["foot_shift"] = Measure(None, 0.0, "mm", None, "not part of a split")
    elif s.needs("foot_shift", ("toe",)) is not None:
        toe = m.joints["toe"]
        before = _stance(s, "toe", start, drive, axis=0)
        landed = int(np.searchsorted(m.t_s, m.t_s[drive] + LANDED_S))
        stood = landed + np.flatnonzero(np.isfinite(toe[landed : last + 1, 0]))
        if np.isfinite(before) and len(stood):
            at_end = stood[-STOOD_FRAMES:]
            error = SHIFT_SHARE * 1.4 * sigma_at(m, int(at_end[-1]), "toe")
            shift = float(np.median(toe[at_end, 0])) - before
            s.put("foot_shift", shift, error, ev["catch"] or last)
    if s.needs("flight_time", ("heel", "toe")) is not None:
        _flight(s, start, last, drive)


def _drive(s: Sheet) -> int:
    """The sample at which the legs are done."""
    ev = s.ctx.events
    found = (ev.get("extension"), ev.get("drive_end"), ev.get("peak_velocity"))
    return next((i for i in found if i is not None), s.ctx.rep.lift_off)


def _stance(s: Sheet, name: str, start: int, drive: int, axis: int = 1) -> float:
    """Place of a planted foot's point, mm, its height or (``axis`` 0) how far ahead: from where
    it is surest before the drive.
    """
    m = s.ctx.motion
    end = max(int(np.searchsorted(m.t_s, m.t_s[drive] - PLANTED_S)), start + 1)
    part = slice(max(start - 5, 0), end)
    y = m.joints[name][part, axis]
    if name not in m.joint_sigma:
        return float(np.nanmedian(y))
    sigma = m.joint_sigma[name][part]
    ok = np.isfinite(y) & np.isfinite(sigma)
    if not ok.any():
        return float("nan")
    return float(np.median(y[ok & (sigma <= np.median(sigma[ok]))]))


def _heel_rise(s: Sheet, power: int, start: int, drive: int) -> None:
    """The rise that leads into the finish, not a twitch long before it."""
    m = s.ctx.motion
    first = max(start, int(np.searchsorted(m.t_s, m.t_s[drive] - LONGEST_RISE_S)))
    rise = m.joints["heel"][first : drive + 1, 1] - _stance(s, "heel", start, drive)
    down = np.flatnonzero(rise <= HEEL_UP_MM)
    if len(down) == 0 or first + int(down[-1]) >= drive:
        s.out["heel_rise_lead"] = Measure(None, 0.0, "ms", None, "the heel's rise was not seen")
        return
    i = first + int(down[-1]) + 1
    # The heel's own error moves the moment at which it seems to rise.
    off = sigma_at(m, i, "heel")
    early, late = (np.flatnonzero(rise <= HEEL_UP_MM + k * off) for k in (-1.0, 1.0))
    spread = LONGEST_RISE_S / 2.0
    if len(early) and len(late):
        spread = 0.5 * float(m.t_s[first + late[-1]] - m.t_s[first + early[-1]])
    error = 1000 * float(np.hypot(m.spacing_s * 0.7, spread))
    s.put("heel_rise_lead", 1000 * (m.t_s[power] - m.t_s[i]), error, i)


def _flight(s: Sheet, start: int, last: int, drive: int) -> None:
    m, ev = s.ctx.motion, s.ctx.events
    landed = next((i for i in (ev.get("catch"), ev.get("peak_height")) if i is not None), last)
    first = max(start, int(np.searchsorted(m.t_s, m.t_s[drive] - LEAVES_S)))
    end = min(last, int(np.searchsorted(m.t_s, m.t_s[landed] + LANDS_S)))
    heights = [
        m.joints[n][first : end + 1, 1] - _stance(s, n, start, drive) for n in ("heel", "toe")
    ]
    lower = np.minimum(heights[0], heights[1])
    took, a, b = _clear_time(s, lower, first, CLEAR_MM)
    # The feet's own error moves the moments at which they seem to leave and land.
    off = sigma_at(m, first + (a + b) // 2, "toe", "heel")
    most, least = (_clear_time(s, lower, first, CLEAR_MM + k * off)[0] for k in (-1.0, 1.0))
    # Feet that leave the ground fall back freely: a leap no higher than their error is unseen.
    unseen_ms = 1000.0 * float(np.sqrt(8.0 * UNSEEN * off / (1000.0 * G_M_S2)))
    told = [1000 * m.spacing_s, 0.5 * (most - least), unseen_ms if took == 0.0 else 0.0]
    sigma = float(np.linalg.norm(told))
    if off > STEADY_MM or sigma > MOST_FLIGHT_SD_MS:
        why = f"the feet are known to {off:.0f} mm only; mark heel and toe around the landing"
        for name in ("flight_time", "foot_lift"):
            s.out[name] = Measure(None, 0.0, UNITS[name], None, why)
        return
    if took == 0.0:
        s.put("flight_time", 0.0, sigma, drive)
        return
    s.put("flight_time", took, sigma, first + a)
    i = first + a + int(np.argmax(heights[1][a : b + 1]))
    s.put("foot_lift", float(heights[1][a : b + 1].max()), sigma_at(m, i, "toe"), i)


def _clear_time(
    s: Sheet, height: FloatArray, start: int, threshold: float
) -> tuple[float, int, int]:
    """Longest time above a height, ms, with its first and last sample."""
    clear = height > threshold
    if not clear.any():
        return 0.0, 0, len(height) - 1
    a, b = _longest(clear)
    t = s.ctx.motion.t_s
    return float(1000 * (t[start + b] - t[start + a] + s.ctx.motion.spacing_s)), a, b


def _longest(mask: BoolArray) -> tuple[int, int]:
    """First and last sample of the longest run that is true; there is at least one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(int), [0]])))
    runs = list(zip(edges[::2], edges[1::2], strict=True))
    a, b = max(runs, key=lambda r: r[1] - r[0])
    return int(a), int(b) - 1


# --- receiving the bar -------------------------------------------------------


def receive(s: Sheet) -> None:
    """Rack or overhead, and how deep."""
    if s.ctx.family == "clean":
        rack_elbow(s, "elbow_rack", "catch")
        rack_elbow(s, "elbow_rack_bottom", "bottom")
    catch_thigh(s)
    if s.ctx.family == "snatch":
        overhead_metrics(s)


def rack_elbow(s: Sheet, name: str, event: str) -> None:
    """Upper arm above the horizontal at an event."""
    m = s.ctx.motion
    if at := s.needs(name, ("shoulder", "elbow"), event):
        i = at[0]
        up = inclination_deg(m.joints["shoulder"][i], m.joints["elbow"][i])
        sigma = inclination_sigma(m, i, "shoulder", "elbow")
        if sigma > HIDDEN_ELBOW_DEG or abs(float(up)) > FARTHEST_BACK_DEG:
            s.out[name] = Measure(None, 0.0, UNITS[name], None, "the elbow was hidden")
        else:
            s.put(name, float(up), sigma, i)


def catch_thigh(s: Sheet) -> None:
    """Thigh above the horizontal at the bottom."""
    m = s.ctx.motion
    if at := s.needs("catch_thigh", ("hip", "knee"), "bottom"):
        i = at[0]
        d = m.joints["hip"][i] - m.joints["knee"][i]
        thigh = np.degrees(np.arctan2(d[1], abs(d[0])))
        s.put("catch_thigh", float(thigh), inclination_sigma(m, i, "hip", "knee"), i)


def overhead_offset(s: Sheet, event: str) -> None:
    """Bar ahead of the middle of the foot; in a split, of the base from rear to front toe."""
    m = s.ctx.motion
    if at := s.needs("overhead_offset", ("heel", "toe"), event):
        i = at[0]
        j = m.joints
        if m.has("shoulder") and m.bar[i, 1] < j["shoulder"][i, 1]:
            s.out["overhead_offset"] = Measure(
                None, 0.0, UNITS["overhead_offset"], None, "the bar does not stand overhead"
            )
            return
        stepped = j["toe"][i, 0] - j["toe"][s.ctx.rep.lift_off : i + 1, 0]
        if "toe_rear" not in j and np.isfinite(stepped).any() and np.nanmax(stepped) > SPLIT_MM:
            why = "the feet are split; needs marks on the rear foot as well"
            s.out["overhead_offset"] = Measure(None, 0.0, UNITS["overhead_offset"], None, why)
            return
        back = j["toe_rear"] if "toe_rear" in j else j["heel"]
        middle = (back[i, 0] + j["toe"][i, 0]) / 2.0
        error = to_bar_sigma(m, i, "heel", "toe")
        s.put("overhead_offset", m.bar[i, 0] - middle, error, i)


def lowering(s: Sheet) -> None:
    """How the bar is brought down after the finish."""
    done = s.ctx.events["standing"]
    if done is None:
        s.needs("lowering_gap", ("hip",), "standing")
    else:
        lowering_gap(s, done, len(s.ctx.motion.t_s) - 1)


def lowering_gap(s: Sheet, first: int, last: int) -> None:
    """Greatest gap of hip and bar in a controlled descent, the bar above the knee."""
    m = s.ctx.motion
    if s.needs("lowering_gap", ("hip", "knee")) is None:
        return
    part = slice(first, last + 1)
    y, v, a = m.bar[part, 1], m.bar_v[part, 1], m.bar_a[part, 1]
    below = np.flatnonzero(y <= m.joints["knee"][part, 1])
    going = np.flatnonzero(v < -LOWERING_M_S)
    # From the hang the next rep may begin above the knee: what rises again is not brought down.
    risen = np.flatnonzero(v > LOWERING_M_S)
    risen = risen[risen > going[0]] if len(going) else risen
    stop = min(int(found[0]) if len(found) else len(y) for found in (below, risen))
    going = going[going < stop]
    if len(going) == 0 or float(np.median(a[going])) < DROPPED_M_S2:
        why = "the bar was dropped" if len(going) else "it was not lowered in this clip"
        s.out["lowering_gap"] = Measure(None, 0.0, UNITS["lowering_gap"], None, why)
        return
    gap = np.abs(m.bar[part, 0] - m.joints["hip"][part, 0])[going]
    if not np.isfinite(gap).any():
        s.put("lowering_gap", np.nan, 0.0, None)
        return
    i = first + int(going[int(np.nanargmax(gap))])
    s.put("lowering_gap", float(np.nanmax(gap)), to_bar_sigma(m, i, "hip"), i)


def overhead_metrics(s: Sheet) -> None:
    """What the hold overhead says: offset from the foot, elbows, hands after feet."""
    m = s.ctx.motion
    overhead_offset(s, "bottom" if s.ctx.events.get("bottom") is not None else "standing")
    arm = ("shoulder", "elbow", "wrist")
    anchor = "feet_land" if s.ctx.events.get("feet_land") is not None else "catch"
    if at := s.needs("elbow_overhead_min", arm, anchor):
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
        begin = min(begin, end)
        if not np.isfinite(elbow[begin : end + 1]).any():
            s.put("elbow_overhead_min", np.nan, 0.0, None)
            return
        i = begin + int(np.nanargmin(elbow[begin : end + 1]))
        s.put("elbow_overhead_min", elbow[i], angle_sigma(m, i, *arm), i)
        if len(locked) and m.has("toe", "heel"):
            _hands_late(s, begin, at[0])


def _hands_late(s: Sheet, locked: int, catch: int) -> None:
    """Elbows locked after the feet came down; needs a landing that was seen."""
    m = s.ctx.motion
    start, ext = s.ctx.rep.lift_off, _drive(s)
    toe = m.joints["toe"][:, 1] - np.nanmedian(m.joints["toe"][max(start - 5, 0) : start + 1, 1])
    up = np.flatnonzero(toe[ext : catch + 1] > CLEAR_MM)
    down = ext + int(up[-1]) + 1 if len(up) else 0
    # Toes that come down again after the drive, long before the bar is met, landed from no jump.
    if len(up) and m.t_s[catch] - m.t_s[min(down, catch)] < LANDS_S:
        gap = 1000 * (m.t_s[locked] - m.t_s[min(down, len(toe) - 1)])
        # How much earlier the elbow was straight to within its own error, and the toe's
        # error on landing, are the error of the gap.
        j = m.joints
        elbow = included_deg(j["shoulder"], j["elbow"], j["wrist"])
        error = angle_sigma(m, locked, "shoulder", "elbow", "wrist")
        near = ext + int(np.argmax(elbow[ext : locked + 1] >= LOCKED_DEG - error))
        early = 1000 * (m.t_s[locked] - m.t_s[near]) if elbow[near] >= LOCKED_DEG - error else 0.0
        high = max(float(toe[ext : catch + 1].max()), CLEAR_MM)
        landing = 100.0 * sigma_at(m, min(down, len(toe) - 1), "toe") / high
        s.put(
            "feet_hands_gap",
            gap,
            float(np.sqrt((1000 * m.spacing_s) ** 2 + early**2 + landing**2)),
            locked,
        )
