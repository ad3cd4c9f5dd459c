"""What a clip is compared with, and how both come together. Plain Python."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from keenkettle.club import look_up
from keenkettle.club.over_time import filmed
from keenkettle.club.store import Store
from keenkettle.club.tracks import TracksError, unpack
from keenkettle.coach.compare import (
    Difference,
    Pairing,
    RepOf,
    UsualPath,
    common_events,
    differences,
    pair,
    usual_path,
)
from keenkettle.coach.review import Review, judge_tracks
from keenkettle.measure.geometry import FloatArray
from keenkettle.ui.film.presenter import FilmPresenter

MOST_USUAL = 8  # good lifts that the usual path is made from
WANTED_EVENTS = ("lift_off", "dip_start", "descent_start")
MODEL, USUAL = "model", "usual"


@dataclass(frozen=True)
class Choice:
    """One thing to compare with: ``kind`` "clip", "rep", "model" or "usual"."""

    kind: str
    words: str
    clip_id: int = 0
    rep: int = 0


def choices_of(presenter: FilmPresenter) -> list[Choice]:
    """Other reps of this clip, other reviewed clips of the athlete, own usual path, the model."""
    s = presenter.state
    if s.clip is None or s.review is None or presenter.rep is None:
        return []
    out = [
        Choice("rep", f"rep {r.number} of this clip", s.clip.id, i)
        for i, r in enumerate(s.review.reps)
        if i != s.rep
    ]
    own = {name for name, m in presenter.rep.metrics.items() if m.value is not None}
    athlete = s.athlete.id if s.athlete else 0
    known = {c.clip_id: own & set(c.measures) for c in filmed(presenter.store, athlete)}
    others = [c for c in s.clips if c.analysed and c.id != s.clip.id]
    # The same lift first; one that was filmed from elsewhere has no measure in common, so last.
    others.sort(key=lambda c: (not known.get(c.id), c.lift != s.review.lift.id))
    last = []
    for c in others:
        load = f", {c.load_kg:g} kg" if c.load_kg else ""
        name = (c.lift or "lift").replace("-", " ")
        made = Choice("clip", f"{c.filmed_on:%-d %b %Y}: {name}{load}", c.id)
        (out if known.get(c.id) else last).append(made)
    out.append(Choice(MODEL, "the model, in these proportions"))
    out.append(Choice(USUAL, "own usual path (last good lifts)"))
    return out + [replace(c, words=f"{c.words}, from another side") for c in last]


def review_of(store: Store, clip_id: int) -> Review:
    """A stored clip's review.

    Raises:
        TracksError: it was not analysed, or what is stored is damaged.
    """
    data = look_up.tracks_of(store, clip_id)
    if data is None:
        raise TracksError("that clip is not analysed yet; open it once, then compare")
    tracked, joints = unpack(data)
    return judge_tracks(look_up.request_for(store, clip_id), tracked, joints)


def own_usual(presenter: FilmPresenter) -> UsualPath | str:
    """The median path of the athlete's last good lifts, or why there is none."""
    s = presenter.state
    if s.athlete is None or s.review is None:
        return "no athlete is in hand"
    lift, here = s.review.lift.id, s.clip.id if s.clip else 0
    reps = []
    for c in reversed(filmed(presenter.store, s.athlete.id)):
        if c.lift != lift or c.clip_id == here or len(reps) >= MOST_USUAL:
            continue
        try:
            review = review_of(presenter.store, c.clip_id)
        except TracksError:
            continue
        reps += [r for r in review.reps if all(f.severity == "note" for f in r.verdict.findings)]
    made = usual_path(reps[:MOST_USUAL])
    if made is None:
        return (
            f"only {len(reps)} good {s.review.lift.name}s are on film beside this one; "
            "three are needed for a usual path"
        )
    return made


@dataclass
class Comparison:
    """The second side and how it meets the first."""

    first: RepOf
    second: RepOf
    event: str
    pairing: Pairing
    events: list[str]
    differences: list[Difference]

    def frame(self, own: int) -> int:
        """The second's frame that belongs to one of the first."""
        return int(self.pairing.frames[min(own, len(self.pairing.frames) - 1)])

    def first_frames(self) -> FloatArray:
        """For each frame of the second, where it stands on the first's axis; NaN outside."""
        t, own = self.second.t_s, self.first.t_s
        at_a = self.first.rep.events[self.event] or 0
        at_b = self.second.rep.events[self.event] or 0
        moments = t - t[at_b] + own[at_a]
        n = np.interp(moments, own, np.arange(len(own)), left=np.nan, right=np.nan)
        return np.asarray(n)

    def path_on_first(self) -> FloatArray:
        """The second's path in the first's pixels, both together at the event, (N, 2)."""
        rep, scale = self.second.rep, self.pairing.scale
        xy = self.second.review.bar.xy_px[rep.span.lift_off : rep.span.end + 1]
        origin, at = self.anchors()
        d = (xy - origin) * scale
        if self.pairing.mirrored:
            d[:, 0] *= -1.0
        return np.asarray(d + at)

    def anchors(self) -> tuple[FloatArray, FloatArray]:
        """The bar at its start in the second's and the first's picture."""
        origin = self.second.review.bar.xy_px[self.second.rep.span.lift_off]
        return origin, self.first.review.bar.xy_px[self.first.rep.span.lift_off]


def compare(first: RepOf, second: RepOf, event: str = "") -> Comparison | str:
    """Bring two reps together, or say why they cannot be."""
    events = common_events(first, second)
    if not events:
        return "these two have no event in common; choose reps of one kind of lift"
    chosen = (
        event if event in events else next((e for e in WANTED_EVENTS if e in events), events[0])
    )
    return Comparison(
        first, second, chosen, pair(first, second, chosen), events, differences(first, second)
    )


def usual_on_picture(path: UsualPath, own: RepOf) -> tuple[FloatArray, FloatArray]:
    """A usual path and its spread in a clip's pixels: (M, 2) and (M,)."""
    cal = own.review.calibration
    up = np.array(cal.vertical_px)
    right = np.array([-up[1], up[0]]) * (-1.0 if own.review.facing == "left" else 1.0)
    start = own.review.bar.xy_px[own.rep.span.lift_off]
    ahead = path.x_mm[:, None] / cal.forward_stretch * right
    xy = start + (ahead + path.y_mm[:, None] * up) / cal.mm_per_px
    return np.asarray(xy), path.spread_mm / cal.mm_per_px
