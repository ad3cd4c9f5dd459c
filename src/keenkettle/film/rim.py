"""The rim of a disc on a picture, measured along rays. Pixels; grey levels."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.stats import theilslopes

from keenkettle.film.planes import Gray
from keenkettle.measure.geometry import BoolArray, FloatArray

RAYS = 96
_ANGLES = np.arange(RAYS) * (2.0 * np.pi / RAYS)
_COS, _SIN = np.cos(_ANGLES), np.sin(_ANGLES)
_COS_32, _SIN_32 = (v.astype(np.float32)[:, None] for v in (_COS, _SIN))
_BESIDE = (_COS > 0.7, _COS < -0.7)
INNER, INNER_EDGE = (0.10, 0.80), 8.0  # where a ring inside the rim is looked for, shares
LEAST_INNER_PX = 8.0  # a smaller ring has half as many pixels as rays; noise makes such rings
FINE_R = 60.0  # pixels
CLEAR_INNER, INNER_SHIFT = 0.75, 0.10  # support; how far its middle may be off, radii
STANDS_R, STANDING = 0.25, 3  # radii about a place; sightings there
#: Frames, and radii that the bar rises, to tell how the shift changes; a sleeve 0.3 m before the
#: face of a disc 3 m away changes by a tenth of the way.
SLOPED, SLOPED_R, MOST_SLOPE = 4, 2.0, 0.12
ON_FACE = 0.4  # radii; so large a ring is no hub or sleeve, but lies on the face
#: Radii; so much may the shift differ over the picture; and of a ring on the face, if it is sure.
INNER_APART, FACE_APART, SURE_INNER = 0.06, 0.04, 0.85
TURNED_ASPECT = 0.93  # a camera that is turned shows an ellipse, which leans above and below it
MOST_LEAN = 0.35  # 45 degrees aside, near the lens
#: Where it is not narrow it must lean by so much and be so much clearer: a limb beside the rim
#: makes it lean as well.
LEAST_LEAN, LEANS = 0.03, 0.02
ROUND, CLEARER = 0.01, 10.0  # an aspect so near 1; support that scatter of a radius costs
FILLED = 1.1  # an edge fills a narrow band, so it hardly stands above what is middling there
MIDDLING = 0.67  # middling size of noise, standard deviations
SHUTTER, TOP = 0.6, 0.7  # of a frame that it may be open; of a ramp's steepest that is its top
FARTHEST = 1.5  # bands; so far a fitted radius may lie from the guess
MIN_EDGE = 5.0  # grey levels per pixel pair; weaker edges are noise
EVENED = 2  # times; its middle was off as well
ASPECTS, MOST_ASPECT = (0.6, 1.15), 1.04  # fitted; from straight below by 15 degrees


@dataclass(frozen=True)
class Ring:
    """A disc's outline: centre, vertical radius, and horizontal over vertical radius.

    Below and above the lens a disc turned aside leans: a step to the right along it leads ``lean``
    steps downward.
    """

    x: float
    y: float
    r: float
    aspect: float = 1.0
    lean: float = 0.0


@dataclass(frozen=True)
class RimFit:
    """A fitted ring, the share of rays that agree with it, and their scatter in pixels.

    ``beside``: the same share to the left or the right, whichever is less: without both of them
    nothing tells how wide it is.
    """

    ring: Ring
    support: float
    scatter_px: float
    beside: float = 1.0


def rays(gray: Gray, ring: Ring, lo: float, hi: float, step: float) -> FloatArray:
    """Grey levels along RAYS rays from radius lo to hi, shape (RAYS, samples)."""
    radii = np.arange(lo, hi + 1e-9, step, dtype=np.float32)
    wide = float(radii[-1]) * ring.aspect
    far = float(radii[-1]) + abs(ring.lean) * wide
    h, w = gray.shape
    x0, x1 = max(int(ring.x - wide) - 2, 0), min(int(ring.x + wide) + 3, w)
    y0, y1 = max(int(ring.y - far) - 2, 0), min(int(ring.y + far) + 3, h)
    if x1 - x0 < 3 or y1 - y0 < 3:
        return np.zeros((RAYS, len(radii)))
    part = np.ascontiguousarray(gray[y0:y1, x0:x1])
    down = _SIN_32 + np.float32(ring.lean * ring.aspect) * _COS_32 if ring.lean else _SIN_32
    sampled = cv2.remap(
        part,
        np.float32(ring.x - x0) + np.float32(ring.aspect) * _COS_32 * radii,
        np.float32(ring.y - y0) + down * radii,
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return np.asarray(sampled, dtype=float)


def edge_change(lines: FloatArray) -> FloatArray:
    """Radial change of grey, lighter outward positive, shape (RAYS, samples - 4)."""
    return (lines[:, 3:-1] + lines[:, 4:] - lines[:, :-4] - lines[:, 1:-3]) / 2.0


def edge_strength(lines: FloatArray, sign: int = 0) -> FloatArray:
    """Size of that change; with a sign, of changes that way alone."""
    change = edge_change(lines)
    return np.maximum(sign * change, 0.0) if sign else np.abs(change)


def fit_rim(
    gray: Gray,
    guess: Ring,
    band: float,
    shape: bool = False,
    over_noise: float = 2.0,
    noise: float | None = None,
    sign: int = 0,
    leaning: bool = False,
    travel: tuple[float, float] | None = None,
    even: bool = False,
) -> RimFit | None:
    """Fit a ring near a guess, to a fraction of a pixel.

    Args:
        gray: picture.
        guess: where the ring should be.
        band: how far from the guess the rim may lie, pixels.
        shape: fit radius and aspect too; otherwise only the centre.
        over_noise: how far an edge must stand above the middling change of grey around it.
        noise: standard deviation of one sample, grey levels, where it is known; a blurred
            edge that fills the band is then not taken for noise.
        sign: 1 for an edge that is lighter outside all round, -1 for darker, 0 for any.
        leaning: fit how it leans with its shape, which is always done for one that is narrow.
        travel: pixels (x, y) that the ring goes in a frame, where its edge is smeared on the way.
        even: of the shape fit the radius alone.

    Returns:
        The fit, or None where fewer than a sixth of the rays show an edge.
    """
    edges = _edges(gray, guess, band, sign, travel)
    if edges is None:
        return None
    offset, here, strength = edges
    if travel is not None:
        over_noise = min(over_noise, FILLED)
    middling = _median(strength[::3].reshape(-1)) if noise is None else MIDDLING * noise
    floor = max(MIN_EDGE, over_noise * middling)
    seen = here > floor
    if seen.sum() < RAYS / 6:
        return None
    leaning = shape and not even and (leaning or guess.lean != 0.0 or guess.aspect < TURNED_ASPECT)
    design = _design(guess.aspect, guess.lean, shape, leaning)
    if even:
        design = design[:, :3]
    if travel is not None:
        # Light behind outshines a dark disc that passes: both ends of the smear draw in.
        along = np.abs(travel[0] * _COS + travel[1] * _SIN) / max(float(np.hypot(*travel)), 1e-9)
        design = np.column_stack([design, along])
    # The ray's direction in the stretched frame is not quite its normal; for discs seen
    # within 25 degrees of side-on the difference is under a tenth of the shift.
    solution, inlier, scatter = _robust(design, offset, seen, here, band)
    if solution is None:
        return None
    dx, dy = float(solution[0]), float(solution[1])
    narrower = float(solution[3]) if shape and not even else 0.0
    dr = float(solution[2]) - narrower if shape else 0.0
    if abs(dr) > FARTHEST * band:
        return None  # a few edges that by chance lie on another ring, where none was looked for
    aspect, lean = guess.aspect, guess.lean
    if shape:
        wide = guess.r * guess.aspect + (float(solution[2]) + narrower) * guess.aspect
        aspect = float(np.clip(wide / (guess.r + dr), *ASPECTS))
    if leaning:
        lean += float(solution[4]) / (guess.r * guess.aspect)
        if abs(lean) > MOST_LEAN:
            return None
    ring = Ring(guess.x + dx, guess.y + dy, guess.r + dr, aspect, lean)
    beside = min(float(inlier[side].mean()) for side in _BESIDE)
    return RimFit(ring, float(inlier.sum()) / RAYS, scatter, beside)


def _edges(
    gray: Gray, guess: Ring, band: float, sign: int, travel: tuple[float, float] | None
) -> tuple[FloatArray, FloatArray, FloatArray] | None:
    """How far outside a guess each ray's clearest edge lies, pixels, and how strong it is, (RAYS,)
    each; and the strength all along the rays, (RAYS, samples). None where the band is too narrow.
    """
    step = 0.5 if guess.r < 120 else 1.0
    far = np.zeros(RAYS, int) if travel is None else _half_lags(travel, step)
    edge = band + (2 + int(far.max())) * step
    lo = max(guess.r - edge, 1.0)
    lines = rays(gray, guess, lo, guess.r + edge, step)
    strength = edge_strength(lines, sign) if travel is None else _ramps(lines, far, sign)
    if strength.shape[1] < 3:
        return None
    radii = lo + step * (2 + int(far.max()) + np.arange(strength.shape[1]))
    prior = np.exp(-0.5 * ((radii - guess.r) / (0.6 * band)) ** 2)
    weighted = strength * prior
    k = np.argmax(weighted[:, 1:-1], axis=1) + 1
    row = np.arange(RAYS)
    here, left, right = strength[row, k], strength[row, k - 1], strength[row, k + 1]
    if travel is None:
        bend = left - 2 * here + right
        flat = np.where(bend == 0, 1, bend)
        shift = np.where(np.abs(bend) > 1e-9, 0.5 * (left - right) / flat, 0.0)
        offset = radii[k] + step * np.minimum(np.maximum(shift, -1.0), 1.0) - guess.r
    else:
        # A ramp that is as long as the disc moved, give or take the shutter, has a flat top.
        near = np.abs(np.arange(len(radii)) - k[:, None]) <= 2 * far[:, None] + 1
        top = near * np.maximum(strength - TOP * here[:, None], 0.0)
        offset = (top @ radii) / np.maximum(top.sum(axis=1), 1e-9) - guess.r
    return offset, here, strength


def _half_lags(travel: tuple[float, float], step: float) -> NDArray[np.int_]:
    """Half the middling length of each ray's smeared edge, samples, shape (RAYS,)."""
    along = np.abs(travel[0] * _COS + travel[1] * _SIN)
    return np.asarray(np.round(SHUTTER * along / (2.0 * step)), int)


