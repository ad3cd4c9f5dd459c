"""Films by the second renderer, with rooms, bodies, discs and cameras drawn by lot.

What holds only on the first renderer's pictures shows here. Judged as the matrix is.
"""

from __future__ import annotations

import json
import multiprocessing
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.films import FOLDER
from benchmarks.let_go import let_go
from benchmarks.matrix import Tally, joined, lifted, rows_of, tally_of
from benchmarks.scene import Phone, Scene, points_at
from benchmarks.solids import SLEEVE_FROM, film
from keenkettle.film.write import write_pictures
from keenkettle.lifter.camera import Camera
from keenkettle.lifter.film import truth_document, write_truth
from keenkettle.lifter.motion import SimMotion
from keenkettle.lifter.recipe import RecipeError
from keenkettle.lifter.repeated import set_of
from keenkettle.measure.geometry import FloatArray

BODY_SPREAD = 0.07
LEG = ("knee", "ankle", "heel", "toe")
MISSING = "VTK is missing: pip install --no-deps -r benchmarks/second.lock; apt install libosmesa6"


@dataclass(frozen=True)
class Case:
    """One film: a lift, its faults, and what is special about it.

    ``reps`` of it are lifted one after the other; at the end the bar may be let go.
    """

    name: str
    lift: str
    faults: dict[str, float]
    seed: int
    scene: dict[str, Any] = field(default_factory=dict)
    phone: dict[str, Any] = field(default_factory=dict)
    yaw_deg: float = 0.0
    reps: int = 1
    drops: bool = False


RED, BLUE, GREEN, BLACK = (0.55, 0.1, 0.1), (0.1, 0.18, 0.5), (0.1, 0.4, 0.2), (0.08, 0.08, 0.09)
CASES = (
    Case("plain", "power-clean", {"early-arm-bend": 1.5}, 9001),
    Case("brick", "snatch", {"bar-away-from-hip": 1.5}, 9002,
         {"pattern": "brick", "wall": (0.5, 0.3, 0.25), "discs": ((225.0, 55.0, BLUE),)}),
    Case("upright", "clean", {"hips-rise-first": 1.5}, 9003,
         {"discs": ((225.0, 65.0, GREEN), (170.0, 20.0, BLACK))},
         {"width": 720, "height": 1280, "facing": "left"}),
    Case("dim", "power-snatch", {"jump-forward": 1.5}, 9004, {"light": 0.5}, {"noise": 9.0}),
    Case("hand", "clean", {"low-elbows": 1.5}, 9005, {"pattern": "panels"},
         {"sway_mm": 9.0, "facing": "left"}),
    Case("turned", "power-clean", {"unfinished-extension": 1.5}, 9006,
         {"discs": ((225.0, 70.0, RED),)}, {}, 14.0),
    Case("blurred", "snatch", {"forward-loop": 1.5}, 9007, {}, {"exposure_s": 1 / 62}),
    Case("slow", "clean-pull", {"rushed-first-pull": 1.0}, 9008,
         {"pattern": "brick"}, {"fps": 30.0, "facing": "left"}),
    Case("beside", "hang-power-snatch", {}, 9009, {"bystander": (1500.0, -900.0)}),
    Case("bent", "power-clean", {"bar-crash": 1.5}, 9010, {"pattern": "panels"},
         {"k1": -0.06, "fps": 120.0}, -7.0),
    Case("pale", "clean", {}, 9011,
         {"wall": (0.85, 0.85, 0.82), "skin": (0.35, 0.22, 0.16), "shirt": (0.8, 0.8, 0.3)},
         {"facing": "left"}),
    Case("large", "power-snatch", {"bar-bumped-forward": 1.4}, 9012, {"girth": 1.15},
         {"width": 1920, "height": 1080, "fps": 50.0, "roll_deg": 2.5}, -10.0),
    Case("press", "push-press", {"rebend-in-push-press": 1.5}, 9021, {"pattern": "panels"}),
    Case("split", "split-jerk", {"rear-knee-locked": 1.6}, 9022, {"pattern": "brick"},
         {"facing": "left"}),
    Case("split-back", "split-jerk", {"dip-forward": 1.6}, 9023,
         {"rear_near": True, "discs": ((225.0, 60.0, RED),)}, {}, 6.0),
    Case("power-jerk", "power-jerk", {"bar-ahead-overhead": 1.5}, 9024, {},
         {"width": 720, "height": 1280}),
    Case("front-squat", "front-squat", {}, 9025, {"pattern": "panels"}, {"fps": 30.0}),
    Case("over-squat", "overhead-squat", {"bar-ahead-overhead": 1.5}, 9026,
         {"discs": ((225.0, 55.0, BLUE),)}, {"facing": "left"}),
    Case("deadlift", "deadlift", {}, 9027, {"pattern": "brick"}, {"fps": 30.0}),
    Case("high-pull", "high-pull", {}, 9028, {"discs": ((225.0, 70.0, GREEN),)}, {}, -8.0),
    Case("held-still", "power-clean", {"early-arm-bend": 1.6}, 9029, {},
         {"sway_mm": 9.0}),
    Case("low", "snatch", {"bar-away-from-hip": 1.5}, 9030, {"light": 0.7}, {"sway_mm": 6.0,
         "facing": "left"}),
)  # fmt: skip


