"""The simulated lifter on film: a room, shaded limbs in clothes, discs with hub and marks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.lifter.camera import DISC_Z_MM, Camera
from keenkettle.lifter.late_arm import behind
from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.lifter.paint import Colour, Picture, Span, ball, limb, mapped
from keenkettle.measure.geometry import FloatArray

#: Depth of each joint toward the camera, mm from the middle plane (stance and grip width).
JOINT_Z = {
    "ear": 70.0, "shoulder": 180.0, "elbow": 250.0, "wrist": 270.0, "hip": 95.0,
    "knee": 125.0, "ankle": 125.0, "heel": 120.0, "toe": 150.0,
}  # fmt: skip
DISC_MM, BELL_MM = 225.0, 115.0  # radius of a disc, and of a kettlebell or dumbbell's head

BROAD_DEG = 22.0  # from such a turn on the trunk shows its breadth
DOT_MM = 17.0  # radius of a tape dot
TILT_S = 0.12  # in which a bar comes to tilt


@dataclass(frozen=True)
class Look:
    """Colours of one film and what disturbs it.

    ``pillar_x_mm``: a post in front of everything at this world x, or None.
    ``noise``: standard deviation of the sensor's noise, grey levels. ``dots``: colour of
    tape dots on the joints, or None.
    """

    wall: Colour = (148, 150, 146)
    floor: Colour = (96, 88, 80)
    shirt: Colour = (122, 44, 58)
    shorts: Colour = (38, 46, 70)
    skin: Colour = (205, 160, 132)
    hair: Colour = (58, 42, 32)
    shoe: Colour = (225, 222, 214)
    disc: Colour = (40, 42, 46)
    stripe: Colour = (196, 150, 60)
    noise: float = 3.0
    light: float = 1.0
    pillar_x_mm: float | None = None
    seed: int = 1
    dots: Colour | None = None
    spare_discs: tuple[float, ...] = field(default=())
    tilt_deg: float = 0.0  # of the bar from the top of its pull on, the far end lower
    lag_s: float = 0.0  # by so much the far arm straightens after the near one
    landing_mm: float | None = None  # ankles apart from then on
    knee_in_mm: float | None = None  # knees inside the ankles from then on


def implement_mm(sim: SimMotion) -> float:
    """Radius of the round thing that is lifted, mm."""
    return BELL_MM if one_hand(sim) else DISC_MM


def implement_z(sim: SimMotion) -> float:
    """Depth of its near face toward the camera, mm from the middle plane."""
    return JOINT_Z["wrist"] + 60.0 if one_hand(sim) else DISC_Z_MM


def one_hand(sim: SimMotion) -> bool:
    """Whether a dumbbell or kettlebell is lifted."""
    return sim.shown.implement in ("dumbbell", "kettlebell")


@dataclass(frozen=True)
class _Scene:
    camera: Camera
    look: Look
    wall: Picture


def _at(sim: SimMotion, t: float) -> tuple[dict[str, FloatArray], FloatArray]:
    """Joints and bar (x, y) at a time, by linear interpolation of the 1 kHz motion."""
    i = min(max(t * RATE_HZ, 0.0), len(sim.t_s) - 1.001)
    k = int(i)
    f = i - k
    joints = {n: xy[k] * (1 - f) + xy[k + 1] * f for n, xy in sim.joints.items()}
    return joints, sim.bar[k] * (1 - f) + sim.bar[k + 1] * f


def room(camera: Camera, look: Look) -> Picture:
    """The empty room: wall, floor, a rack, spare discs."""
    rng = np.random.default_rng(look.seed)
    h, w = camera.height, camera.width
    ys = np.arange(h, dtype=np.float32)[:, None]
    floor_v = h * (1.0 - camera.floor_share) - 0.16 * h
    img = np.empty((h, w, 3), dtype=np.float32)
    img[:] = np.array(look.wall, dtype=np.float32)
    boards = (np.arange(w) // max(w // 14, 1)) % 2
    img *= (0.94 + 0.06 * boards)[None, :, None] * (0.9 + 0.15 * ys / h)[..., None]
    below = np.clip(ys - floor_v, 0.0, 1.0)[..., None]
    floor = np.array(look.floor) * (0.8 + 0.4 * (ys - floor_v) / max(h - floor_v, 1.0))[..., None]
    img += below * (floor.astype(np.float32) - img)
    grain = rng.normal(0.0, 1.0, (h // 2 + 1, w // 2 + 1)).astype(np.float32)
    img += 2.5 * cv2.resize(cv2.GaussianBlur(grain, (0, 0), 1.2), (w, h))[..., None]
    x0, x1 = int(0.78 * w), int(0.9 * w)
    for x in (x0, x1):
        img[int(0.2 * h) : int(floor_v), x : x + max(w // 70, 2)] *= 0.45
    img[int(0.4 * h) : int(0.4 * h) + max(h // 60, 2), x0:x1] *= 0.5
    for i, x_mm in enumerate(look.spare_discs):
        at = camera.project(np.array([x_mm, 225.0, -900.0]))
        ball(img, at, 225.0 * camera.scale_at(-900.0), (60.0 + 20 * i, 50.0, 50.0))
    return img * look.light


def _disc(
    scene: _Scene,
    img: Picture,
    bar: FloatArray,
    z: float,
    spin: float,
    dim: float,
    radius: float = DISC_MM,
) -> None:
    camera, look = scene.camera, scene.look
    corner = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], dtype=np.float32) * radius
    zoom = DISC_MM / radius
    world = np.column_stack([corner + bar, np.full(4, z)])
    px = camera.project(world).astype(np.float32)
    to_local = np.asarray(cv2.getPerspectiveTransform(px, corner), dtype=float)
    centre = camera.project(np.array([*bar, z]))
    mm_px = zoom / camera.scale_at(z)

    def shade(lx: FloatArray, ly: FloatArray) -> tuple[FloatArray, FloatArray]:
        r = np.hypot(lx, ly) * zoom
        turn = np.arctan2(ly, lx) - spin
        grey = np.full(r.shape, 1.0)
        grey -= 0.30 * _band(r, 196.0, 204.0, mm_px)
        grey += 0.35 * _band(r, 108.0, 113.0, mm_px)
        colour = grey[..., None] * np.array(look.disc)
        marks = _band(r, 128.0, 168.0, mm_px) * (np.cos(2.0 * turn) > 0.62)
        colour += marks[..., None] * (np.array(look.stripe) - colour)
        steel = 1.0 - _step(r, 78.0, mm_px)
        colour += steel[..., None] * (np.array([150.0, 152.0, 156.0]) - colour)
        hub = 1.0 - _step(r, 46.0, mm_px)
        colour += hub[..., None] * (np.array([92.0, 94.0, 98.0]) - colour)
        end = 1.0 - _step(r, 25.0, mm_px)
        colour += end[..., None] * (np.array([205.0, 206.0, 208.0]) - colour)
        tilt = 1.0 + 0.10 * ly / radius - 0.06 * lx / radius
        return colour * tilt[..., None] * dim, 1.0 - _step(r, DISC_MM, mm_px)

    mapped(img, centre, radius * camera.scale_at(z) * 1.1, to_local, shade)


def _step(r: FloatArray, edge: float, mm_px: float) -> FloatArray:
    return np.clip((r - edge) / mm_px + 0.5, 0.0, 1.0)


def _band(r: FloatArray, lo: float, hi: float, mm_px: float) -> FloatArray:
    return _step(r, lo, mm_px) * (1.0 - _step(r, hi, mm_px))


def _leg(scene: _Scene, img: Picture, p: dict[str, FloatArray], k: float, dim: float) -> None:
    look = scene.look
    skin, shorts = look.skin, look.shorts
    sleeve = (30.0, 32.0, 36.0)
    limb(img, p["heel"], p["toe"], 0.021 * k, 0.016 * k, (Span(0, look.shoe),), dim)
    limb(img, p["ankle"], p["heel"], 0.021 * k, 0.02 * k, (Span(0, look.shoe),), dim)
    limb(
        img,
        p["knee"],
        p["ankle"],
        0.031 * k,
        0.021 * k,
        (Span(0, sleeve), Span(0.16, skin), Span(0.78, (235, 235, 232))),
        dim,
    )
    limb(
        img,
        p["hip"],
        p["knee"],
        0.052 * k,
        0.034 * k,
        (Span(0, shorts), Span(0.55, skin), Span(0.87, sleeve)),
        dim,
    )


def _arm(scene: _Scene, img: Picture, p: dict[str, FloatArray], k: float, dim: float) -> None:
    skin = scene.look.skin
    limb(
        img,
        p["shoulder"],
        p["elbow"],
        0.031 * k,
        0.023 * k,
        (Span(0, scene.look.shirt), Span(0.38, skin)),
        dim,
    )
    limb(
        img,
        p["elbow"],
        p["wrist"],
        0.023 * k,
        0.017 * k,
        (Span(0, skin), Span(0.86, (236, 232, 222))),
        dim,
    )
    limb(img, p["wrist"], p["grip"], 0.017 * k, 0.018 * k, (Span(0, skin),), dim)


def _torso(scene: _Scene, img: Picture, p: dict[str, FloatArray], k: float) -> None:
    look = scene.look
    axis = p["shoulder"] - p["hip"]
    chest = p["hip"] + 0.80 * axis
    limb(img, p["hip"], p["hip"] + 0.25 * axis, 0.062 * k, 0.056 * k, (Span(0, look.shorts),))
    limb(img, p["hip"] + 0.14 * axis, chest, 0.054 * k, 0.068 * k, (Span(0, look.shirt),))
    neck = p["shoulder"] + 0.22 * (p["ear"] - p["shoulder"])
    limb(img, p["shoulder"], p["ear"], 0.034 * k, 0.030 * k, (Span(0, look.skin),))
    limb(img, chest, neck, 0.062 * k, 0.034 * k, (Span(0, look.shirt),))


def broad_trunk(
    img: Picture, near: dict[str, FloatArray], far: dict[str, FloatArray], k: float, look: Look
) -> None:
    """Paint the trunk from hip to hip and shoulder to shoulder, as it shows from aside or ahead.

    Args:
        img: the picture, (height, width, 3), in place.
        near, far: ``hip``, ``shoulder`` and ``ear`` of both sides, (2,) pixels.
        k: the athlete's stature, pixels.
        look: colours.
    """
    limb(img, near["hip"], far["hip"], 0.060 * k, 0.060 * k, (Span(0, look.shorts),))
    for share in np.linspace(0.15, 0.95, 7):
        a, b = (p["hip"] + share * (p["shoulder"] - p["hip"]) for p in (near, far))
        r = (0.046 + 0.012 * share) * k
        limb(img, a, b, r, r, (Span(0, look.shirt),))
    limb(img, near["shoulder"], far["shoulder"], 0.036 * k, 0.036 * k, (Span(0, look.shirt),))
    neck, ears = ((near[n] + far[n]) / 2.0 for n in ("shoulder", "ear"))
    limb(img, neck, ears, 0.034 * k, 0.032 * k, (Span(0, look.skin),))


def _head(scene: _Scene, img: Picture, p: dict[str, FloatArray], k: float) -> None:
    look = scene.look
    up = p["ear"] - p["shoulder"]
    up = up / max(float(np.hypot(*up)), 1e-6)
    ahead = np.array([-up[1], up[0]]) * (1.0 if scene.camera.facing == "right" else -1.0)
    skull = p["ear"] + up * 0.018 * k + ahead * 0.008 * k
    ball(img, skull - ahead * 0.010 * k + up * 0.012 * k, 0.060 * k, look.hair)
    limb(
        img,
        skull + ahead * 0.014 * k,
        p["ear"] - up * 0.032 * k + ahead * 0.026 * k,
        0.050 * k,
        0.030 * k,
        (Span(0, look.skin),),
    )
    ball(img, p["ear"] + ahead * 0.068 * k, 0.010 * k, look.skin)
    ball(img, p["ear"] + ahead * 0.052 * k + up * 0.014 * k, 0.006 * k, (40, 34, 32), 0.8)
    ball(img, p["ear"], 0.012 * k, look.skin, 0.82)


def _since(sim: SimMotion, t: float) -> float:
    """Share, 0 to 1, of what comes about at the top of the pull."""
    rise = sim.bar[:, 1] - sim.bar[0, 1]
    top = np.flatnonzero((np.gradient(rise) <= 0.0) & (rise > 0.5 * rise.max()))
    at = float(sim.t_s[top[0] if len(top) else -1])
    return float(np.clip((t - at) / TILT_S + 1.0, 0.0, 1.0))


def _behind(sim: SimMotion, look: Look, joint: str, t: float) -> FloatArray:
    return behind(sim, joint, t, look.lag_s, 2.0 * JOINT_Z["wrist"])


def _tilted(sim: SimMotion, look: Look, t: float) -> tuple[float, float]:
    """How much higher the near end of a bar that tilts is for the far arm's being late, and how
    much lower than that end its middle is, mm.
    """
    hands = 2.0 * JOINT_Z["wrist"]
    late = -float(_behind(sim, look, "wrist", t)[1]) / hands if look.lag_s else 0.0
    per_mm = _since(sim, t) * (late + float(np.tan(np.radians(look.tilt_deg))))
    return _since(sim, t) * late * (DISC_Z_MM - JOINT_Z["wrist"]), per_mm * DISC_Z_MM


def _depths(sim: SimMotion, look: Look, t: float) -> dict[str, float]:
    """How far each joint is from the middle plane, mm."""
    z = dict(JOINT_Z)
    if look.landing_mm is not None:
        wider = (look.landing_mm / 2.0 - JOINT_Z["ankle"]) * _since(sim, t)
        for name, share in (("ankle", 1.0), ("heel", 1.0), ("toe", 1.0), ("knee", 0.9)):
            z[name] += share * wider
    if look.knee_in_mm is not None:
        z["knee"] += (z["ankle"] - look.knee_in_mm - z["knee"]) * _since(sim, t)
    return z


def _moment(scene: _Scene, img: Picture, sim: SimMotion, t: float) -> None:
    """Paint the scene at one instant over the empty room."""
    camera = scene.camera
    joints, bar = _at(sim, t)
    plain = {n: xy for n, xy in joints.items() if not n.endswith("_rear")}
    rear = plain | {n.removesuffix("_rear"): xy for n, xy in joints.items() if n.endswith("_rear")}
    z = _depths(sim, scene.look, t)
    near = {n: camera.project(np.array([*xy, z[n]])) for n, xy in plain.items()}
    far = {n: camera.project(np.array([*xy, -z[n]])) for n, xy in rear.items()}
    mid = {n: camera.project(np.array([*xy, 0.0])) for n, xy in plain.items()}
    near["grip"] = camera.project(np.array([*bar, JOINT_Z["wrist"]]))
    far["grip"] = camera.project(np.array([*bar, -JOINT_Z["wrist"]]))
    k_far = sim.body.stature * camera.scale_at(-120.0)
    k = sim.body.stature * camera.scale_at(120.0)
    spin = 0.9 * float(np.sin(2.1 * t))
    alone = one_hand(sim)
    end_up, sinks = _tilted(sim, scene.look, t)
    bar = np.array([bar[0], bar[1] + end_up])
    if scene.look.lag_s:
        late = {n: _since(sim, t) * _behind(sim, scene.look, n, t) for n in ("elbow", "wrist")}
        far |= {
            n: camera.project(np.array([*(plain[m] + late[m]), -z[m]]))
            for n, m in (("elbow", "elbow"), ("wrist", "wrist"), ("grip", "wrist"))
        }
    if not alone:
        _disc(scene, img, bar - [0.0, 2.0 * sinks], -DISC_Z_MM, spin, 0.8)
    _leg(scene, img, far, k_far, 0.78)
    if alone:  # the free arm hangs
        down = far["shoulder"] + np.array([0.0, 1.0]) * 0.33 * k_far
        far |= {"elbow": (far["shoulder"] + down) / 2.0, "wrist": down, "grip": down}
    _arm(scene, img, far, k_far, 0.78)
    for z0, z1 in () if alone else ((-DISC_Z_MM, 0.0), (0.0, DISC_Z_MM)):
        a, b = (
            camera.project(np.array([bar[0], bar[1] - sinks * (1.0 - z / DISC_Z_MM), z]))
            for z in (z0, z1)
        )
        r = 14.0 * camera.scale_at(0.0)
        limb(img, a, b, r, r, (Span(0, (170, 172, 176)),))
    if abs(camera.yaw_deg) > BROAD_DEG:
        broad_trunk(img, near, far, k, scene.look)
    else:
        _torso(scene, img, mid, k)
    _head(scene, img, mid, k)
    _leg(scene, img, near, k, 1.0)
    _arm(scene, img, near, k, 1.0)
    if scene.look.dots is not None:
        for name in plain:
            ball(img, near[name], DOT_MM * camera.scale_at(JOINT_Z[name]), scene.look.dots)
    _disc(scene, img, bar, implement_z(sim), spin, 1.0, implement_mm(sim))
    if scene.look.pillar_x_mm is not None:
        x = scene.look.pillar_x_mm
        ends = camera.project(np.array([[x, -200.0, 760.0], [x, 2600.0, 760.0]]))
        r = 32.0 * camera.px_per_mm
        limb(img, ends[0], ends[1], r, r, (Span(0, (70, 74, 78)),))


def _reach(sim: SimMotion, camera: Camera) -> tuple[slice, slice]:
    """Part of the picture that anything moving can touch during the rep."""
    margin = np.array([DISC_MM + 40.0, DISC_MM + 40.0, 0.0])
    points = np.concatenate([sim.bar[::20], *(xy[::20] for xy in sim.joints.values())])
    lo, hi = points.min(axis=0), points.max(axis=0)
    box = [
        camera.project(np.array([x, y, z]) + s * margin)
        for x, y, s in ((lo[0], lo[1], -1.0), (hi[0], hi[1], 1.0))
        for z in (-DISC_Z_MM, DISC_Z_MM)
    ]
    a, b = np.min(box, axis=0) - 8, np.max(box, axis=0) + 8
    rows = slice(max(int(a[1]), 0), min(int(b[1]), camera.height))
    return rows, slice(max(int(a[0]), 0), min(int(b[0]), camera.width))


def render_frames(
    sim: SimMotion, camera: Camera, look: Look, times_s: FloatArray
) -> Iterator[NDArray[np.uint8]]:
    """Film the rep.

    Args:
        sim: the motion.
        camera, look: how it is filmed.
        times_s: shape (N,), middle of each exposure.

    Yields:
        RGB pictures of shape (height, width, 3), uint8.
    """
    scene = _Scene(camera, look, room(camera, look))
    rng = np.random.default_rng(look.seed + 1000)
    shape = (camera.height, camera.width, 1)
    grain = [rng.normal(0.0, look.noise, shape).astype(np.float32) for _ in range(7)]
    speed = np.linalg.norm(np.gradient(sim.bar, 1.0 / RATE_HZ, axis=0), axis=1)
    roi = (slice(None), slice(None)) if look.pillar_x_mm is not None else _reach(sim, camera)
    img, out = scene.wall.copy(), scene.wall.copy()
    for n, t in enumerate(times_s):
        i = min(int(t * RATE_HZ), len(speed) - 1)
        blur_px = float(speed[i]) * camera.exposure_s * camera.px_per_mm
        parts = 1 if blur_px < 0.7 else (3 if blur_px < 6 else 5)
        out[roi] = 0.0
        for offset in ((np.arange(parts) + 0.5) / parts - 0.5) * camera.exposure_s:
            img[roi] = scene.wall[roi]
            _moment(scene, img, sim, t + offset)
            out[roi] += img[roi] / parts
        noisy = out + grain[int(rng.integers(7)) if n else 0]
        yield np.clip(noisy, 0, 255).astype(np.uint8)