def _ramps(lines: FloatArray, far: NDArray[np.int_], sign: int) -> FloatArray:
    """As ``edge_strength``, of edges spread over twice ``far`` samples (RAYS,) and a pixel."""
    most = int(far.max())
    count = lines.shape[1] - 4 - 2 * most
    at = np.arange(max(count, 0)) + most + 2
    row = np.arange(RAYS)[:, None]
    out, low = at + far[:, None], at - far[:, None]
    change = (lines[row, out + 1] + lines[row, np.minimum(out + 2, lines.shape[1] - 1)]) / 2.0
    change = change - (lines[row, low - 1] + lines[row, low - 2]) / 2.0
    return np.asarray(np.maximum(sign * change, 0.0) if sign else np.abs(change))


@lru_cache(maxsize=512)
def _design(aspect: float, lean: float, shape: bool, leaning: bool) -> FloatArray:
    """What a shift (and a change of shape) adds to each ray's length, shape (RAYS, 2, 4 or 5)."""
    columns = [_COS / aspect - lean * _SIN, _SIN]
    if shape:
        columns += [np.ones(RAYS), _COS**2 - _SIN**2]
    if leaning:
        columns.append(_COS * _SIN)
    return np.stack(columns, axis=1)


SHARPER, SAME_RIM = 0.1, 0.03  # share of the rim by which colour must show more; radii apart
#: Pictures of one moment, each with the noise of one sample in grey levels, where known.
Pictures = tuple[tuple[Gray, float | None], ...]


