"""Films from the front with known faults of sides: what is measured, and what is found."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.util import find_spec
from pathlib import Path

import numpy as np

from benchmarks.films import FOLDER
from benchmarks.matrix import lifted
from benchmarks.second import Case as Second
from benchmarks.second import make
from keenkettle.coach.review import Request, Review, review_clip
from keenkettle.lifter.front import Front, SideFaults, make_front
from keenkettle.lifter.front_film import front_camera, front_truth, write_front
from keenkettle.lifter.render import Look
from keenkettle.measure.geometry import FloatArray

PALE = Look(wall=(205, 200, 190), floor=(160, 150, 140), shirt=(40, 60, 120), disc=(150, 60, 40),
            seed=5)  # fmt: skip
DUSK = Look(wall=(70, 74, 86), floor=(48, 50, 54), shirt=(150, 150, 60), light=0.85, seed=6)
BREADTH = 1.12
SOUND = (
    Second("front-a", "power-snatch", {}, 9101, {}, {"width": 720, "height": 1280}, 88.0),
    Second("front-b", "clean", {}, 9102, {"pattern": "brick"}, {"fps": 30.0}, -86.0),
    Second("front-c", "snatch", {}, 9103, {"pattern": "panels"},
           {"width": 720, "height": 1280, "facing": "left"}, -80.0),
)  # fmt: skip


@dataclass(frozen=True)
class Case:
    """One film: lift, stature, faults of sides, look, and what should be found."""

    name: str
    lift: str
    stature_mm: float
    faults: SideFaults
    look: Look
    wanted: tuple[str, ...] = ()


CASES = (
    Case("level snatch", "power-snatch", 1750.0, SideFaults(), Look()),
    Case("level clean", "power-clean", 1680.0, SideFaults(landing=1.25), PALE),
    Case("tilted snatch", "snatch", 1820.0, SideFaults(tilt_deg=6.0), PALE, ("bar-tilt",)),
    Case("tilted clean", "power-clean", 1750.0, SideFaults(tilt_deg=-7.0), DUSK, ("bar-tilt",)),
    Case("wide landing", "power-clean", 1710.0, SideFaults(landing=2.1), Look(), ("wide-landing",)),
    Case("late left arm", "power-snatch", 1780.0, SideFaults(lag_s=0.12), PALE,
         ("uneven-lockout",)),
    Case("late arm, snatch", "snatch", 1700.0, SideFaults(lag_s=0.15), Look(),
         ("uneven-lockout",)),
    Case("wide in dusk", "power-snatch", 1880.0, SideFaults(landing=2.2), DUSK, ("wide-landing",)),
    Case("knees in", "clean", 1750.0, SideFaults(knee_in_mm=80.0), Look(), ("knees-cave",)),
    Case("knees in, pale", "snatch", 1640.0, SideFaults(knee_in_mm=75.0), PALE, ("knees-cave",)),
    Case("squat", "back-squat", 1700.0, SideFaults(), DUSK),
    Case("squat, knees in", "front-squat", 1780.0, SideFaults(knee_in_mm=80.0), PALE,
         ("knees-cave",)),
)  # fmt: skip


def film_of(case: Case) -> tuple[Path, Front]:
    """The film, made once."""
    sim = lifted(case.lift, {}, case.stature_mm, np.random.default_rng(0), 0.0)
    front = make_front(sim, case.faults)
    out = FOLDER / f"front-{case.name.replace(' ', '-').replace(',', '')}.mp4"
    if not out.exists():
        FOLDER.mkdir(exist_ok=True)
        write_front(front, front_camera(case.stature_mm), case.look, out)
    return out, front


def truths(case: Case) -> dict[str, float]:
    """What the measures should be."""
    return {
        "bar_slope": abs(case.faults.tilt_deg),
        "landing_width": case.faults.landing / BREADTH,
        "knee_inside": case.faults.knee_in_mm,
        "elbow_gap": 1000.0 * case.faults.lag_s,
    }


def reviewed(case: Case) -> Review:
    """The review of a case's film, the lift given."""
    path, _ = film_of(case)
    return review_clip(Request(path, lift=case.lift, auto=True))


def bar_off_mm(case: Case, review: Review) -> FloatArray:
    """How far the bar is off at both hands, upright, where it was told, mm."""
    camera = front_camera(case.stature_mm)
    truth = front_truth(film_of(case)[1], camera, review.times_s)
    seen = {n: t.xy_px for n, t in review.joints.items()}

    def row(points: dict[str, FloatArray], x: FloatArray) -> FloatArray:
        a, b = points["bar_left"], points["bar_right"]
        return np.asarray(a[:, 1] + (x - a[:, 0]) / (b[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1]))

    off = [row(seen, truth[f"{s}_wrist"][:, 0]) - row(truth, truth[f"{s}_wrist"][:, 0])
           for s in ("left", "right")]  # fmt: skip
    off_mm = np.abs(np.concatenate(off)) / camera.scale_at(0.0)
    return np.asarray(off_mm[np.isfinite(off_mm)])


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    errors: dict[str, list[float]] = {}
    bar: list[FloatArray] = []
    right = found = wanted = 0
    for case in CASES[:2] if quick else CASES:
        review = reviewed(case)
        for name, true in truths(case).items():
            value = review.reps[0].metrics[name].value if review.reps else None
            if value is not None:
                errors.setdefault(name, []).append(abs(value - true))
        if "bar_left" in review.joints:
            bar.append(bar_off_mm(case, review))
        said = {f.fault for r in review.reps for f in r.verdict.findings}
        right += len(said & set(case.wanted))
        found += len(said)
        wanted += len(case.wanted)
    rows = [
        ("front view, findings right", f"{right} of {found}", "all", right == found),
        ("front view, faults found", f"{right} of {wanted}", "all", right == wanted),
    ]
    off = np.concatenate(bar) if bar else np.array([np.inf])
    middling, most = float(np.median(off)), float(np.quantile(off, 0.95))
    rows.append(("  bar upright, median; 95 %", f"{middling:.1f}; {most:.1f} mm", "<= 10; 30",
                 middling <= 10.0 and most <= 30.0))  # fmt: skip
    for name, worst, unit in (("bar_slope", 1.5, "deg"), ("landing_width", 0.15, "shoulders"),
                              ("knee_inside", 30.0, "mm"), ("elbow_gap", 40.0, "ms")):  # fmt: skip
        value = max(errors.get(name, [np.inf]))
        rows.append((f"  {name}, worst error", f"{value:.2f} {unit}", f"<= {worst:g}",
                     value <= worst))  # fmt: skip
    return rows + ([] if quick or find_spec("vtk") is None else _sound())


def _sound() -> list[tuple[str, str, str, bool]]:
    """Sound lifts by the second renderer, some degrees off the front: nothing is to be found."""
    said: list[str] = []
    slopes: list[float] = []
    for case in SOUND:
        path, _, _ = make(case)
        for rep in review_clip(Request(path, lift=case.lift, auto=True)).reps:
            said += [f.fault for f in rep.verdict.findings]
            slopes.append(rep.metrics["bar_slope"].value or 0.0)
    return [
        ("sound lifts by the second renderer, faults found", f"{len(said)}", "none", not said),
        ("  bar_slope, worst", f"{max(slopes):.2f} deg", "<= 1.5", max(slopes) <= 1.5),
    ]
