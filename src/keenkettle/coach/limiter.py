"""What limits a lifter, the pull or the catch: bar heights on film, compared.

The catch needs the bar as high as the lowest peak from which it has been made. Where pulls with
as much load reach clearly higher, the catch limits; where they do not reach it, the pull does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keenkettle.coach.lifts import Lift, all_lifts
from keenkettle.coach.person import OnFilm

HEIGHT = "bar_peak_above_floor"
PULLS = ("pull", "high-pull")
CLIPS = 2  # of each kind, else nothing is said
CLEAR_MM = 30.0  # nearer than this says nothing: a working value, four times the height's error
LEAST_SHARE = 0.95  # of the heaviest catch; lighter pulls tell nothing
DEEP = ("full-catch", "split-catch")


@dataclass(frozen=True)
class Limiter:
    """``what`` is "pull" or "catch"; ``why`` gives the heights and loads."""

    family: str
    what: str
    why: str

    def served_by(self, lift: Lift) -> bool:
        """Whether a lift works on what limits."""
        if lift.family != self.family:
            return False
        if self.what == "pull":
            return lift.ends in PULLS
        return lift.ends in DEEP or (lift.caught and lift.start in ("tall", "hip"))


def what_limits(film: Sequence[OnFilm], family: str) -> Limiter | None:
    """What limits in a family of lifts; None where film is lacking or both are alike.

    Args:
        film: reviewed clips; only barbell lifts with a load and a peak height count.
        family: "clean" or "snatch".
    """
    own = [
        (all_lifts()[f.lift], f)
        for f in film
        if f.lift in all_lifts() and f.load_kg and HEIGHT in f.measures
    ]
    own = [(x, f) for x, f in own if x.family == family and x.implement == "barbell"]
    made = [f for x, f in own if x.caught and "catch_drop" in f.measures]
    if len(made) < CLIPS:
        return None
    heaviest = max(f.load_kg or 0.0 for f in made)
    pulls = [f for x, f in own if x.ends in PULLS and (f.load_kg or 0.0) >= LEAST_SHARE * heaviest]
    if len(pulls) < CLIPS:
        return None
    need = min(f.measures[HEIGHT] for f in made)
    reach = float(np.median([f.measures[HEIGHT] for f in pulls]))
    load = float(np.median([f.load_kg or 0.0 for f in pulls]))
    if abs(reach - need) < CLEAR_MM:
        return None
    what = "catch" if reach > need else "pull"
    why = (
        f"pulls with {load:g} kg reach {reach / 10:.0f} cm ({len(pulls)} clips); the lowest peak "
        f"caught so far is {need / 10:.0f} cm, the heaviest {heaviest:g} kg: the {what} limits"
    )
    return Limiter(family, what, why)