def fit_best(
    pictures: Pictures,
    guess: Ring,
    band: float,
    shape: bool = False,
    over_noise: float = 2.0,
    travel: tuple[float, float] | None = None,
    even: bool = False,
) -> RimFit | None:
    """The fit of the picture on which more of the rim agrees; else as ``fit_rim``. Where both show
    the same rim luma, the first, is sharper than colour, which must show more of it.
    """
    best: RimFit | None = None
    for picture, noise in pictures:
        fit = fit_rim(picture, guess, band, shape, over_noise, noise, travel=travel, even=even)
        if fit is None:
            continue
        if best is not None:
            apart = float(np.hypot(fit.ring.x - best.ring.x, fit.ring.y - best.ring.y))
            more = SHARPER if apart < SAME_RIM * fit.ring.r else 0.0
            if fit.support <= best.support + more:
                continue
        best = fit
    return best


def fit_shape(pictures: Pictures, ring: Ring, band: float) -> RimFit | None:
    """The rim with its own shape near a ring, begun from it and from a round one.

    Limbs and print beside both sides of a rim make a narrow ellipse that fits itself; the true
    one is clearer.
    """
    starts = [ring]
    if abs(ring.aspect - 1.0) > ROUND:
        starts.append(replace(ring, aspect=1.0, lean=0.0))
    fits = [fit_best(pictures, start, band, shape=True) for start in starts]
    best = max((f for f in fits if f is not None), key=_clear, default=None)
    if best is None or best.ring.lean:
        return best
    if best.ring.aspect > MOST_ASPECT:
        # No disc is so wide: above or below a part of another edge was taken for its rim.
        fit: RimFit | None = best
        start = replace(best.ring, r=best.ring.r * best.ring.aspect, aspect=1.0)
        for _ in range(EVENED):
            fit = fit_best(pictures, start, band, shape=True, even=True)
            if fit is None:
                break
            start = fit.ring
        return fit
    leaning = [fit_rim(p, best.ring, band, True, 2.0, noise, leaning=True) for p, noise in pictures]
    lean = max((f for f in leaning if f is not None), key=_clear, default=None)
    if lean is None or abs(lean.ring.lean) < LEAST_LEAN or _clear(lean) < _clear(best) + LEANS:
        return best
    return lean


