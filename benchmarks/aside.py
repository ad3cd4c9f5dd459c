"""Films from between side and front: the bar, heights and the bar's tilt."""

from __future__ import annotations

import numpy as np

from benchmarks.films import Film, make, make_all
from keenkettle.coach.judge import Reference
from keenkettle.coach.review import Request, review_clip
from keenkettle.lifter.render import Look

FILMS = (
    Film("aside-25-tilt", "power-snatch", yaw_deg=25.0, look=Look(tilt_deg=6.0)),
    Film("aside-35-tilt", "power-clean", 1690.0, yaw_deg=-35.0, look=Look(tilt_deg=-5.5, seed=4)),
    Film("aside-42-tilt", "snatch", 1820.0, yaw_deg=42.0, facing="left",
         look=Look(tilt_deg=7.0, wall=(150, 156, 160), disc=(150, 40, 40))),
    Film("aside-25", "clean", 1690.0, yaw_deg=-25.0, look=Look(seed=5, shirt=(60, 90, 60))),
    Film("aside-30", "power-snatch", yaw_deg=30.0, look=Look(seed=9)),
    Film("aside-38", "power-clean", 1800.0, yaw_deg=38.0, facing="left", look=Look(seed=7)),
)  # fmt: skip


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    films = FILMS[:1] if quick else FILMS
    make_all(list(films))
    bar, heights, tilts, said, due = [], [], [], set(), set()
    for film in films:
        clip, truth = make(film)
        reference = Reference(stature_mm=film.stature_mm)
        review = review_clip(Request(clip, lift=film.lift, reference=reference, auto=True))
        true = np.array([f["bar_px"] for f in truth["frames"]])
        bar += list(np.hypot(*(review.bar.xy_px - true).T) * truth["mm_per_px"])
        if film.look.tilt_deg:
            due.add(film.name)
        for rep in review.reps[:1]:
            height = rep.metrics["bar_peak_height"].value
            heights.append(abs((height or 0.0) - truth["metrics"]["bar_peak_height"]["value"]))
            slope = rep.metrics["bar_slope"].value
            tilts.append(np.inf if slope is None else abs(slope - abs(film.look.tilt_deg)))
            said |= {film.name for f in rep.verdict.findings if f.fault == "bar-tilt"}
    middle, worst = float(np.median(bar)), float(np.max(heights, initial=0.0))
    off = float(np.max(tilts, initial=0.0))
    return [
        ("from aside: bar, median", f"{middle:.1f} mm", "<= 5 mm", middle <= 5.0),
        ("from aside: peak height, worst", f"{worst:.0f} mm", "<= 8 mm", worst <= 8.0),
        ("from aside: bar's slope, worst", f"{off:.1f} deg", "<= 1 deg", off <= 1.0),
        ("from aside: tilts found", f"{len(said & due)} of {len(due)}", "all", said == due),
    ]
