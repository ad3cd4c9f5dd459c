"""The pull of a floor lift: key poses from the set position to the release.

The body moves along a path of key poses (``s`` = 0 set, 1 knee, 2 power position,
3 release); the arms tie the bar to it. Time along the path follows from the bar's
kinetic energy at the keys, so speeds and accelerations stay physical.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from keenkettle.lifter.body import Body
from keenkettle.lifter.poses import chain_length, leg_points, place_foot, two_link, unit
from keenkettle.lifter.recipe import Recipe
from keenkettle.measure.geometry import FloatArray, direction_deg, included_deg

BAR_REST_MM = 225.0  # centre of a 450 mm disc on the floor
SHIN_CLEAR_MM = 62.0  # shin depth plus half a bar
KNEE_CLEAR_MM = 72.0
KNEE_LEAD_MM = 20.0  # shoulders ahead of the bar as it passes the knee
#: The first pull ends with the bar so far above the knee, or higher for a back that keeps its
#: angle; and with knees so long.
ABOVE_KNEE_MM, FIRST_PULL_KNEE_DEG, RE_BEND_KNEE_DEG = 60.0, 149.0, 164.0
#: Along ``s``: knees go on bending for so long after the trunk is up, or bent knees would go with a
#: trunk that is still on its way.
KNEES_LATER = {"clean": 0.0, "snatch": 0.3}
THIGH_TOUCH_MM = 88.0  # thigh depth plus half a bar, from the femur's line
HIP_TOUCH_MM = 102.0  # hip joint to bar centre, bar held in
SET_LEAD_MM = 45.0
SET_BAR_SHARE = 0.066  # bar ahead of the ankle at rest, share of stature: over mid-foot
BRUSH_MM = 6.0  # the bar leaves the thigh this much further forward at the most
HANG_START_M_S2 = 1.5
SAMPLES = 1201
EVEN_HZ = 1000
HANG_WAY_M = 0.30  # way above the knee in which a hang start reaches the floor lift's speed
MOST_DRIVE_M_S2 = 14.0  # between two keys, on the average: a short drive begins with more speed
#: From the power position to the finish, who stops short drives from lower; by so many steps.
LEAST_DRIVE_MM, MOST_LOWERED = 45.0, 12
LEAST_TRUNK_DEG = 15.0
MOST_RUSHED = 0.97  # of the release's speed at the knee
MOST_FORWARD_M_S, EVEN_S = 1.3, 0.012  # nothing throws a bar sideways faster, or at once


@dataclass(frozen=True)
class KeyPose:
    """Shank lean, knee, trunk, heel rise, elbow in degrees; bar x in mm."""

    lean: float
    knee: float
    trunk: float
    heel: float
    elbow: float
    bar_x: float


@dataclass(frozen=True)
class PullPath:
    """Pose channels and the bar over ``s``; arrays of shape (SAMPLES,), bar (SAMPLES, 2)."""

    s: FloatArray
    lean: FloatArray
    knee: FloatArray
    trunk: FloatArray
    heel: FloatArray
    shrug: FloatArray
    bar: FloatArray


def arm_reach(body: Body, recipe: Recipe, elbow_deg: FloatArray) -> FloatArray:
    """Shoulder to grip as seen from the side, mm."""
    scale = recipe.shape.arm_scale
    return chain_length(
        body.upper_arm * scale, (body.forearm + body.hand) * scale, np.asarray(elbow_deg)
    )


def _shoulder(body: Body, pose: KeyPose) -> tuple[FloatArray, FloatArray, FloatArray]:
    zero = np.zeros(1)
    foot = place_foot(body, zero, zero, np.array([pose.heel]))
    knee, hip = leg_points(body, foot.ankle, np.array([pose.lean]), np.array([pose.knee]))
    return knee[0], hip[0], (hip + body.trunk * unit(np.array([pose.trunk])))[0]


def _bar_y(body: Body, recipe: Recipe, pose: KeyPose) -> float:
    shoulder = _shoulder(body, pose)[2]
    reach = float(arm_reach(body, recipe, np.array([pose.elbow]))[0])
    dx = pose.bar_x - shoulder[0]
    return float(shoulder[1] - np.sqrt(max(reach**2 - dx**2, 0.0)))


def set_pose(body: Body, recipe: Recipe) -> KeyPose:
    """Set position: bar at rest touching the shin, shoulders a little ahead, arms long."""
    from scipy.optimize import brentq  # slow to load

    reach = float(arm_reach(body, recipe, np.array([178.0]))[0])
    lead = SET_LEAD_MM - 40.0 * recipe.size("shoulders-behind-bar")
    ankle = np.array([0.0, body.ankle_height])
    bar_x = SET_BAR_SHARE * body.stature

    def shin(trunk: float) -> tuple[float, float, float]:
        shoulder = np.array([bar_x + lead, BAR_REST_MM + np.sqrt(reach**2 - lead**2)])
        hip = shoulder - body.trunk * unit(trunk)
        knee = two_link(ankle, hip, body.shank, body.thigh, 1.0)
        lean = 90.0 - float(direction_deg(ankle, knee))
        front = (BAR_REST_MM - ankle[1]) * np.tan(np.radians(lean))
        gap = bar_x - front - SHIN_CLEAR_MM / np.cos(np.radians(lean))
        return float(gap), lean, float(included_deg(ankle, knee, hip))

    trunk = float(brentq(lambda a: shin(a)[0], 8.0, 60.0))
    _, lean, knee_angle = shin(trunk)
    return KeyPose(lean, knee_angle, trunk, 0.0, 178.0, bar_x)


def knee_pose(body: Body, recipe: Recipe, start: KeyPose) -> KeyPose:
    """Bar level with the knee: shins upright, trunk angle held (or lost, when dialled in)."""
    from scipy.optimize import brentq  # slow to load

    trunk = start.trunk + 3.0 - 15.0 * recipe.size("hips-rise-first")
    trunk += 7.0 * recipe.size("shoulders-behind-bar")
    ankle = np.array([0.0, body.ankle_height])
    knee_x = ankle[0] + body.shank * np.sin(np.radians(2.0))

    def miss(knee_angle: float) -> float:
        pose = KeyPose(2.0, knee_angle, trunk, 0.0, 178.0, knee_x + KNEE_CLEAR_MM)
        return _bar_y(body, recipe, pose) - float(_shoulder(body, pose)[0][1])

    while True:
        pose = KeyPose(
            2.0, float(brentq(miss, 75.0, 179.0)), trunk, 0.0, 178.0, knee_x + KNEE_CLEAR_MM
        )
        lead = float(_shoulder(body, pose)[2][0]) - pose.bar_x
        if lead >= KNEE_LEAD_MM or recipe.size("shoulders-behind-bar") or trunk < LEAST_TRUNK_DEG:
            return pose
        trunk -= 1.0


def power_pose(body: Body, recipe: Recipe) -> KeyPose:
    """Power position: bar on the thigh, knees forward again, trunk nearly upright."""
    low = recipe.size("low-contact")
    elbow = 177.0 - 9.0 * recipe.size("early-arm-bend")
    drop = 21.0 if recipe.shape.family == "clean" else 16.0
    pose = KeyPose(
        18.0 + 3.0 * low,
        recipe.shape.power_knee - 5.0 * low,
        recipe.shape.power_trunk - drop * low,
        0.0,
        elbow,
        0.0,
    )
    return replace(pose, bar_x=_touching_x(body, recipe, pose, THIGH_TOUCH_MM))


def finish_pose(body: Body, recipe: Recipe, share: float) -> KeyPose:
    """Pose at a share (0 to 1) of the last bit of the drive; 1 is full extension."""
    short = recipe.size("unfinished-extension")
    left = max(12.0 - 3.0 * short, 4.0) * (1.0 - share)  # degrees still to go
    knee = 172.0 - 13.0 * short - left
    hip = 178.0 - 16.0 * short - left + min(1.0 - share, 1.0)
    # The straighter the knee, the less the shin must lean to keep the hip over the foot.
    lean = (4.0 if recipe.shape.family == "clean" else 2.0) + 0.55 * (172.0 - knee)
    trunk = 90.0 - lean + 180.0 - knee - (180.0 - hip)
    heel = (25.0 - 10.0 * min(short, 1.5)) * (0.25 + 0.75 * share)
    elbow = 175.0 - 21.0 * recipe.size("early-arm-bend")
    pose = KeyPose(lean, knee, trunk, heel, elbow, 0.0)
    if share < 1.0:
        return replace(pose, bar_x=finish_pose(body, recipe, 1.0).bar_x)
    return replace(pose, bar_x=float(_shoulder(body, pose)[1][0]) + HIP_TOUCH_MM)


def above_knee_pose(body: Body, recipe: Recipe, knee: KeyPose, power: KeyPose) -> KeyPose:
    """End of the first pull, bar just above the knee: shins upright, knees at their longest, the
    back at the angle it had or more upright.
    """
    from scipy.optimize import brentq  # slow to load

    straight = RE_BEND_KNEE_DEG if recipe.manner == "re-bend" else FIRST_PULL_KNEE_DEG

    def pose_at(trunk: float) -> KeyPose:
        longest = max(straight, knee.knee + 2.0)
        pose = KeyPose(1.0, longest, trunk, 0.0, 178.0, 0.0)
        return replace(pose, bar_x=_touching_x(body, recipe, pose, KNEE_CLEAR_MM + 8.0))

    def miss(trunk: float) -> float:
        pose = pose_at(trunk)
        return _bar_y(body, recipe, pose) - float(_shoulder(body, pose)[0][1]) - ABOVE_KNEE_MM

    low, high = miss(8.0), miss(70.0)
    if not low < 0 < high:
        return pose_at(knee.trunk + 8.0)
    return pose_at(max(float(brentq(miss, 8.0, 70.0)), knee.trunk + 2.0))


def _touching_x(body: Body, recipe: Recipe, pose: KeyPose, off_mm: float) -> float:
    """Bar x that stands ``off_mm`` from the femur's line, arms at this pose's elbow angle."""
    knee, hip, _ = _shoulder(body, pose)
    slope = np.radians(float(direction_deg(knee, hip)))
    bar_x = float(knee[0]) + off_mm
    for _ in range(20):
        y = _bar_y(body, recipe, replace(pose, bar_x=bar_x))
        bar_x = float(knee[0] + (y - knee[1]) / np.tan(slope) + off_mm / np.sin(slope))
    return bar_x


@dataclass(frozen=True)
class PullKeys:
    """Key poses and their places along ``s``; ``rest`` are set, knee and power position."""

    poses: tuple[KeyPose, ...]
    places: tuple[float, ...]
    rest: tuple[KeyPose, KeyPose, KeyPose]


def pull_keys(body: Body, recipe: Recipe) -> PullKeys:
    """The key poses, which hang on body and recipe only, not on speed."""
    start = set_pose(body, recipe)
    knee_key, power = knee_pose(body, recipe, start), power_pose(body, recipe)
    finish = finish_pose(body, recipe, 0.0)
    for _ in range(MOST_LOWERED):
        if _bar_y(body, recipe, finish) - _bar_y(body, recipe, power) >= LEAST_DRIVE_MM:
            break
        lower = replace(power, trunk=power.trunk - 2.0, knee=power.knee - 1.0)
        power = replace(lower, bar_x=_touching_x(body, recipe, lower, THIGH_TOUCH_MM))
    above = above_knee_pose(body, recipe, knee_key, power)
    keys = [start, knee_key, above, power, finish]
    places = [0.0, 1.0, 1.4, 2.0, 3.0]
    rise = [_bar_y(body, recipe, k) for k in (knee_key, above, power)]
    if rise[2] - rise[1] < 0.4 * (rise[2] - rise[0]):
        # A drive that begins low leaves no room for the end of the first pull before it.
        keys, places = keys[:2] + keys[3:], places[:2] + places[3:]
    return PullKeys(tuple(keys), tuple(places), (start, knee_key, power))


def pull_path(
    body: Body, recipe: Recipe, found: PullKeys, bump_mm: FloatArray | None = None
) -> PullPath:
    """Interpolate the key poses of the pull; ``bump_mm`` is added to bar x over ``s``."""
    from scipy.interpolate import PchipInterpolator  # slow to load

    keys, places = found.poses, found.places
    start, knee_key, power = found.rest
    s = np.linspace(recipe.start_s, 3.0, SAMPLES)

    def channel(name: str) -> FloatArray:
        values = [getattr(k, name) for k in keys]
        later = KNEES_LATER[recipe.shape.family] if name in ("knee", "lean") else 0.0
        at = [p + later * (p == 2.0) for p in places]
        return np.asarray(PchipInterpolator(at, values)(s))

    lean, knee, trunk, heel = (channel(n) for n in ("lean", "knee", "trunk", "heel"))
    shrug = 12.0 * np.clip(s - 2.0, 0.0, 1.0) ** 2
    zero = np.zeros_like(s)
    foot = place_foot(body, zero, zero, heel)
    _, hip = leg_points(body, foot.ankle, lean, knee)
    shoulder = hip + (body.trunk + shrug)[:, None] * unit(trunk)
    xs = [start.bar_x, knee_key.bar_x, power.bar_x, min(keys[-1].bar_x, power.bar_x + BRUSH_MM)]
    bar_x = PchipInterpolator([0.0, 1.0, 2.0, 3.0], xs)(s)
    bar_x = bar_x + (0.0 if bump_mm is None else bump_mm)
    reach = arm_reach(body, recipe, channel("elbow"))
    bar_y = shoulder[:, 1] - np.sqrt(np.maximum(reach**2 - (bar_x - shoulder[:, 0]) ** 2, 1.0))
    return PullPath(s, lean, knee, trunk, heel, shrug, np.stack([bar_x, bar_y], -1))


def pull_times(path: PullPath, recipe: Recipe, release_speed: float) -> tuple[FloatArray, float]:
    """Time along the path, s, and the bar's vertical acceleration at release, m/s2.

    Speed squared is interpolated over bar height between the keys, so acceleration is
    half its slope and stays bounded.

    Args:
        path: the poses.
        recipe: sets the rhythm (first pull against the release).
        release_speed: bar speed at the end of the path, m/s.
    """
    from scipy.interpolate import PchipInterpolator  # slow to load

    height = np.maximum.accumulate((path.bar[:, 1] - path.bar[0, 1]) / 1000.0)
    height += np.arange(SAMPLES) * 1e-9
    rhythm = min(0.60 + 0.32 * recipe.size("rushed-first-pull"), MOST_RUSHED)
    knee_v, power_v = rhythm * release_speed, 0.97 * rhythm * release_speed
    places = [p for p in (1.0, 2.0) if p > recipe.start_s + 0.05]
    knots = np.interp([recipe.start_s, *places, 3.0], path.s, height)
    speeds = [{1.0: knee_v, 2.0: power_v}[p] ** 2 for p in places]
    if recipe.start_s < 1.0:
        knots = np.insert(knots, 1, 0.55 * knots[1])
        speeds.insert(0, 0.72 * knee_v**2)
    elif places:
        # A start near the drive leaves little way to make speed in.
        speeds[0] *= min(1.0, float(knots[1]) / HANG_WAY_M)
    after = [*speeds[1:], release_speed**2]
    for k in reversed(range(len(speeds))):
        way = float(knots[k + 2] - knots[k + 1])
        speeds[k] = max(speeds[k], after[k] - 2.0 * MOST_DRIVE_M_S2 * way)
        if k:
            after[k - 1] = speeds[k]
    energy = PchipInterpolator(knots, [0.0, *speeds, release_speed**2])
    v2 = np.maximum(np.asarray(energy(height)), 0.0)
    if recipe.start_s >= 1.0 and speeds:  # a still hang ends at once, it does not creep
        v2 = np.maximum(v2, np.minimum(2.0 * HANG_START_M_S2 * height, 0.15 * speeds[0]))
    dh = np.diff(height)
    v = np.sqrt(v2)
    steps = 2.0 * dh / np.maximum(v[1:] + v[:-1], 1e-6)
    steps *= _slower(np.cumsum(steps), path.bar[1:, 0])
    times = np.concatenate([[0.0], np.cumsum(steps)])
    return times, float(energy.derivative()(height[-1]) / 2.0)


def _slower(t_s: FloatArray, bar_x_mm: FloatArray) -> FloatArray:
    """How many times longer steps of a pull take (N,), where its bar would be thrown sideways."""
    from scipy.ndimage import gaussian_filter1d  # slow to load

    even = np.arange(0.0, t_s[-1], 1.0 / EVEN_HZ)
    x = gaussian_filter1d(np.interp(even, t_s, bar_x_mm), EVEN_S * EVEN_HZ, mode="nearest")
    speed = np.abs(np.gradient(x, 1.0 / EVEN_HZ)) / 1000.0
    times = gaussian_filter1d(np.maximum(speed / MOST_FORWARD_M_S, 1.0), EVEN_S * EVEN_HZ)
    return np.asarray(np.interp(t_s, even, times))
