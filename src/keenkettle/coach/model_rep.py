"""The simulated lifter as a rep to compare with: its film and a review made from its truth."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from keenkettle.coach.judge import Reference
from keenkettle.coach.lifts import find_lift
from keenkettle.coach.review import Request, Review, Tracked, judge_tracks
from keenkettle.film.clip import Clip
from keenkettle.film.rim import Ring
from keenkettle.film.view import Roll
from keenkettle.lifter.camera import Camera, fitted_camera
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.film import picture_truth, write_film
from keenkettle.lifter.motion import SimMotion
from keenkettle.lifter.recipe import Shown
from keenkettle.lifter.render import Look, implement_mm, implement_z
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack

FPS, SIZE = 60.0, (960, 540)
SURE_PX = 0.3


def model_lifter(lift_id: str, stature_mm: float, facing: str) -> tuple[SimMotion, Camera]:
    """The model of a lift in an athlete's proportions, and a camera that sees it whole.

    Raises:
        UnknownLiftError: there is no such lift.
        RecipeError: it cannot be simulated.
    """
    lift = find_lift(lift_id)
    axes = Shown(lift.family, lift.implement, lift.start, lift.ends, lift.pre)
    sim = simulate(lift.id, axes, stature_mm, {})
    return sim, fitted_camera(*SIZE, FPS, stature_mm, facing=facing)


def model_review(
    lift_id: str,
    stature_mm: float,
    facing: str,
    out: Path,
    progress: Callable[[str, float], None] | None = None,
) -> Review:
    """Film the model (unless the film is there) and review it from its truth.

    Args:
        lift_id: catalogue id.
        stature_mm: the athlete's.
        facing: "left" or "right".
        out: the film, kept for the next time.
        progress: called with a word and the share done.
    """
    sim, camera = model_lifter(lift_id, stature_mm, facing)
    if not out.exists():
        out.parent.mkdir(parents=True, exist_ok=True)

        def told(done: int, of: int) -> None:
            if progress is not None:
                progress("drawing the model", done / of)

        write_film(sim, camera, Look(), out, progress=told)
    with Clip(out) as clip:
        info, times = clip.info, clip.times_s
    truth = picture_truth(sim, camera, times)
    n = len(times)
    radius = implement_mm(sim) * camera.scale_at(implement_z(sim))
    bar = BarTrack(truth["bar"], np.ones(n), SURE_PX / 10)
    ring = Ring(float(truth["bar"][0, 0]), float(truth["bar"][0, 1]), radius)
    known = {*JOINTS, *(f"{j}_rear" for j in ("knee", "ankle", "heel", "toe"))}
    joints = {
        name: JointTrack(xy, np.full(n, SURE_PX)) for name, xy in truth.items() if name in known
    }
    request = Request(
        out, lift=lift_id, facing=facing, reference=Reference(stature_mm),
        plate_mm=2.0 * implement_mm(sim), camera_m=camera.distance_mm / 1000.0,
    )  # fmt: skip
    return judge_tracks(
        request, Tracked(info, times, ring, 0.05, True, bar, Roll(0.0, 0.0)), joints
    )