def _filmed(case: Case, rng: np.random.Generator, stature: float) -> tuple[Scene, Phone]:
    def colour(low: float, high: float) -> tuple[float, float, float]:
        r, g, b = (float(v) for v in rng.uniform(low, high, 3))
        return r, g, b

    tone = float(rng.uniform(0.3, 0.8))
    drawn = {
        "girth": float(rng.uniform(0.92, 1.12)), "skin": (tone, 0.74 * tone, 0.6 * tone),
        "shirt": colour(0.1, 0.85), "shorts": colour(0.05, 0.4), "shoe": colour(0.1, 0.95),
        "hair": colour(0.05, 0.35), "wall": colour(0.3, 0.8), "floor": colour(0.2, 0.5),
    }  # fmt: skip
    scene = Scene(**{**drawn, "seed": case.seed, **case.scene})
    shown = Phone((0, 0, 1), (0, 0, 0), 1.0, seed=case.seed, **case.phone)
    away = float(rng.uniform(3600, 6500))
    yaw = np.radians(case.yaw_deg + float(rng.uniform(-2, 2)))
    aim = np.array([0.0, 0.58 * stature, 0.0])
    lens = aim + away * np.array([np.sin(yaw), 0.0, np.cos(yaw)])
    lens[1] = float(rng.uniform(500, 1500))  # on a bag, on a stand, in the hand
    tall = 1.5 * stature / (away - 700.0)
    wide = 2100.0 / (away - 700.0)
    lens_px = min(0.9 * shown.height / tall, 0.9 * shown.width / wide)
    at, to = (tuple(float(v) for v in p) for p in (lens, aim))
    return scene, replace(shown, at=at, to=to, lens_px=lens_px)


