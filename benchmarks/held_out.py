"""A matrix that nothing is tuned on: other bodies, looks, distances, rates and fault sizes.

Fully automatic (no marks, no click), and with one mark a second on each joint.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from benchmarks.accuracy import CLICK_PX, EVENTS, _edge, expected
from benchmarks.films import Film, make, make_all
from keenkettle.coach.judge import Reference
from keenkettle.coach.review import Request, Review, review_clip
from keenkettle.film.disc import DiscNotFoundError
from keenkettle.film.follow import BarLostError
from keenkettle.film.plausible import Marks
from keenkettle.lifter.render import Look

DUSK = Look(wall=(70, 74, 86), floor=(48, 50, 54), shirt=(150, 150, 60), shorts=(90, 40, 40),
            hair=(20, 20, 22), disc=(34, 60, 36), stripe=(210, 210, 200), light=0.7, noise=6.0,
            seed=41)  # fmt: skip
PALE = Look(wall=(205, 200, 190), floor=(160, 150, 140), shirt=(40, 60, 120),
            shorts=(120, 120, 126), skin=(120, 84, 62), hair=(30, 26, 24),
            disc=(150, 60, 40), stripe=(240, 236, 230), seed=42)  # fmt: skip
POST = Look(wall=(120, 124, 120), floor=(70, 76, 80), shirt=(60, 100, 70), pillar_x_mm=420.0,
            seed=43)  # fmt: skip
HIDDEN_SHARE = 1.0
#: The bottom of a catch or a squat is held still on these films, so it is no moment.
DOWN_FIRST = ("dip_start", "dip_bottom", "drive_end", "descent_start")


def matrix(quick: bool) -> list[Film]:
    """Lifts, faults and nuisances."""
    films = [
        Film("held-clean", "clean", 1660.0, look=PALE, distance_mm=6500.0, yaw_deg=4.0),
        Film("held-snatch", "snatch", 1790.0, look=DUSK, facing="left", distance_mm=4200.0),
        Film("held-pc-hips", "power-clean", 1880.0, {"hips-rise-first": 1.5}, look=PALE,
             facing="left", distance_mm=7000.0),
        Film("held-pc-arms", "power-clean", 1640.0, {"early-arm-bend": 1.6}, look=DUSK),
        Film("held-ps-short", "power-snatch", 1800.0, {"unfinished-extension": 1.5}, look=POST,
             yaw_deg=-6.0),
        Film("held-pc-back", "power-clean", 1740.0, {"jump-back": 1.5}, look=POST, fps=120.0),
        Film("held-ps-loop", "power-snatch", 1700.0, {"forward-loop": 1.5}, look=PALE, fps=30.0),
        Film("held-pc-crash", "power-clean", 1820.0, {"bar-crash": 1.5}, look=DUSK,
             facing="left", yaw_deg=8.0),
        Film("held-pull", "clean-pull", 1900.0, look=POST, facing="left"),
    ]  # fmt: skip
    return films[:3] if quick else films


@dataclass
class Score:
    """Errors of one way of working."""

    bar_mm: list[float] = field(default_factory=list)
    seen_mm: list[float] = field(default_factory=list)
    hidden_mm: list[float] = field(default_factory=list)
    inside90: list[bool] = field(default_factory=list)
    events: list[float] = field(default_factory=list)
    others: list[float] = field(default_factory=list)  # events that joints or flat turns tell
    extension_deg: list[float] = field(default_factory=list)
    due: int = 0
    found: int = 0
    said: int = 0
    right: int = 0
    speed: list[float] = field(default_factory=list)
    names: list[str] = field(default_factory=list)


def sparse_marks(truth: dict[str, Any], seed: int) -> Marks:
    """One click a second on every joint, with a click's error."""
    rng = np.random.default_rng(seed)
    frames = truth["frames"]
    fps = 1.0 / np.median(np.diff([f["t_s"] for f in frames]))
    marks: Marks = {}
    for n in [*range(0, len(frames), round(fps)), len(frames) - 1]:
        for joint, xy in frames[n]["joints_px"].items():
            x, y = np.array(xy) + rng.normal(0.0, CLICK_PX, 2)
            marks.setdefault(joint, {})[n] = (float(x), float(y))
    return marks


