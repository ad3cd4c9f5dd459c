"""Find the disc on the near end of the bar, without a click.

Circles are proposed on several frames by the gradient Hough transform, each is refined on
its rim, and the circle that is seen with one size on many frames, and that moves, wins.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.outer import rim_round
from keenkettle.film.planes import LUMA, Gray, Tone, reduced
from keenkettle.film.rim import Pictures, RimFit, Ring, edge_strength, fit_best, fit_shape, rays
from keenkettle.film.sightings import (
    SURE_SUPPORT,
    DiscSeen,
    another_lifts,
    beside,
    best_family,
    family_aspect,
    family_support,
    is_clear,
    is_likely,
    is_the_disc,
    largest,
    sharper,
    sure_radius,
)
from keenkettle.film.tone import TONE_NOISE, best_tone, pictures_of
from keenkettle.measure.geometry import FloatArray

LOOKS = 9  # frames searched
PROPOSALS = 10  # circles refined on each
MOST_PROPOSED = 60
#: Votes that a circle's middle needs, and how many circles make fewer votes needless.
VOTES = ((40, 2 * MOST_PROPOSED), (30, MOST_PROPOSED), (22, 0))
WORK_HEIGHT = 450  # search on pictures about this high
#: A radius at least, of the picture's height; at most, of its shorter side.
MIN_SHARE, MAX_SHARE = 0.035, 0.30
FLAT_GREYS = 140.0
#: Luma first, as it is, then with the contrast of each part raised for a dark disc before a dark
#: floor; a disc of its background's grey stands out in one of the colour differences.
SEARCHES = (
    (LUMA, False),
    (LUMA, True),
    (Tone(0.0, 4.0, 0.0, -384.0, TONE_NOISE), True),
    (Tone(0.0, 0.0, 4.0, -384.0, TONE_NOISE), True),
)
WIDENED = (1.2, 1.42)  # seen so, a disc turned by 25 to 48 degrees is round
#: A thick disc is rounder from aside than its face; it may be the far one that is clear.
ASIDE_ASPECT = 0.975
NEARER = (1.08, 1.7)  # its radius against the far one's
SAME_SHARE = 0.08  # radii; proposals no further apart are one
AS_SHARP, MIXED = 2.0, 1.02  # times the least scatter; and a ring's radius, where it is another
SAME_SUPPORT = 0.55  # of a rim of the common size
ENOUGH_KEYS = 6
HOPELESS = 0.3  # of what is known already, all half of the looks are worth: the rest is no use
OF_SIZE, OF_SIZE_PROPOSALS = 0.08, 4  # share of a radius about which size is the same; refined
MOST_FOR_TONE = 4
MOST_EDGES = 0.022  # share of pixels; the time to find circles grows with its cube
QUICK_EDGE, QUICK_REACH = 8.0, 1  # grey levels; pixels of the small picture
CALM_PX = 1.2  # sensor noise is smoothed by so much before rims are looked for


class DiscNotFoundError(ValueError):
    """No disc in sight; the message says what to do."""


@dataclass(frozen=True)
class DiscFound:
    """The frames on which the bar's disc was seen, best first, all of one size; and whether the
    disc of another who lifts is in sight.
    """

    seen: list[DiscSeen]
    another: bool


def find_disc(clip: Clip) -> DiscFound:
    """Find the bar's disc on several frames of a clip; ``clip.tone`` is left as shows it best.

    Raises:
        DiscNotFoundError: nothing on the film is round enough for long enough.
    """
    numbers = np.unique(np.linspace(0, clip.info.frames - 1, LOOKS).astype(int))
    looked = _near_keys(clip, numbers)
    if not set(looked) <= {int(k) for k in clip.key_frames}:
        clip.hold(looked)
    family, score, circles_seen, ever_seen = _searched(clip, looked)
    clear = is_clear(family, len(looked))
    if not clear or family_aspect(family) < ASIDE_ASPECT or _by_colour(clip, family):
        aside = clear and family_aspect(family) < ASIDE_ASPECT
        clip.tone = LUMA
        seen = _widened(clip, looked, 0.0 if aside else HOPELESS * score)
        found, worth = best_family(seen)
        better = not clear or family_support(found) >= family_support(family)
        family = found if worth > score and better else family
        family = _nearer(family, seen) or family
    if not family:
        clip.tone = LUMA
        raise DiscNotFoundError(
            f"no disc was found in {clip.path.name}; click the middle of the disc and its rim, "
            "or film from the side with the whole disc in the picture"
        )
    middle = (clip.info.width - 1) / 2.0
    another = another_lifts(family, circles_seen, len(looked), middle)
    shown = sorted(sharper(family, ever_seen), key=lambda s: -s.fit.support)
    family = _to_rim(clip, shown)
    best = [(s.frame, s.fit.ring) for s in family[:MOST_FOR_TONE]]
    clip.tone = best_tone(clip, best, ringed=family is not shown)
    again = sorted((_again(clip, s) for s in family), key=lambda s: -s.fit.support)
    return DiscFound(again, another)


def _widened(clip: Clip, looked: list[int], least: float) -> list[DiscSeen]:
    """What is round on pictures that are drawn wider; of half of the looks where what they show is
    worth less than ``least``.
    """
    seen = [s for w in WIDENED for s in _circles_on(clip, looked[::2], True, w)]
    if best_family(seen)[1] < least:
        return seen
    return seen + [s for w in WIDENED for s in _circles_on(clip, looked[1::2], True, w)]


def _searched(
    clip: Clip, looked: list[int]
) -> tuple[list[DiscSeen], float, list[DiscSeen], list[DiscSeen]]:
    """The likeliest disc, its worth, all that was seen with it, and in all tones; looked for in one
    after the other until it is clear. ``clip.tone`` is left at the last.

    A tone in which half of the looks show nothing likely is come back to where none is clear.
    """
    family: list[DiscSeen] = []
    with_it: list[DiscSeen] = []
    ever: list[DiscSeen] = []
    score = 0.0
    half, rest = looked[::2], looked[1::2]
    put_off = []
    for tone, raised in SEARCHES:
        clip.tone = tone
        seen = _circles_on(clip, half, raised)
        ever += seen
        first, _ = largest(seen, len(half))
        if not is_likely(first, len(half)):
            put_off.append((tone, raised, seen))
            continue
        others = _circles_on(clip, rest, raised, radius=sure_radius(first))
        seen, ever = seen + others, ever + others
        found, worth = largest(seen, len(looked))
        if worth > score:
            family, score, with_it = found, worth, seen
        if is_the_disc(family, len(looked)):
            return family, score, with_it, ever
    for tone, raised, seen in put_off:
        clip.tone = tone
        others = _circles_on(clip, rest, raised)
        seen, ever = seen + others, ever + others
        found, worth = largest(seen, len(looked))
        if worth > score:
            family, score, with_it = found, worth, seen
        if is_the_disc(family, len(looked)):
            break
    return family, score, with_it, ever


def _to_rim(clip: Clip, family: list[DiscSeen]) -> list[DiscSeen]:
    """The sightings with the disc's own rim, where what was seen is a ring on its face."""
    found = rim_round(clip, [(s.frame, s.fit.ring) for s in family])
    if found is None:
        return _rim_round_sharp(clip, family)
    times, frames = found
    return [_of_radius(s, times * s.fit.ring.r) for s in family if s.frame in frames]


