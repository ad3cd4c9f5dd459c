"""Lifts x faults x nuisances on bodies and rooms of their own; nothing is tuned on these films.

Each lift with its fault is filmed clean and with some of the nuisances, so that every nuisance
meets several lifts. Bodies have limbs up to 6 % longer or shorter than the average of their
stature, rooms and clothes are drawn by lot from fixed seeds. Judged without a click.
"""

from __future__ import annotations

import multiprocessing
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, fields, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.films import FOLDER, Film
from benchmarks.held_out import Score, add, sparse_marks
from keenkettle.coach.front import is_front
from keenkettle.coach.judge import Reference
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.review import Request, review_clip
from keenkettle.film.disc import DiscNotFoundError
from keenkettle.film.follow import BarLostError
from keenkettle.film.write import write_pictures
from keenkettle.lifter.body import Body, body_from_stature
from keenkettle.lifter.camera import Camera, fitted_camera
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.film import frame_times, truth_document, write_truth
from keenkettle.lifter.motion import SimMotion, build_motion
from keenkettle.lifter.recipe import HANG_LIFTS, SHAPES, RecipeError, Shown, recipe_for
from keenkettle.lifter.render import Look, render_frames

Picture = NDArray[np.uint8]

#: A lift and its fault with the size that is dialled in.
LIFTS: tuple[tuple[str, dict[str, float]], ...] = (
    ("power-clean", {"early-arm-bend": 1.6}),
    ("power-clean", {"hips-rise-first": 1.5}),
    ("clean", {}),
    ("power-snatch", {"forward-loop": 1.5}),
    ("snatch", {"unfinished-extension": 1.5}),
    ("clean-pull", {"shoulders-behind-bar": 1.5}),
    ("power-snatch", {"jump-back": 1.5}),
    ("clean", {"bar-crash": 1.5}),
    ("hang-power-clean", {}),
    ("snatch-pull", {"bar-away-from-hip": 1.5}),
)
NUISANCES = (
    "blur", "post", "passer", "spares", "dusk", "black", "roll", "turned", "small", "slow rate",
    "coarse",
)  # fmt: skip
ROLL_DEG = 4.0
BODY_SPREAD = 0.06
PASSER_MM, PASSER_TALL_MM = 420.0, 1750.0


@dataclass(frozen=True)
class Case:
    """One film: a lift, its fault, and a nuisance or "clean"."""

    name: str
    lift: str
    faults: dict[str, float]
    nuisance: str
    seed: int


@dataclass
class Tally:
    """What came of the films of one nuisance."""

    films: int = 0
    found: int = 0
    bar_mm: list[float] = field(default_factory=list)
    silent_mm: list[float] = field(default_factory=list)
    auto: Score = field(default_factory=Score)
    marked: Score = field(default_factory=Score)


def cases() -> list[Case]:
    """Every lift clean and with two nuisances, every nuisance on two lifts or more."""
    out = []
    for i, (lift, faults) in enumerate(LIFTS):
        for j, what in enumerate(("clean", *(NUISANCES[(2 * i + k) % 11] for k in (0, 1)))):
            name = f"matrix-{i:02d}-{what.replace(' ', '-')}"
            out.append(Case(name, lift, faults, what, 7000 + 10 * i + j))
    return out


def lifted(
    lift: str,
    faults: dict[str, float],
    stature_mm: float,
    rng: np.random.Generator,
    most: float = BODY_SPREAD,
) -> SimMotion:
    """The lift by a body of its own: of those drawn the first that can show the fault.

    What is drawn between key poses (jerks, presses, squats) has the average body.

    Args:
        lift, faults: as in a recipe.
        stature_mm: the body's.
        rng: draws its limbs.
        most: share by which they may differ from the average at first.

    Raises:
        RecipeError: the average body cannot show it either.
    """
    if lift not in SHAPES and lift not in HANG_LIFTS:
        found = find_lift(lift)
        axes = Shown(found.family, found.implement, found.start, found.ends)
        return simulate(lift, axes, stature_mm, faults)
    for spread in np.linspace(most, 0.0, round(100 * most) + 1):
        try:
            body = body_of(stature_mm, float(spread), rng)
            return build_motion(recipe_for(lift, stature_mm, faults), body)
        except RecipeError:
            continue
    raise RecipeError(f"no body of {stature_mm / 10:.0f} cm can show {faults} in a {lift}")


