"""Which sightings of round things are of one disc, and which of them is the bar's.

It is seen with one size and shape on many frames, and it moves. Others of its size may stand about,
and somebody may lift behind.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.film.rim import RimFit, Ring

GOOD_SUPPORT = 0.55
HEADS_ASPECT = 0.9  # heads are as clear as discs and move with them, but narrower
#: A tilting bar takes its ends so many radii out of step; share of looks that are no further.
TOGETHER, MOST_BESIDE = 1.0, 0.6
ONE_SIZE = 0.05  # share of a radius
BETWEEN_R, ASIDE_R = 5.8, 1.5  # between the ends of a bar, radii; and what is not known of it
STANDS_R, MOVES_R = 0.25, 0.5  # radii about a place: of what stands there; beyond, of what moves
ENOUGH, CLEAR_SUPPORT = 0.5, 0.65  # share of looks, and support, that end the search
LIKELY_SUPPORT = 0.58  # of half of the looks, that may yet end it
ONE_SHAPE, SHAPES = 0.035, 0.06  # spread of aspect: of one disc; that halves the worth
ENOUGH_AGREE, SURE_SUPPORT = 3, 0.8  # looks, and their support, that settle the size
SAME_SIZE = 0.005  # share of a radius; chance does not give rings so alike
#: Scatter of the rays that halves the worth, radii: bricks and bars of a room make up rings that no
#: edge follows all round; and what noise makes of any.
ROUGH, NOISE_PX = 0.015, 0.3
#: Scatter of the rays of one edge, radii, and of those that go from one edge to another; and how
#: far their middles may be apart.
SHARP, RAGGED, ONE_MIDDLE = 0.006, 0.01, 0.12


@dataclass(frozen=True)
class DiscSeen:
    """A disc on one frame."""

    frame: int
    fit: RimFit


def family_support(family: list[DiscSeen]) -> float:
    """Middling support of one disc's sightings."""
    return float(np.median([s.fit.support for s in family]))


def family_aspect(family: list[DiscSeen]) -> float:
    """Middling width over height of one disc's sightings."""
    return float(np.median([s.fit.ring.aspect for s in family]))


def spread(family: list[DiscSeen]) -> float:
    """How the shape differs from look to look: a head turns and nods, a disc keeps its shape."""
    return float(np.std([s.fit.ring.aspect for s in family]))


def moved(family: list[DiscSeen]) -> bool:
    """Whether it is anything but a picture on the wall or a disc that leans there."""
    return float(np.ptp([s.fit.ring.y for s in family])) > family[0].fit.ring.r


def largest(seen: list[DiscSeen], looks: int) -> tuple[list[DiscSeen], float]:
    """The likeliest disc and its worth; of several that are clear the largest: whoever is filmed is
    nearer than who lifts behind.
    """
    family, worth = best_family(seen)
    if not is_the_disc(family, looks):
        return family, worth
    larger = [s for s in seen if s.fit.ring.r > (1.0 + 2.0 * ONE_SIZE) * family[0].fit.ring.r]
    other, other_worth = largest(larger, looks) if larger else ([], 0.0)
    return (other, other_worth) if is_the_disc(other, looks) else (family, worth)


def is_likely(family: list[DiscSeen], looks: int) -> bool:
    """Whether what some looks show may be clear when there are more of them."""
    return len(family) >= ENOUGH * looks and family_support(family) >= LIKELY_SUPPORT


def is_the_disc(family: list[DiscSeen], looks: int) -> bool:
    """Whether they leave no doubt, and are not as narrow as a head."""
    return is_clear(family, looks) and family_aspect(family) > HEADS_ASPECT


def is_clear(family: list[DiscSeen], looks: int) -> bool:
    """Whether sightings leave no doubt, so that nothing else need be looked for."""
    enough = len(family) >= ENOUGH * looks and moved(family)
    return enough and family_support(family) >= CLEAR_SUPPORT and spread(family) <= ONE_SHAPE


def sure_radius(family: list[DiscSeen]) -> float | None:
    """The size that so many looks agree about, pixels, so that no other need be looked for."""
    if len(family) < ENOUGH_AGREE or not moved(family) or spread(family) > ONE_SHAPE:
        return None
    radii = np.array([s.fit.ring.r for s in family])
    radius = float(np.median(radii))
    same = float(np.ptp(radii)) <= SAME_SIZE * radius
    needed = CLEAR_SUPPORT if same and len(family) > ENOUGH_AGREE else SURE_SUPPORT
    return radius if family_support(family) >= needed else None


def best_family(seen: list[DiscSeen]) -> tuple[list[DiscSeen], float]:
    """Sightings of one size, on many frames, moving: the bar's disc; and their worth."""
    best: list[DiscSeen] = []
    best_score = 0.0
    for lead in seen:
        if lead.fit.support < GOOD_SUPPORT:
            continue
        family = _clearest([s for s in seen if _alike(s, lead)])
        score = _worth(family, lead.fit.ring.r)
        if score > best_score:
            best, best_score = family, score
    if not best:
        return [], 0.0
    lead = best[0]
    moving = _without_standing(best, [s for s in seen if _alike(s, lead)])
    return moving, best_score if moving is best else _worth(moving, lead.fit.ring.r)


