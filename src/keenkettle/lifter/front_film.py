"""The simulated lifter filmed from the front."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from keenkettle.lifter.camera import Camera, fitted_camera
from keenkettle.lifter.front import BAR_HALF_MM, SIDES, Front
from keenkettle.lifter.paint import Picture, Span, ball, limb
from keenkettle.lifter.render import DISC_MM, Look, broad_trunk, room
from keenkettle.measure.geometry import FloatArray

FROM_FRONT_DEG = -90.0
BAR_SHARE = 0.88  # of the picture's width that the bar takes
DISC_AT_MM = (655.0, 720.0)  # faces of the disc, from the middle
SLEEVE = (30.0, 32.0, 36.0)
STEEL = (170.0, 172.0, 176.0)


def front_frames(
    front: Front, camera: Camera, look: Look, times_s: FloatArray
) -> Iterator[NDArray[np.uint8]]:
    """Film the rep from the front; ``camera`` should be turned by ``FROM_FRONT_DEG``.

    Yields:
        RGB pictures of shape (height, width, 3), uint8.
    """
    wall = room(camera, look)
    rng = np.random.default_rng(look.seed + 1000)
    shape = (camera.height, camera.width, 1)
    grain = [rng.normal(0.0, look.noise, shape).astype(np.float32) for _ in range(5)]
    for t in times_s:
        img = wall.copy()
        _moment(img, front, camera, look, float(t))
        img += grain[int(rng.integers(5))]
        yield np.clip(img, 0, 255).astype(np.uint8)


def front_camera(stature_mm: float, width: int = 720, height: int = 1280) -> Camera:
    """A phone held upright five metres ahead; the whole bar is in the picture."""
    camera = fitted_camera(width, height, 60.0, stature_mm, yaw_deg=FROM_FRONT_DEG)
    widest = BAR_SHARE * width / (2.0 * BAR_HALF_MM)
    return replace(camera, centre_x_mm=0.0, px_per_mm=min(camera.px_per_mm, widest))


def write_front(front: Front, camera: Camera, look: Look, out: Path) -> None:
    """Write a film from the front, whole or not at all.

    Raises:
        OSError: the file cannot be written.
    """
    times = np.arange(0.0, front.sim.t_s[-1], 1.0 / camera.fps)
    part = out.with_name(f".{out.name}.part{out.suffix}")
    try:
        with av.open(str(part), "w", options={"movflags": "+faststart"}) as box:
            stream = box.add_stream("libx264", rate=round(camera.fps))
            stream.width, stream.height, stream.pix_fmt = camera.width, camera.height, "yuv420p"
            stream.options = {"crf": "24", "preset": "fast"}
            for picture in front_frames(front, camera, look, times):
                box.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
            box.mux(stream.encode())
        part.replace(out)
    finally:
        part.unlink(missing_ok=True)


def front_truth(front: Front, camera: Camera, times_s: FloatArray) -> dict[str, FloatArray]:
    """Where every point really is on each picture, shape (N, 2), pixels."""
    points = [front.at(float(t)) for t in times_s]
    return {n: np.stack([camera.project(p[n]) for p in points]) for n in points[0]}


def _moment(img: Picture, front: Front, camera: Camera, look: Look, t: float) -> None:
    world = front.at(t)
    p = {n: camera.project(xyz) for n, xyz in world.items()}
    k = front.sim.body.stature * camera.scale_at(0.0)
    bar_ahead = world["bar_right"][0] > world["right_shoulder"][0]
    if not bar_ahead:
        _bar(img, world, camera, look)
    for side in SIDES:
        _leg(img, p, side, k, look)
    right, left = ({n: p[f"{s}_{n}"] for n in ("hip", "shoulder", "ear")} for s in SIDES)
    broad_trunk(img, right, left, k, look)
    _head(img, p, k, look)
    if bar_ahead:
        _bar(img, world, camera, look)
    for side in SIDES:
        _arm(img, p, side, k, look)


def _leg(img: Picture, p: dict[str, FloatArray], side: str, k: float, look: Look) -> None:
    def at(name: str) -> FloatArray:
        return p[f"{side}_{name}"]

    limb(img, at("ankle"), at("toe"), 0.022 * k, 0.024 * k, (Span(0, look.shoe),))
    bands = (Span(0, SLEEVE), Span(0.16, look.skin), Span(0.78, (235, 235, 232)))
    limb(img, at("knee"), at("ankle"), 0.032 * k, 0.021 * k, bands)
    cloth = (Span(0, look.shorts), Span(0.55, look.skin), Span(0.87, SLEEVE))
    limb(img, at("hip"), at("knee"), 0.054 * k, 0.035 * k, cloth)


def _head(img: Picture, p: dict[str, FloatArray], k: float, look: Look) -> None:
    middle = (p["right_ear"] + p["left_ear"]) / 2.0
    up = np.array([0.0, -1.0])
    across = np.array([1.0, 0.0])
    limb(img, middle + up * 0.035 * k, middle - up * 0.05 * k, 0.048 * k, 0.036 * k,
         (Span(0, look.skin),))  # fmt: skip
    ball(img, middle + up * 0.058 * k, 0.046 * k, look.hair)
    for sign in (-1.0, 1.0):
        ball(img, middle + sign * across * 0.020 * k + up * 0.012 * k, 0.007 * k, (40, 34, 32), 0.8)
        ball(img, middle + sign * across * 0.050 * k, 0.012 * k, look.skin, 0.82)
    ball(img, middle - up * 0.012 * k, 0.009 * k, look.skin, 0.85)
    limb(img, middle - up * 0.036 * k - across * 0.016 * k,
         middle - up * 0.036 * k + across * 0.016 * k, 0.005 * k, 0.005 * k,
         (Span(0, (150, 80, 76)),))  # fmt: skip


def _arm(img: Picture, p: dict[str, FloatArray], side: str, k: float, look: Look) -> None:
    shoulder, elbow, wrist = (p[f"{side}_{n}"] for n in ("shoulder", "elbow", "wrist"))
    cloth = (Span(0, look.shirt), Span(0.38, look.skin))
    limb(img, shoulder, elbow, 0.032 * k, 0.024 * k, cloth)
    limb(img, elbow, wrist, 0.024 * k, 0.017 * k, (Span(0, look.skin), Span(0.86, (236, 232, 222))))
    ball(img, wrist, 0.020 * k, look.skin)


def _bar(img: Picture, world: dict[str, FloatArray], camera: Camera, look: Look) -> None:
    left, right = world["bar_left"], world["bar_right"]
    a, b = camera.project(left), camera.project(right)
    r = 14.0 * camera.scale_at(0.0)
    limb(img, a, b, r, r, (Span(0, STEEL),))
    axis = (right - left) / np.linalg.norm(right - left)
    middle = (left + right) / 2.0
    square = np.array([0.0, axis[2], -axis[1]])  # upright beside the bar, across the camera
    for sign in (-1.0, 1.0):
        for at in np.linspace(*DISC_AT_MM, 4):
            c = middle + sign * at * axis
            top, low = (camera.project(c + s * (DISC_MM - 12.0) * square) for s in (1.0, -1.0))
            limb(img, top, low, 16.0 * camera.px_per_mm, 16.0 * camera.px_per_mm,
                 (Span(0, look.disc),))  # fmt: skip