def body_of(stature_mm: float, spread: float, rng: np.random.Generator) -> Body:
    """A body with limbs up to ``spread`` longer or shorter than the average of its stature."""
    body = body_from_stature(stature_mm)
    limbs = {f.name for f in fields(Body)} & {"shank", "thigh", "trunk", "upper_arm", "forearm"}
    changed = {n: getattr(body, n) * (1.0 + rng.uniform(-1, 1) * spread) for n in sorted(limbs)}
    return replace(body, **changed)


def _look(rng: np.random.Generator, seed: int) -> Look:
    def colour(low: int, high: int) -> tuple[int, int, int]:
        r, g, b = (int(v) for v in rng.integers(low, high, 3))
        return r, g, b

    return Look(
        wall=colour(90, 215), floor=colour(60, 160), shirt=colour(30, 200), shorts=colour(20, 140),
        hair=colour(15, 90), disc=colour(25, 150), stripe=colour(150, 245), seed=seed,
    )  # fmt: skip


def _filmed(case: Case, rng: np.random.Generator, stature: float) -> tuple[Camera, Look]:
    look = _look(rng, case.seed)
    fps = {"slow rate": 30.0}.get(case.nuisance, 60.0)
    facing = "right" if rng.random() < 0.5 else "left"
    yaw = 12.0 if case.nuisance == "turned" else float(rng.uniform(-3, 3))
    far = float(rng.uniform(4200, 7500))
    camera = fitted_camera(1280, 720, fps, stature, yaw, facing, far)
    match case.nuisance:
        case "blur":
            camera = replace(camera, exposure_s=1 / 60)
        case "roll":
            camera = replace(camera, roll_deg=ROLL_DEG)
        case "small":
            camera = replace(camera, px_per_mm=0.6 * camera.px_per_mm)
        case "dusk":
            look = replace(look, light=0.55, noise=8.0)
        case "black":
            look = replace(look, wall=(58, 58, 62), floor=(46, 46, 48), disc=(26, 26, 28),
                           stripe=(70, 70, 70))  # fmt: skip
        case "post":
            look = replace(look, pillar_x_mm=float(rng.uniform(250, 420)))
        case "spares":
            look = replace(look, spare_discs=(-900.0, 820.0, 1250.0))
    return camera, look


def _passing(
    pictures: Iterator[Picture], camera: Camera, rng: np.random.Generator
) -> Iterator[Picture]:
    """Somebody in dark clothes walks through in front, at the time of the pull."""
    wide, tall = (camera.px_per_mm * mm * 1.25 for mm in (PASSER_MM, PASSER_TALL_MM))
    coat = tuple(int(v) for v in rng.integers(20, 110, 3))
    floor = camera.height * (1.0 - camera.floor_share) + 0.04 * camera.height
    for n, picture in enumerate(pictures):
        x = -wide + (camera.width + 2 * wide) * (n / camera.fps - 0.4) / 2.2
        out = picture.copy()
        head = (round(x), round(floor - tall + 0.2 * wide))
        cv2.rectangle(out, (round(x - wide / 2), round(floor - 0.85 * tall)),
                      (round(x + wide / 2), round(floor)), coat, -1)  # fmt: skip
        cv2.circle(out, head, round(0.3 * wide), (150, 110, 90), -1)
        yield out