def _clear(fit: RimFit) -> float:
    return fit.support - CLEARER * fit.scatter_px / fit.ring.r


def _robust(
    design: FloatArray, offset: FloatArray, seen: BoolArray, strength: FloatArray, band: float
) -> tuple[FloatArray | None, BoolArray, float]:
    """Weighted least squares with Tukey's biweight, from a wide to a narrow scale."""
    base = np.where(seen, np.minimum(strength, 4.0 * _median(strength[seen])), 0.0)
    weight = base
    solution: FloatArray = np.zeros(design.shape[1])
    residual = offset
    for scale in (band, 0.6 * band, 0.35 * band, 0.0, 0.0):
        if scale == 0.0:
            spread = 1.4826 * _median(np.abs(residual[weight > 0]))
            scale = max(4.0 * spread, 1.2)
        a = design.T * weight
        solution = _solved(a @ design, a @ offset)
        residual = offset - design @ solution
        clear = np.maximum(1.0 - (residual / scale) ** 2, 0.0)
        weight = base * clear * clear
        if np.count_nonzero(weight) < design.shape[1] + 4:
            return None, weight > 0, np.inf
    inlier = weight > 0
    close = seen & (np.abs(residual) < max(2.0, 0.04 * band * 10))
    kept = residual[inlier]
    return solution, inlier & close, float(np.sqrt(kept @ kept / len(kept)))