def add(score: Score, film: Film, truth: dict[str, Any], review: Review) -> None:
    """Compare one review with the truth."""
    mm = truth["mm_per_px"]
    bar = np.array([f["bar_px"] for f in truth["frames"]])
    score.bar_mm += list(np.hypot(*(review.bar.xy_px - bar).T) * mm)
    for name, track in review.joints.items():
        true = np.array([f["joints_px"][name] for f in truth["frames"]])
        error = np.linalg.norm(track.xy_px - true, axis=1)
        hidden = np.linalg.norm(true - bar, axis=1) < HIDDEN_SHARE * truth["plate_px"] / 2
        ok = np.isfinite(error)
        score.seen_mm += list(error[ok & ~hidden] * mm)
        score.hidden_mm += list(error[ok & hidden] * mm)
        score.inside90 += list(error[ok] < 2.146 * track.sigma_px[ok])
    if not review.reps:
        score.names.append(f"{film.name}: no rep")
        return
    if len(review.reps) != truth.get("reps", 1):
        score.names.append(f"{film.name}: {len(review.reps)} reps of {truth['reps']}")
    rep = review.reps[0]
    v = rep.metrics["bar_peak_velocity"].value
    if v is not None:
        score.speed.append(abs(v / truth["metrics"]["bar_peak_velocity"]["value"] - 1.0))
    for name, want in truth["events"].items():
        got = rep.events.get(name)
        if want is not None and got is not None:
            # An event is a frame: on fewer than 60 a second it cannot be nearer than the next.
            off = abs(got - want["frame"]) * min(60.0 / film.fps, 1.0)
            (score.events if name in (*EVENTS, *DOWN_FIRST) else score.others).append(off)
    for name in ("hip_extension", "knee_extension"):
        got, want = rep.metrics[name].value, truth["metrics"][name]["value"]
        if got is not None and want is not None:
            score.extension_deg.append(abs(got - want))
    sure = expected(truth, 1.1)
    fair = expected(truth, 0.9) | _edge(truth)
    said = {f.fault for f in rep.verdict.findings}
    score.due += len(sure)
    score.found += len(sure & said)
    score.said += len(said)
    score.right += len(said & fair)
    score.names += [f"{film.name}: missed {f}" for f in sorted(sure - said)]
    score.names += [f"{film.name}: wrongly {f}" for f in sorted(said - fair)]


def rows_of(word: str, s: Score, limits: tuple[float, float, float, float]) -> list[Any]:
    """Rows of the table for one way of working."""
    seen, hidden, precise, recalled = limits
    sm = float(np.median(s.seen_mm)) if s.seen_mm else 999.0
    hm = float(np.median(s.hidden_mm)) if s.hidden_mm else 999.0
    inside = float(np.mean(s.inside90)) if s.inside90 else 0.0
    precision = s.right / s.said if s.said else 1.0
    recall = s.found / s.due if s.due else 1.0
    degrees = float(np.median(s.extension_deg)) if s.extension_deg else 99.0
    near = float(np.mean(np.array(s.events) <= 1.01))
    rows = [
        (f"{word}: joints in sight, median", f"{sm:.0f} mm", f"<= {seen:g} mm", sm <= seen),
        (f"{word}: joints behind the disc, median", f"{hm:.0f} mm", f"<= {hidden:g} mm",
         hm <= hidden),
        (f"{word}: 90 % regions hold the truth", f"{inside:.0%}", "85-95 %",
         0.85 <= inside <= 0.95),
        (f"{word}: events within 1/60 s, or a frame", f"{near:.0%}", "100%", near >= 1.0),
        (f"{word}: angles at extension, median", f"{degrees:.1f} deg", "<= 5 deg", degrees <= 5),
        (f"{word}: findings that are right", f"{s.right} of {s.said}", f">= {precise:.0%}",
         precision >= precise),
        (f"{word}: faults beyond 110 % found", f"{s.found} of {s.due}", f">= {recalled:.0%}",
         recall >= recalled),
    ]  # fmt: skip
    return rows + [(f"  {n}", "", "", True) for n in s.names]


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    films = matrix(quick)
    make_all(films)
    auto, marked = Score(), Score()
    lost: list[str] = []
    for i, film in enumerate(films):
        clip, truth = make(film)
        known = Reference(stature_mm=film.stature_mm)
        base = Request(clip, lift=film.lift, reference=known, auto=True)
        try:
            add(auto, film, truth, review_clip(base))
        except (DiscNotFoundError, BarLostError):
            lost.append(film.name)
            bar = truth["frames"][len(truth["frames"]) // 3]["bar_px"]
            click = (len(truth["frames"]) // 3, bar[0], bar[1], truth["plate_px"] / 2)
            base = replace(base, bar=click)
            try:
                add(auto, film, truth, review_clip(base))
            except BarLostError:
                auto.names.append(f"{film.name}: not followed, also from a click")
                continue
        marks = sparse_marks(truth, i)
        add(marked, film, truth,
            review_clip(replace(base, marks=marks)))  # fmt: skip
    bar = np.array(auto.bar_mm)
    median, p95 = float(np.median(bar)), float(np.percentile(bar, 95))
    found = 1.0 - len(lost) / len(films)
    rows = [
        (
            f"disc found without a click ({', '.join(lost) or 'all'})",
            f"{found:.0%}",
            ">= 97 %",
            found >= 0.97,
        ),
        (f"bar error, median ({len(films)} films)", f"{median:.2f} mm", "<= 2 mm", median <= 2),
        ("bar error, 95 %", f"{p95:.2f} mm", "<= 5 mm", p95 <= 5),
        ("peak velocity, worst", f"{max(auto.speed):.1%}", "<= 2 %", max(auto.speed) <= 0.02),
    ]
    rows += rows_of("automatic", auto, (35.0, 50.0, 0.90, 0.75))
    return rows + rows_of("one mark a second", marked, (20.0, 50.0, 0.95, 0.90))