def make(case: Case) -> tuple[Path, dict[str, Any], float]:
    """Film it where it is not there yet; the clip, its truth and the stature, mm."""
    import json

    rng = np.random.default_rng(case.seed)
    stature = float(rng.uniform(1600, 1900))
    clip, truth = FOLDER / f"{case.name}.mp4", FOLDER / f"{case.name}.json"
    if not truth.exists():
        FOLDER.mkdir(exist_ok=True)
        sim = lifted(case.lift, case.faults, stature, rng)
        camera, look = _filmed(case, rng, stature)
        times = frame_times(sim, camera)
        # The room does not roll with the camera, so the finished pictures do.
        pictures = render_frames(sim, replace(camera, roll_deg=0.0), look, times)
        if camera.roll_deg:
            pictures = (_rolled(p, camera.roll_deg) for p in pictures)
        if case.nuisance == "passer":
            pictures = _passing(pictures, camera, rng)
        if case.nuisance == "coarse":
            pictures = (_coarse(p) for p in pictures)
        write_pictures(zip(map(float, times), pictures, strict=True), clip, camera.fps)
        write_truth(truth_document(sim, camera, times), truth)
    return clip, json.loads(truth.read_text()), stature


def _rolled(picture: Picture, degrees: float) -> Picture:
    """Turned about its middle as ``Camera.project`` turns points."""
    h, w = picture.shape[:2]
    centre = np.array([(w - 1) / 2.0, (h - 1) / 2.0])
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[cos, -sin], [sin, cos]])
    matrix = np.column_stack([turn, centre - turn @ centre])
    return np.asarray(cv2.warpAffine(picture, matrix, (w, h), borderMode=cv2.BORDER_REPLICATE))


def _coarse(picture: Picture) -> Picture:
    """As a phone keeps it that has little room: compressed hard, frame by frame."""
    _, packed = cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, 18])
    return np.asarray(cv2.imdecode(packed, cv2.IMREAD_COLOR), np.uint8)


def judge(case: Case) -> Tally:
    """Analyse one film without a click, automatically and with a mark a second."""
    return tally_of(case.name, case.lift, case.seed, *make(case))


def tally_of(
    name: str, lift: str, seed: int, clip: Path, truth: dict[str, Any], stature: float
) -> Tally:
    """Analyse a film of known truth both ways; ``seed`` is that of the clicks."""
    film = Film(name, lift, fps=1.0 / (truth["frames"][1]["t_s"]))
    base = Request(clip, lift=lift, reference=Reference(stature_mm=stature), auto=True)
    tally = Tally(films=1)
    try:
        review = review_clip(base)
    except (DiscNotFoundError, BarLostError) as err:
        tally.auto.names.append(f"{name}: {err}")
        return tally
    bar = np.array([f["bar_px"] for f in truth["frames"]])
    off = np.linalg.norm(review.bar.xy_px - bar, axis=1) * truth["mm_per_px"]
    tally.found = int(np.median(off) < 60.0)
    tally.bar_mm = list(off)
    tally.silent_mm = [float(off[review.bar.quality >= 0.5].max(initial=0.0))]
    if is_front(review.joints):
        tally.auto.names.append(f"{name}: taken for a film from the front")
        return tally
    add(tally.auto, film, truth, review)
    add(tally.marked, film, truth, review_clip(replace(base, marks=sparse_marks(truth, seed))))
    return tally


def joined(tallies: list[Tally]) -> Tally:
    """The films of several tallies as one."""
    out = Tally()
    for one in tallies:
        out.films += one.films
        out.found += one.found
        out.bar_mm += one.bar_mm
        out.silent_mm += one.silent_mm
        for mine, its in ((out.auto, one.auto), (out.marked, one.marked)):
            for f in fields(Score):
                setattr(mine, f.name, getattr(mine, f.name) + getattr(its, f.name))
    return out