def _median(values: FloatArray) -> float:
    """The upper median; many times faster than NumPy's on a hundred values."""
    middle = len(values) // 2
    return float(np.partition(values, middle)[middle])


def _solved(normal: FloatArray, right: FloatArray) -> FloatArray:
    """The solution of small normal equations; two unknowns, the usual case, by hand."""
    if len(right) > 2:
        return np.asarray(np.linalg.solve(normal + 1e-9 * np.eye(len(right)), right), float)
    (a, b), (_, d) = normal.tolist()
    p, q = right.tolist()
    a, d = a + 1e-9, d + 1e-9
    det = a * d - b * b
    return np.array([(d * p - b * q) / det, (a * q - b * p) / det])


@dataclass(frozen=True)
class Inner:
    """The clearest ring inside the rim: radius, and its middle less the rim's, shape (2,), pixels.

    It may lie nearer to the camera (a hub, a sleeve), so the middles differ by a shift that
    changes with the disc's place: by ``slope`` of the way from ``at``, where it is ``off``. The
    edge's ``sign`` tells both edges of a printed ring apart, as in ``fit_rim``. On rows beyond
    ``rows`` the shift is not known: a sleeve stands far before the face.
    """

    r: float
    off: FloatArray
    slope: float = 0.0
    at: FloatArray = field(default_factory=lambda: np.zeros(2))
    sign: int = 0
    rows: tuple[float, float] = (-np.inf, np.inf)

    def off_at(self, middle: FloatArray) -> FloatArray:
        """The shift where the rim's middle is at a point (2,)."""
        return np.asarray(self.off + self.slope * (middle - self.at))


def fit_inner(gray: Gray, inner: Inner, ring: Ring, reach: float) -> RimFit | None:
    """The inner ring of a disc that is about here, within ``reach`` of its radii."""
    off = inner.off_at(np.array([ring.x, ring.y]))
    x, y = ring.x + float(off[0]), ring.y + float(off[1])
    reach_px = max(reach * ring.r, 2.5)
    fit = fit_rim(gray, Ring(x, y, inner.r, ring.aspect), reach_px, sign=inner.sign)
    if fit is None or np.hypot(fit.ring.x - x, fit.ring.y - y) < 0.25 * reach_px:
        return fit  # it was where it was looked for
    closer = max(0.04 * ring.r, 1.5)
    return fit_rim(gray, fit.ring, closer, over_noise=FILLED, sign=inner.sign) or fit


@dataclass(frozen=True)
class InnerFound:
    """The ring inside the rim, None where none is clear, and what it says of the sightings.

    Attributes:
        inner: the ring.
        agree: frames on which it lies where it should; all of them where none is clear.
        others: frames on which another disc was taken for this one, or something else for its
            rim. On frames in neither it is not seen well enough to tell.
    """

    inner: Inner | None
    agree: list[int]
    others: list[int]


