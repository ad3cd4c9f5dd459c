"""Films from between side and front: the bar, heights, its tilt, elbows, landing and knees."""

from __future__ import annotations

import numpy as np

from benchmarks.films import Film, make, make_all
from keenkettle.coach.judge import Reference
from keenkettle.coach.review import Request, review_clip
from keenkettle.lifter.render import JOINT_Z, Look
from keenkettle.measure.front import BREADTH

FILMS = (
    Film("aside-25-tilt", "power-snatch", yaw_deg=25.0, look=Look(tilt_deg=6.0)),
    Film("aside-35-tilt", "power-clean", 1690.0, yaw_deg=-35.0, look=Look(tilt_deg=-5.5, seed=4)),
    Film("aside-42-tilt", "snatch", 1820.0, yaw_deg=42.0, facing="left",
         look=Look(tilt_deg=7.0, wall=(150, 156, 160), disc=(150, 40, 40))),
    Film("aside-25", "clean", 1690.0, yaw_deg=-25.0, look=Look(seed=5, shirt=(60, 90, 60))),
    Film("aside-30", "power-snatch", yaw_deg=30.0, look=Look(seed=9)),
    Film("aside-38", "power-clean", 1800.0, yaw_deg=38.0, facing="left", look=Look(seed=7)),
    Film("aside-33-wide", "power-clean", 1740.0, yaw_deg=33.0,
         look=Look(seed=11, landing_mm=760.0, shirt=(60, 60, 130))),
    Film("aside-28-wide", "power-snatch", 1700.0, yaw_deg=-28.0,
         look=Look(seed=12, landing_mm=780.0, disc=(40, 60, 130))),
    Film("aside-40-knees", "clean", 1760.0, yaw_deg=-40.0,
         look=Look(seed=13, landing_mm=450.0, knee_in_mm=90.0, wall=(180, 176, 168))),
    Film("aside-34-knees", "snatch", 1680.0, yaw_deg=34.0, facing="left",
         look=Look(seed=14, landing_mm=470.0, knee_in_mm=95.0, shirt=(150, 150, 60))),
    Film("aside-32-late", "power-snatch", 1770.0, yaw_deg=32.0, look=Look(seed=15, lag_s=0.13)),
    Film("aside-27-late", "snatch", 1690.0, yaw_deg=-27.0, facing="left",
         look=Look(seed=16, lag_s=0.12, wall=(170, 166, 150), disc=(40, 90, 60))),
    Film("aside-39-late", "power-snatch", 1840.0, yaw_deg=-39.0,
         look=Look(seed=17, lag_s=0.15, shirt=(60, 60, 130))),
)  # fmt: skip
#: Faults of sides, and what of a film's look makes them due.
DUE = {
    "bar-tilt": lambda look: bool(look.tilt_deg),
    "wide-landing": lambda look: (look.landing_mm or 0.0) > 700.0,
    "knees-cave": lambda look: (look.knee_in_mm or 0.0) > 60.0,
    "uneven-lockout": lambda look: look.lag_s > 0.07,
}


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    films = FILMS[:1] if quick else FILMS
    make_all(list(films))
    bar, heights, tilts, said, due = [], [], [], set(), set()
    widths, knees, gaps = [], [], []
    for film in films:
        clip, truth = make(film)
        reference = Reference(stature_mm=film.stature_mm)
        review = review_clip(Request(clip, lift=film.lift, reference=reference, auto=True))
        true = np.array([f["bar_px"] for f in truth["frames"]])
        late = film.look.lag_s > 0.0  # the truth's bar does not tilt by it
        if not late:
            bar += list(np.hypot(*(review.bar.xy_px - true).T) * truth["mm_per_px"])
        due |= {(film.name, fault) for fault, is_due in DUE.items() if is_due(film.look)}
        for rep in review.reps[:1]:
            height = rep.metrics["bar_peak_height"].value
            slope, gap = (rep.metrics[n].value for n in ("bar_slope", "elbow_gap"))
            if not late:
                true_mm = truth["metrics"]["bar_peak_height"]["value"]
                heights.append(abs((height or 0.0) - true_mm))
                tilts.append(np.inf if slope is None else abs(slope - abs(film.look.tilt_deg)))
            if "snatch" in film.lift and gap is not None:
                gaps.append(abs(gap - 1000.0 * film.look.lag_s))
            said |= {(film.name, f.fault) for f in rep.verdict.findings if f.fault in DUE}
            width, inside = (rep.metrics[n].value for n in ("landing_width", "knee_inside"))
            landing = film.look.landing_mm or 2.0 * JOINT_Z["ankle"]
            shoulders = 2.0 * JOINT_Z["shoulder"] * BREADTH
            widths.append(np.inf if width is None else abs(width - landing / shoulders))
            if film.look.knee_in_mm is not None:
                knees.append(np.inf if inside is None else abs(inside - film.look.knee_in_mm))
    middle, worst = float(np.median(bar)), float(np.max(heights, initial=0.0))
    off = float(np.max(tilts, initial=0.0))
    return [
        ("from aside: bar, median", f"{middle:.1f} mm", "<= 5 mm", middle <= 5.0),
        ("from aside: peak height, worst", f"{worst:.0f} mm", "<= 8 mm", worst <= 8.0),
        ("from aside: bar's slope, worst", f"{off:.1f} deg", "<= 1 deg", off <= 1.0),
        (
            "from aside: landing width, median",
            f"{float(np.median(widths)):.2f} shoulders",
            "<= 0.2",
            float(np.median(widths)) <= 0.2,
        ),
        (
            "from aside: knees inside, worst",
            f"{float(np.max(knees, initial=0.0)):.0f} mm",
            "<= 50 mm",
            float(np.max(knees, initial=0.0)) <= 50.0,
        ),
        (
            "from aside: elbows, where timed, worst",
            f"{float(np.max(gaps, initial=0.0)):.0f} ms of {len(gaps)}",
            "<= 40 ms",
            float(np.max(gaps, initial=0.0)) <= 40.0,
        ),
        (
            "from aside: tilt, elbows, landing, knees: right",
            f"{len(said & due)} of {len(said)}",
            "all",
            said <= due,
        ),
        (
            "from aside: tilt, elbows, landing, knees: found",
            f"{len(said & due)} of {len(due)}",
            ">= 90 %",
            len(said & due) >= 0.9 * len(due),
        ),
    ]