def rows_of(word: str, t: Tally, clean: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table; ``clean``: nothing disturbs these films."""
    most, far = (2.0, 5.0) if clean else (5.0, 15.0)
    bar = np.array(t.bar_mm)
    median, p95 = (float(np.percentile(bar, p)) for p in (50, 95)) if len(bar) else (999.0, 999.0)
    silent = max(t.silent_mm, default=999.0)
    rows = [
        (f"{word}: disc found", f"{t.found} of {t.films}", ">= 97 %", t.found >= 0.97 * t.films),
        (f"{word}: bar, median and 95 %", f"{median:.1f}, {p95:.1f} mm", f"<= {most:g}, {far:g}",
         median <= most and p95 <= far),
        (f"{word}: bar, worst not flagged", f"{silent:.0f} mm", "<= 30 mm", silent <= 30.0),
    ]  # fmt: skip
    for way, s, precise, recalled in (
        ("automatic", t.auto, 0.90, 0.75), ("marks", t.marked, 0.95, 0.90),
    ):  # fmt: skip
        seen, hidden = (float(np.median(x)) if x else 999.0 for x in (s.seen_mm, s.hidden_mm))
        degrees = float(np.median(s.extension_deg)) if s.extension_deg else 99.0
        limits = (35.0, 50.0) if way == "automatic" else (20.0, 20.0)
        precision, recall = s.right / max(s.said, 1), s.found / max(s.due, 1)
        inside = float(np.mean(s.inside90)) if s.inside90 else 0.0
        worst = max(s.speed, default=0.0)
        near, rest = (
            float(np.mean(np.array(x) <= 1.01)) if x else 0.0 for x in (s.events, s.others)
        )
        rows += [
            (f"{word}, {way}: joints seen, hidden", f"{seen:.0f}, {hidden:.0f} mm",
             f"<= {limits[0]:g}, {limits[1]:g}", seen <= limits[0] and hidden <= limits[1]),
            (f"{word}, {way}: 90 % regions", f"{inside:.0%}", "85-95 %", 0.85 <= inside <= 0.95),
            (f"{word}, {way}: events", f"{near:.0%}", "100%", near >= 1.0),
            (f"{word}, {way}: contact, bottom and the other events", f"{rest:.0%}", "100%",
             rest >= 1.0),
            (f"{word}, {way}: extension; worst speed", f"{degrees:.1f} deg; {worst:.1%}",
             "<= 5; 2 %", degrees <= 5.0 and worst <= 0.02),
            (f"{word}, {way}: findings right", f"{s.right} of {s.said}", f">= {precise:.0%}",
             not s.said or precision >= precise),
            (f"{word}, {way}: faults found", f"{s.found} of {s.due}", f">= {recalled:.0%}",
             not s.due or recall >= recalled),
        ]  # fmt: skip
    return rows


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table: clean films, those with nuisances, then a line a nuisance."""
    chosen = cases()[:4] if quick else cases()
    # A forked child of a process with threads may hang.
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn")) as pool:
        done = list(pool.map(judge, chosen))
    by: dict[str, list[Tally]] = {}
    for case, tally in zip(chosen, done, strict=True):
        by.setdefault(case.nuisance, []).append(tally)
    rows = rows_of("clean", joined(by.get("clean", [])), True)
    rows += rows_of("nuisance", joined([t for n in NUISANCES for t in by.get(n, [])]), False)
    for name, tallies in by.items():
        t = joined(tallies)
        bar = np.array(t.bar_mm or [999.0])
        said = f"{t.found}/{t.films}, {np.median(bar):.1f}, {np.percentile(bar, 95):.1f} mm"
        a, m = t.auto, t.marked
        judged = f"{a.right}/{a.said}, {a.found}/{a.due}; {m.right}/{m.said}, {m.found}/{m.due}"
        rows.append((f"  {name}: found, bar; right, found", f"{said}; {judged}", "", True))
    for way in ("auto", "marked"):
        for tally in done:
            rows += [(f"  {way} {n}", "", "", True) for n in getattr(tally, way).names]
    return rows