def _rim_round_sharp(clip: Clip, family: list[DiscSeen]) -> list[DiscSeen]:
    """The same by the sightings that are of one edge: the others may be half of the ring and half
    of the rim, and would hide it.
    """
    least = min(s.fit.scatter_px for s in family)
    sharp = [s for s in family if s.fit.scatter_px <= AS_SHARP * least]
    own = float(np.median([s.fit.ring.r for s in sharp]))
    if max(s.fit.ring.r for s in family) < MIXED * own:
        return family
    found = rim_round(clip, [(s.frame, s.fit.ring) for s in sharp])
    if found is None:
        return family
    return [_of_radius(s, found[0] * own) for s in family]


def _of_radius(seen: DiscSeen, radius: float) -> DiscSeen:
    return replace(seen, fit=replace(seen.fit, ring=replace(seen.fit.ring, r=radius)))


def _again(clip: Clip, seen: DiscSeen) -> DiscSeen:
    """A sighting fitted once more on the picture that shows its rim best."""
    ring = seen.fit.ring
    fit = fit_shape(_shown(clip, seen.frame), ring, 0.05 * ring.r + 1.5)
    return seen if fit is None else DiscSeen(seen.frame, fit)


def of_size(clip: Clip, seen: DiscSeen, ring: Ring) -> Ring | None:
    """Where a disc of this ring's size and shape is on a frame it was seen on, else None.

    A limb or print beside the rim may have drawn a freely fitted ring to itself.
    """
    start = replace(ring, x=seen.fit.ring.x, y=seen.fit.ring.y)
    pictures = _shown(clip, seen.frame)
    fit = fit_best(pictures, start, 0.07 * ring.r + 1.0)
    fit = fit and fit_best(pictures, fit.ring, 0.04 * ring.r + 0.5)
    return fit.ring if fit is not None and fit.support >= SAME_SUPPORT else None


def _shown(clip: Clip, number: int) -> Pictures:
    """A frame's pictures that rims are fitted on."""
    luma = clip.gray(number)
    toned = luma if clip.tone == LUMA else clip.toned(number)
    return pictures_of(luma, toned, clip.tone)


