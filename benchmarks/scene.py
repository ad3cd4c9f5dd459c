"""Who lifts what where, and the camera that films it, for the second renderer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.measure.geometry import FloatArray

Colour = tuple[float, float, float]

DISC_R = 225.0
SIDE_Z = {"ear": 62.0, "shoulder": 175.0, "hip": 90.0, "knee": 135.0, "ankle": 130.0,
          "heel": 122.0, "toe": 165.0}  # fmt: skip
CLEAN_GRIP, SNATCH_GRIP = 265.0, 430.0


@dataclass(frozen=True)
class Scene:
    """Who, what and where of one film; colours are RGB, 0 to 1, lengths mm.

    Attributes:
        discs: (radius, thickness, colour) of each disc of a side, from the collar outward.
        girth: limbs thicker or thinner than usual.
        bystander: world (x, z) of somebody who stands and sways there, or None.
        rear_near: in a split the leg on the camera's side is the rear one.
        trousers, long_sleeves: the whole leg has the colour of the shorts, the arm of the shirt.
        ring: colour of a band on the discs' faces, or None.
        post: world (x, z) of an upright of the rack on this side of the lifter, or None.
        walker: world z of somebody who walks by, and which way (1 or -1), or None.
        second: world (x, z) of another who lifts the same, s later, and their disc's colour.
        spares: world (x, z) of discs that stand there and show their faces.
    """

    discs: tuple[tuple[float, float, Colour], ...] = ((DISC_R, 60.0, (0.12, 0.12, 0.13)),)
    girth: float = 1.0
    skin: Colour = (0.72, 0.52, 0.42)
    shirt: Colour = (0.2, 0.3, 0.6)
    shorts: Colour = (0.1, 0.1, 0.14)
    shoe: Colour = (0.85, 0.85, 0.8)
    sleeve: Colour = (0.1, 0.1, 0.1)
    hair: Colour = (0.15, 0.1, 0.08)
    wall: Colour = (0.6, 0.6, 0.58)
    pattern: str = "plain"  # "brick", "panels"
    floor: Colour = (0.35, 0.33, 0.32)
    light: float = 1.0
    bystander: tuple[float, float] | None = None
    rear_near: bool = False
    trousers: bool = False
    long_sleeves: bool = False
    ring: Colour | None = None
    post: tuple[float, float] | None = None
    walker: tuple[float, float] | None = None
    second: tuple[float, float, float, Colour] | None = None
    spares: tuple[tuple[float, float], ...] = ()
    seed: int = 1


@dataclass(frozen=True)
class Phone:
    """Where the camera stands, in world mm, and what it takes.

    ``at`` looks at ``to``; ``lens_px``: focal length in pixels; ``k1``: radial distortion for
    coordinates in focal lengths; ``sway_mm``: of the hand that holds it; ``drift``: share by
    which it lets pictures get lighter and darker.
    """

    at: tuple[float, float, float]
    to: tuple[float, float, float]
    lens_px: float
    width: int = 1280
    height: int = 720
    fps: float = 60.0
    roll_deg: float = 0.0
    exposure_s: float = 1 / 240
    k1: float = 0.0
    sway_mm: float = 0.0
    noise: float = 3.0
    drift: float = 0.0
    facing: str = "right"
    seed: int = 1

    def place(self, t: float) -> tuple[FloatArray, FloatArray]:
        """The lens (3,) and the axes right, down, ahead (3, 3) at a time."""
        at, to = np.array(self.at), np.array(self.to)
        if self.sway_mm:
            rng = np.random.default_rng(self.seed)
            for hz in (0.4, 0.9, 1.7, 3.1):
                swing = rng.normal(0.0, 1.0, 6) * self.sway_mm / (1.0 + hz) ** 2
                now = np.sin(2 * np.pi * hz * t + rng.uniform(0, 6.28, 6))
                at = at + swing[:3] * now[:3]
                to = to + 2.0 * swing[3:] * now[3:]
        ahead = (to - at) / np.linalg.norm(to - at)
        right = np.cross(ahead, [0.0, 1.0, 0.0])
        right /= np.linalg.norm(right)
        down = np.cross(ahead, right)
        c, s = np.cos(np.radians(self.roll_deg)), np.sin(np.radians(self.roll_deg))
        return at, np.stack([c * right - s * down, s * right + c * down, ahead])

    def project(self, points: FloatArray, t: float) -> FloatArray:
        """Picture points (..., 2) of world points (..., 3) at a time."""
        at, axes = self.place(t)
        seen = (points - at) @ axes.T
        xy = seen[..., :2] / seen[..., 2:]
        xy = xy * (1.0 + self.k1 * (xy**2).sum(-1, keepdims=True))
        middle = [(self.width - 1) / 2.0, (self.height - 1) / 2.0]
        return np.asarray(self.lens_px * xy + middle)


def depths(sim: SimMotion) -> dict[str, float]:
    """How far each joint and the grip are from the middle plane, mm."""
    wide = SNATCH_GRIP if sim.shown.family == "snatch" else CLEAN_GRIP
    z = dict(SIDE_Z)
    z |= {"wrist": wide, "grip": wide, "elbow": 0.45 * z["shoulder"] + 0.55 * wide}
    return z


def points_at(
    sim: SimMotion, t: float, mirror: bool, rear_near: bool = False
) -> dict[str, FloatArray]:
    """Every joint near and far ("far_knee"), the grips and the bar (3,), mm."""
    n = min(max(t * RATE_HZ, 0.0), len(sim.t_s) - 1.001)
    k, f = int(n), n - int(n)

    def lerp(a: FloatArray) -> FloatArray:
        return np.asarray(a[k] * (1 - f) + a[k + 1] * f)

    z, out = depths(sim), {"bar": np.array([*lerp(sim.bar), 0.0])}
    near, far = ("", 1.0), ("far_", -1.0)
    for name, track in sorted(sim.joints.items(), key=lambda x: x[0].endswith("_rear")):
        plain = name.removesuffix("_rear")
        sides = (near, far)
        if name.endswith("_rear"):  # in place of the front leg's, which came first
            sides = (near,) if rear_near else (far,)
        for side, sign in sides:
            key = side + plain
            out[key] = np.array([*lerp(track), sign * z[plain]])
    for key, sign in (("grip", 1.0), ("far_grip", -1.0)):
        if "grip" not in sim.joints:  # else the bar has left the hands
            out[key] = np.array([*lerp(sim.bar), sign * z["grip"]])
    for name in ("hip", "shoulder", "ear"):
        out[f"mid_{name}"] = (out[name] + out[f"far_{name}"]) / 2.0
    up = out["mid_ear"] - out["mid_shoulder"]
    up /= np.linalg.norm(up)
    ahead = np.array([up[1], -up[0], 0.0])
    h = sim.body.stature
    out["crown"] = out["mid_ear"] + h * (0.038 * up + 0.010 * ahead)
    out["nose"] = out["mid_ear"] + h * (0.058 * ahead - 0.004 * up)
    if mirror:
        out = {n: p * [-1.0, 1.0, 1.0] for n, p in out.items()}
    return out