def inner_of(shown: dict[int, tuple[Gray, Ring]]) -> InnerFound:
    """The ring inside the rim, by frames on which the disc was found, the surest first."""
    gray, first = next(iter(shown.values()))
    found = clearest_inner(gray, first)
    if found is None:
        return InnerFound(None, list(shown), [])
    r = _fine_radius(gray, found, first)
    fits: dict[int, RimFit] = {}
    for n, (gray, ring) in shown.items():
        fit = fit_inner(gray, replace(found, r=r), ring, INNER_SHIFT)
        if fit is not None and fit.support >= CLEAR_INNER:
            fits[n] = fit
    if not fits:
        return InnerFound(None, list(shown), [])
    places = {n: np.array([shown[n][1].x, shown[n][1].y]) for n in fits}
    offs = {n: np.array([fit.ring.x, fit.ring.y]) - places[n] for n, fit in fits.items()}
    at = np.median(list(places.values()), axis=0)
    slope = _slope(np.array(list(offs.values())), np.array(list(places.values())), first.r)
    told = [y for _, y in places.values()]
    rows = (min(told) - first.r, max(told) + first.r)
    on_face = r > ON_FACE * first.r
    if slope is not None or on_face:
        rows = (-np.inf, np.inf)
    slope = slope or 0.0
    level = {n: o - slope * (places[n] - at) for n, o in offs.items()}
    off = np.median(list(level.values()), axis=0)
    apart = {n: float(np.hypot(*(o - off))) / first.r for n, o in level.items()}
    others = _standing({n: ring for n, (_, ring) in shown.items() if n not in fits})
    if on_face:  # a sleeve goes its own way
        others += [
            n for n, fit in fits.items() if fit.support >= SURE_INNER and apart[n] > FACE_APART
        ]
    near = [n for n in fits if apart[n] < INNER_APART and n not in others]
    return InnerFound(Inner(r, off, slope, at, found.sign, rows), near or list(shown), others)


def _standing(rings: dict[int, Ring]) -> list[int]:
    """Frames of those that are in one place on several: what is never seen with a ring inside, and
    does not move, is another disc.
    """
    at = {n: np.array([ring.x, ring.y]) for n, ring in rings.items()}
    return [
        n for n, ring in rings.items()
        if sum(float(np.hypot(*(at[n] - o))) < STANDS_R * ring.r for o in at.values()) >= STANDING
    ]  # fmt: skip


def _slope(offs: FloatArray, places: FloatArray, radius: float) -> float | None:
    """How the shift changes with the place, by (K, 2) of both; None where too little tells."""
    if len(offs) < SLOPED or float(np.ptp(places[:, 1])) < SLOPED_R * radius:
        return None
    slope = float(theilslopes(offs[:, 1], places[:, 1]).slope)
    return slope if abs(slope) < MOST_SLOPE else None


def _fine_radius(gray: Gray, inner: Inner, ring: Ring) -> float:
    """The inner ring's radius once its middle is known; a wrong one pulls the middle aside."""
    near = fit_inner(gray, inner, ring, INNER_SHIFT)
    fit = near and fit_rim(gray, near.ring, max(0.04 * ring.r, 1.5), True, FILLED, sign=inner.sign)
    return fit.ring.r if fit is not None and fit.support >= CLEAR_INNER else inner.r


def clearest_inner(gray: Gray, ring: Ring) -> Inner | None:
    """The clearest ring inside the rim (hub, sleeve, print), None where there is none.

    An edge that goes one way all round is clearer than one that light and shadow make.
    """
    lo, hi = max(INNER[0] * ring.r, LEAST_INNER_PX), INNER[1] * ring.r
    if hi - lo < 6.0:
        return None
    step = 0.5 * max(ring.r / FINE_R, 1.0)  # on a large picture an edge is as wide as it is large
    lines = rays(gray, ring, lo, hi, step)
    least = max(INNER_EDGE, 3.0 * float(np.median(edge_strength(lines))))
    # An edge that most rays show at one radius, give or take how far the middle may be off; a
    # mark on a part of the ring does not count.
    reach = np.ones((1, 2 * max(round(0.02 * ring.r / step), 1) + 1))
    common = {
        sign: np.quantile(cv2.dilate(edge_strength(lines, sign), reach), 0.3, axis=0)
        for sign in (1, -1, 0)
    }
    sign = max((1, -1), key=lambda s: float(common[s].max()))
    sign = sign if float(common[sign].max()) >= least else 0
    shown = common[sign]
    # The reach makes a plateau of an edge; its middle is meant.
    k = int(np.median(np.flatnonzero(shown >= 0.98 * shown.max())))
    if shown[k] < least:
        return None
    return Inner(float(lo + step * (2 + k)), np.zeros(2), sign=sign)