def _by_colour(clip: Clip, family: list[DiscSeen]) -> bool:
    """Whether a disc was found by its colour alone, and not surely."""
    return clip.tone != LUMA and family_support(family) < SURE_SUPPORT


def _circles_on(
    clip: Clip,
    numbers: list[int],
    raised: bool,
    widened: float = 1.0,
    radius: float | None = None,
) -> list[DiscSeen]:
    seen: list[DiscSeen] = []
    for number in numbers:
        try:
            gray = clip.toned(number)
            luma = None if clip.tone == LUMA else clip.gray(number)
        except ValueError:
            continue  # a damaged frame; the others decide
        found = circles(gray, luma, raised, radius, widened, clip.tone)
        seen += [DiscSeen(number, fit) for fit in found]
    return seen


def _near_keys(clip: Clip, numbers: np.ndarray) -> list[int]:
    """The wanted frames, moved to a key frame where one is close: those decode at once.

    Where there are enough of them, key frames alone are looked at.
    """
    keys = np.asarray(clip.key_frames)
    if len(keys) >= ENOUGH_KEYS:
        spread_out = np.unique(np.linspace(0, len(keys) - 1, LOOKS).astype(int))
        return [int(k) for k in keys[spread_out]]
    spread = clip.info.frames / (2.0 * LOOKS)
    out = []
    for n in numbers:
        k = int(keys[np.argmin(np.abs(keys - n))])
        out.append(k if abs(k - n) < spread else int(n))
    return sorted(set(out))


def circles(
    gray: Gray,
    luma: Gray | None = None,
    raised: bool = True,
    radius: float | None = None,
    widened: float = 1.0,
    tone: Tone = LUMA,
) -> list[RimFit]:
    """All well-supported circles on a picture, the outermost of each concentric set.

    Args:
        gray: where they are looked for.
        luma: the same frame's luma where ``gray`` is of its colour; rims are fitted on both.
        raised: look also with the contrast of each part raised.
        radius: of the circles wanted, pixels; of any size without it.
        widened: how much wider the picture is looked at than it is, for a disc turned aside.
        tone: of ``gray``.
    """
    h, w = gray.shape
    scale = min(1.0, WORK_HEIGHT / h)
    least, most = max(MIN_SHARE * scale * h, 6.0), MAX_SHARE * scale * min(h, w)
    if radius is not None:
        least, most = (1.0 - OF_SIZE) * radius * scale, (1.0 + OF_SIZE) * radius * scale
    gray = _stretched(gray)
    size = (round(w * scale * widened), round(h * scale))
    small: Gray = np.asarray(cv2.GaussianBlur(reduced(gray, size), (0, 0), 1.2), np.uint8)
    looks = [(small, 70)]
    if raised:
        looks.append((np.asarray(cv2.createCLAHE(2.5, (6, 6)).apply(small), np.uint8), 90))
    proposals: list[Ring] = []
    for picture, edge in looks:
        found = _proposed(picture, _sparse(picture, edge), int(least), int(np.ceil(most)))
        proposals += [Ring(*map(float, ring)) for ring in found[:MOST_PROPOSED]]
    proposals.sort(key=lambda ring: -_quick_support(small, ring))
    fits: list[RimFit] = []
    shown = pictures_of(gray if luma is None else _stretched(luma), gray, tone)
    calm = tuple((_calm(picture), noise) for picture, noise in shown)
    for p in _apart(proposals, PROPOSALS if radius is None else OF_SIZE_PROPOSALS):
        ring = Ring(p.x / scale / widened, p.y / scale, p.r / scale, 1.0 / widened)
        fit = _refine(calm, ring)
        if fit is not None and fit.support >= 0.4 and fit.ring.r <= MAX_SHARE * min(h, w):
            fits.append(fit)
    fits.sort(key=lambda f: -(f.support * f.ring.r**0.5))
    kept: list[RimFit] = []
    for fit in fits:
        ring = fit.ring
        if all(np.hypot(ring.x - k.ring.x, ring.y - k.ring.y) > 0.5 * k.ring.r for k in kept):
            kept.append(fit)
    return kept[:8]


def _proposed(picture: Gray, edge: float, least: int, most: int) -> FloatArray:
    """Circles on a small picture by the gradient Hough transform (K, 3): x, y and radius, pixels.

    In a cluttered room there are thousands of weak ones, and time is what they cost: they are asked
    for only where there are few strong ones.
    """
    proposed: FloatArray = np.zeros((0, 3))
    for votes, enough in VOTES:
        found = cv2.HoughCircles(
            picture,
            cv2.HOUGH_GRADIENT,
            dp=1.5,
            minDist=picture.shape[0] * 0.02,
            param1=edge,
            param2=votes,
            minRadius=least,
            maxRadius=most,
        )
        if found is not None:
            proposed = np.asarray(found, float).reshape(-1, 3)
        if len(proposed) >= enough:
            break
    return proposed