def _truth(
    rep: SimMotion, sim: SimMotion, scene: Scene, phone: Phone, times: FloatArray
) -> dict[str, Any]:
    """As the simulator writes it, with this camera's pixels: events and metrics of ``rep``, or of
    the first of a set, and frames of all of it.
    """
    body = {name: track for name, track in sim.joints.items() if name != "grip"}
    out = truth_document(replace(sim, joints=body), Camera(facing=phone.facing), times)
    own = truth_document(rep, Camera(facing=phone.facing), times[times <= rep.t_s[-1]])
    out |= {name: own[name] for name in ("events", "metrics")}
    face = np.array([0.0, 0.0, SLEEVE_FROM + sum(thick for _, thick, _ in scene.discs[:1])])
    mirror = phone.facing == "left"
    split = any(n.endswith("_rear") for n in sim.joints)
    for frame, t in zip(out["frames"], times, strict=True):
        p = points_at(sim, float(t), mirror, scene.rear_near)
        frame["bar_px"] = phone.project(p["bar"] + face, float(t)).tolist()
        joints = {n: phone.project(p[_drawn_as(n, split and scene.rear_near)], float(t)).tolist()
                  for n in frame["joints_px"]}  # fmt: skip
        frame["joints_px"] = joints
    p = points_at(sim, 0.0, mirror)["bar"] + face
    up = np.array([0.0, 100.0, 0.0])
    px_mm = np.linalg.norm(phone.project(p + up, 0.0) - phone.project(p - up, 0.0)) / 200.0
    out["mm_per_px"] = float(1.0 / px_mm)
    out["plate_px"] = float(2.0 * scene.discs[0][0] * px_mm)
    return out


def _drawn_as(joint: str, rear_near: bool) -> str:
    """The point of ``points_at`` that is this joint of the truth."""
    plain = joint.removesuffix("_rear")
    far = plain in LEG and joint.endswith("_rear") != rear_near
    return f"far_{plain}" if far else plain


def make(case: Case) -> tuple[Path, dict[str, Any], float]:
    """Film it where it is not there yet; the clip, its truth and the stature, mm."""
    rng = np.random.default_rng(case.seed)
    stature = float(rng.uniform(1580, 1900))
    clip, truth = (FOLDER / f"second-{case.name}{end}" for end in (".mp4", ".json"))
    if not truth.exists():
        FOLDER.mkdir(exist_ok=True)
        rep = lifted(case.lift, case.faults, stature, rng, BODY_SPREAD)
        sim = set_of([rep] * case.reps) if case.reps > 1 else rep
        sim = let_go(sim) if case.drops else sim
        scene, phone = _filmed(case, rng, stature)
        times = np.round(np.arange(0.0, sim.t_s[-1], 1.0 / phone.fps) * 90000) / 90000
        pictures = zip(map(float, times), film(sim, scene, phone, times), strict=True)
        write_pictures(pictures, clip, phone.fps)
        own = rep if case.drops else sim
        write_truth(_truth(own, sim, scene, phone, times) | {"reps": case.reps}, truth)
    return clip, json.loads(truth.read_text()), stature


def judge(case: Case) -> Tally:
    """Analyse one film without a click, and with a mark a second; a body drawn by lot may be too
    short to show its fault.
    """
    try:
        made = make(case)
    except RecipeError as err:
        none = Tally()
        none.auto.names.append(f"{case.name}: {err}")
        return none
    return tally_of(case.name, case.lift, case.seed, *made)


def table(word: str, chosen: Sequence[Case]) -> list[tuple[str, str, str, bool]]:
    """Rows of the table for these films, with a line for each; one row that says so without VTK."""
    if find_spec("vtk") is None:
        return [(MISSING, "", "", True)]
    # A forked child of a process with threads may hang.
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn")) as pool:
        done = list(pool.map(judge, chosen))
    rows = rows_of(word, joined(done), False)
    for case, t in zip(chosen, done, strict=True):
        bar = np.array(t.bar_mm or [999.0])
        a, m = t.auto, t.marked
        speed = a.speed[0] if a.speed else float("nan")
        said = f"{np.median(bar):.1f}, {np.percentile(bar, 95):.1f} mm; speed {speed:.1%}; "
        said += f"{a.right}/{a.said}, {a.found}/{a.due}; {m.right}/{m.said}, {m.found}/{m.due}"
        what = f"{case.lift} {' '.join(case.faults) or 'sound'}"
        rows.append((f"  {case.name} {what}", said, "", True))
    for way in ("auto", "marked"):
        for tally in done:
            rows += [(f"  {way} {n}", "", "", True) for n in getattr(tally, way).names]
    return rows


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    return table("second", CASES[:2] if quick else CASES)