def sharper(family: list[DiscSeen], seen: list[DiscSeen]) -> list[DiscSeen]:
    """The disc's sightings, or where they are ragged those of one sharp edge round the same middle:
    half of a rim and half of a ring that is printed beside it look like one that is between them.

    Args:
        family: sightings of the disc.
        seen: all that was seen, in any tone.
    """
    if float(np.median([s.fit.scatter_px / s.fit.ring.r for s in family])) <= RAGGED:
        return family
    own = {s.frame: s for s in family}
    sharp = [
        s for s in seen
        if s.frame in own and s.fit.scatter_px <= SHARP * s.fit.ring.r
        and _apart_px(s, own[s.frame]) < ONE_MIDDLE * s.fit.ring.r
    ]  # fmt: skip
    edge, _ = best_family(sharp)
    return edge if len(edge) >= ENOUGH_AGREE and moved(edge) else family


def another_lifts(
    family: list[DiscSeen], seen: list[DiscSeen], looks: int, middle_px: float
) -> bool:
    """Whether a clear disc of another size moves so far aside that it is not on the same bar.

    Args:
        family: the bar's disc.
        seen: all that was seen with it.
        looks: frames that were looked at.
        middle_px: column of the picture's middle, where what is far seems to go.
    """
    radius, x = (float(np.median([getattr(s.fit.ring, v) for s in family])) for v in ("r", "x"))
    unlike = [s for s in seen if abs(s.fit.ring.r / radius - 1.0) > 2.0 * ONE_SIZE]
    other, _ = best_family(unlike)
    if not is_the_disc(other, looks):
        return False
    times, at = (float(np.median([getattr(s.fit.ring, v) for s in other])) for v in ("r", "x"))
    times /= radius
    aside = abs(at - middle_px - times * (x - middle_px)) / radius
    turn = np.sqrt(max(1.0 - family_aspect(family) ** 2, 0.0))
    return bool(aside > BETWEEN_R * turn + ASIDE_R)


def beside(
    known: list[tuple[int, Ring]], seen: list[DiscSeen], sizes: tuple[float, float]
) -> list[DiscSeen]:
    """Sightings of one disc, so many times as large, that keeps beside a known one."""
    own = dict(known)
    apart = [
        s for s in seen
        if s.frame in own and sizes[0] < s.fit.ring.r / own[s.frame].r < sizes[1]
        and np.hypot(s.fit.ring.x - own[s.frame].x, s.fit.ring.y - own[s.frame].y) > own[s.frame].r
    ]  # fmt: skip
    other, _ = best_family(apart)
    if not other:
        return []
    kept = _in_step(known, other)
    enough = len(kept) >= max(ENOUGH_AGREE, MOST_BESIDE * len(other))
    return kept if enough and moved(kept) else []


def _in_step(known: list[tuple[int, Ring]], other: list[DiscSeen]) -> list[DiscSeen]:
    """Those sightings of another disc on which it is as far over a known one as mostly."""
    own = dict(known)
    at_once = [s for s in other if s.frame in own]
    if not at_once:
        return []
    radius = float(np.median([s.fit.ring.r for s in at_once]))
    times = radius / float(np.median([own[s.frame].r for s in at_once]))
    over = np.array([s.fit.ring.y - times * own[s.frame].y for s in at_once])
    together = np.abs(over - np.median(over)) < TOGETHER * radius
    return [s for s, near in zip(at_once, together, strict=True) if near]


def _alike(one: DiscSeen, other: DiscSeen) -> bool:
    return abs(one.fit.ring.r / other.fit.ring.r - 1.0) < ONE_SIZE


def _clearest(seen: list[DiscSeen]) -> list[DiscSeen]:
    """The clearest sighting of each frame."""
    by_frame: dict[int, DiscSeen] = {}
    for s in seen:
        if s.frame not in by_frame or s.fit.support > by_frame[s.frame].fit.support:
            by_frame[s.frame] = s
    return list(by_frame.values())


def _worth(family: list[DiscSeen], radius: float) -> float:
    y = [s.fit.ring.y for s in family]
    travel = float(np.ptp(y)) / radius if len(family) > 1 else 0.0
    score = float(sum(s.fit.support for s in family)) * (1.0 + min(travel, 3.0))
    ragged = float(np.median([max(s.fit.scatter_px - NOISE_PX, 0.0) for s in family])) / radius
    doubt = (1.0 + (spread(family) / SHAPES) ** 2) * (1.0 + (ragged / ROUGH) ** 2)
    return float(score * radius**0.25 / doubt)


def _without_standing(family: list[DiscSeen], alike: list[DiscSeen]) -> list[DiscSeen]:
    """The sightings of the disc that moves, where another of its size (``alike`` are all of that)
    stands there and was taken for it on some frames: both are seen at once.
    """
    for lead in family:
        stands = [s for s in alike if _apart_px(s, lead) < STANDS_R * lead.fit.ring.r]
        others = [s for s in alike if _apart_px(s, lead) > MOVES_R * lead.fit.ring.r]
        if len({s.frame for s in stands}) < ENOUGH_AGREE:
            continue
        moving = _clearest(others)
        at_once = {s.frame for s in stands} & {s.frame for s in moving}
        enough = len(moving) >= ENOUGH_AGREE and len(at_once) >= ENOUGH_AGREE
        clear = enough and family_support(moving) >= CLEAR_SUPPORT
        if clear and moved([s for s in moving if s.frame in at_once]):
            return _without_standing(moving, others)
    return family


def _apart_px(one: DiscSeen, other: DiscSeen) -> float:
    a, b = one.fit.ring, other.fit.ring
    return float(np.hypot(a.x - b.x, a.y - b.y))