def _apart(proposals: list[Ring], most: int) -> list[Ring]:
    """The first few proposals without those that say nearly the same as one before them."""
    if not proposals:
        return []
    table = np.array([(p.x, p.y, p.r) for p in proposals])
    same = np.abs(table[:, None] - table[None]).sum(axis=-1) <= SAME_SHARE * table[:, 2, None]
    kept: list[int] = []
    for n in range(len(proposals)):
        if not same[n, kept].any():
            kept.append(n)
        if len(kept) == most:
            break
    return [proposals[n] for n in kept]


def _calm(gray: Gray) -> Gray:
    return np.asarray(cv2.GaussianBlur(gray, (0, 0), CALM_PX), np.uint8)


def _stretched(gray: Gray) -> Gray:
    """A dark or flat picture with its greys spread out; others as they are."""
    low, high = np.percentile(gray[::4, ::4], (1, 99))
    if high - low >= FLAT_GREYS:
        return gray
    gain = FLAT_GREYS / max(float(high - low), 10.0)
    return np.asarray(
        cv2.convertScaleAbs(gray, alpha=gain, beta=-gain * float(low) + 20.0), np.uint8
    )


def _sparse(gray: Gray, edge: float) -> float:
    """An edge threshold, at least this, over which few pixels lie: grain is no outline."""
    while np.count_nonzero(cv2.Canny(gray, edge / 2.0, edge)) > MOST_EDGES * gray.size:
        edge *= 1.2
    return edge


def _quick_support(small: Gray, ring: Ring) -> float:
    """Share of rays that show an edge at one radius near the ring's, a cheap first sieve."""
    strength = edge_strength(rays(small, ring, 0.85 * ring.r, 1.15 * ring.r + 3.0, 1.0))
    shown = (strength > QUICK_EDGE).astype(np.uint8)
    # Circles are proposed to a pixel and a half only, so an edge counts for radii beside its own.
    shown = np.asarray(cv2.dilate(shown, np.ones((1, 2 * QUICK_REACH + 1), np.uint8)), np.uint8)
    return float(shown.mean(axis=0).max() * ring.r**0.25)


def _refine(calm: Pictures, ring: Ring) -> RimFit | None:
    """Fit the rim, then look outward for a larger ring round the same middle."""
    fit = fit_best(calm, ring, 0.18 * ring.r, shape=True)
    if fit is None:
        return None
    outer = outermost(calm[-1][0], fit.ring)
    if outer is not None:
        wider = fit_best(calm, outer, 0.06 * outer.r + 1.0, shape=True)
        if wider is not None and wider.support >= 0.8 * fit.support:
            fit = wider
    again = fit_best(calm, fit.ring, 0.05 * fit.ring.r + 1.5, shape=True)
    return again if again is not None else fit


def outermost(gray: Gray, ring: Ring) -> Ring | None:
    """The largest concentric ring that is nearly as well supported as the best one."""
    step = 0.5 if ring.r < 120 else 1.0
    lo, hi = 0.5 * ring.r, min(2.6 * ring.r, MAX_SHARE * min(gray.shape))
    if hi < 1.1 * ring.r:
        return None
    strength = edge_strength(rays(gray, ring, lo, hi, step))
    radii = lo + step * (2 + np.arange(strength.shape[1]))
    floor = max(6.0, 4.0 * float(np.median(strength[::3])))
    # A ring may be a little off-centre: an edge counts within 2.5 % of the radius.
    reach = max(int(0.025 * ring.r / step), 1)
    widened = cv2.dilate(strength, np.ones((1, 2 * reach + 1)))
    share = np.mean(widened > floor, axis=0)
    own = float(share[int(np.argmin(np.abs(radii - ring.r)))])
    good = np.flatnonzero(share >= max(0.8 * own, 0.55))
    if len(good) == 0:
        return None
    r = float(radii[good[-1]]) - reach * step
    return Ring(ring.x, ring.y, r, ring.aspect) if r > 1.06 * ring.r else None


def _nearer(family: list[DiscSeen], seen: list[DiscSeen]) -> list[DiscSeen]:
    """A larger disc that rises and sinks with this one: the near end of the bar, where a camera
    that is turned shows the far end beside it. Empty where there is none.
    """
    return beside([(s.frame, s.fit.ring) for s in family], seen, NEARER)


def paired(clip: Clip, near: list[tuple[int, Ring]], sizes: tuple[float, float]) -> list[DiscSeen]:
    """The other disc that rises and sinks with this one, the clearest first.

    Args:
        clip: the film.
        near: the disc that is known, by frame.
        sizes: least and greatest radius of the other against its own.
    """
    seen = _circles_on(clip, [n for n, _ in near], True, 1.0 / near[0][1].aspect)
    return sorted(beside(near, seen, sizes), key=lambda s: -s.fit.support)
