"""Follow the bar end through a clip, to a fraction of a pixel.

On each frame a round template of the disc's own greys finds it to about a pixel near where
its motion leads; the rim then gives the middle. The template turns with nothing and the rim
is found whatever lies behind it, so the disc may spin and the background change. Where too
little of the rim is seen the frame is marked as lost and bridged afterwards.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.clip import Gray
from keenkettle.film.rim import (
    CLEAR_INNER,
    Inner,
    Pictures,
    RimFit,
    Ring,
    fit_best,
    fit_inner,
    rays,
)
from keenkettle.film.tone import pictures_of
from keenkettle.measure.geometry import BoolArray, FloatArray
from keenkettle.measure.motion import BarTrack

TEMPLATE_R = 13  # radius of the template, pixels of the reduced picture
MIN_MATCH = 0.45  # normalised correlation under which the template is not believed
MIN_SUPPORT = 0.28  # share of the rim that must be seen
CARRIED = 8  # hidden frames over which the bar is taken to go on as it went
FASTEST_R = 0.45  # radii a frame: 6 m/s at 60 frames a second
PLAIN_RIM = 0.8  # a rim seen so well where it was expected needs no second look
CLEAR_RIM = 0.6  # with so much of its rim seen the rim alone decides
INNER_SUPPORT, AGREE = 0.6, 0.05  # of the inner ring; share of the radius
INNER_BAND, FACE_BAND = 0.06, 0.10  # radii round where the motion leads; round the face's guess
RIM_BAND, SAME = 0.05, 0.03  # radii: the rim's reach round it; as far off it is not the rim
LEARN_EVERY, LEARNT_FACE = 4, 0.34  # frames between; share of the new face each time
LEARNT = 0.2  # of a new shift between both rings, where all of the rim is seen
LEAST_SCATTER = 0.15  # pixels; rays on one picture share what is wrong with it
INNER_ALONE = 0.6  # support by the inner ring alone, for each share of it
SEARCH_R = 36.0  # radius to which the picture is reduced for a search by the rim alone
LOST = 0.2  # quality of a bridged frame
MARKED = 0.95  # quality where the coach put the bar
MARK_R = 0.12  # radii within which a rim is the one the coach meant
MET_R, MET_FOR = 0.08, 3  # gone back from a mark, until so near to the track on so many frames
FOUND_AGAIN_SUPPORT = 0.45
#: Among a dozen samples of noise alone one ray in five has an edge so far above the rest.
SURE_EDGE = 3.0
FAR_SUPPORT = 0.62  # far from where it was lost, by the rim alone
OFF_COURSE = 0.2  # support that a fit a tenth of a radius off its course must have more
WIDE_SEARCH_EVERY = 2  # while lost, the whole picture is searched on every second frame


class BarLostError(ValueError):
    """The bar could not be followed; the message says from where and what to do."""


LIFTED_R, LIFTED_AGO = 2.0, 24  # a first lift: so many radii high, its top so many frames ago
LOOKED_BACK, LATELY = 8, 900  # frames between looks for that, and looked at


@dataclass
class DiscFollower:
    """State of the follower from frame to frame."""

    ring: Ring
    template: FloatArray
    xy: list[tuple[float, float]] = field(default_factory=list)
    quality: list[float] = field(default_factory=list)
    scatter: list[float] = field(default_factory=list)
    known: dict[int, tuple[float, float]] = field(default_factory=dict)
    marked: dict[int, tuple[float, float]] = field(default_factory=dict)
    inner: Inner | None = None
    lost_for: int = 0
    seen_for: int = 0
    at: FloatArray | None = None
    seen_at: FloatArray | None = None
    speed: FloatArray = field(default_factory=lambda: np.zeros(2))

    def step(self, gray: Gray, rim: Gray) -> None:
        """Take the next frame: its luma, and the picture that shows the rim best."""
        pictures = pictures_of(gray, rim)
        if len(self.xy) in self.marked:
            self._take_mark(pictures, np.array(self.marked[len(self.xy)]))
            return
        if self.at is None or self.lost_for > 3:
            self._look_where_it_was_seen()
        fit, match = None, 1.0
        if self.at is not None and self.seen_for >= 2:
            fit = self._round_inner(gray, pictures, self.at + self.speed, INNER_BAND)
        if fit is None:
            fit, match = self._from_face(gray, pictures)
        if fit is None:
            self._lose()
            return
        now = np.array([fit.ring.x, fit.ring.y])
        if self.at is None or self.seen_at is None:
            self.speed = np.zeros(2)
        elif self.lost_for == 0:
            self.speed = 0.4 * self.speed + 0.6 * (now - self.at)
        elif self.lost_for <= CARRIED:
            self.speed = (now - self.seen_at) / (self.lost_for + 1)
        else:
            self.speed = np.zeros(2)
        self.seen_at = now
        self.at, self.lost_for, self.seen_for = now, 0, self.seen_for + 1
        self.xy.append((float(now[0]), float(now[1])))
        # A frame that was seen has at least 0.5; more with more of the rim and a likely face.
        share = float(np.clip((fit.support - MIN_SUPPORT) / (0.9 - MIN_SUPPORT), 0.0, 1.0))
        self.quality.append(0.5 + 0.5 * share * float(np.clip(0.6 + 0.5 * match, 0.6, 1.0)))
        self.scatter.append(fit.scatter_px)
        if fit.support > 0.75 and self.seen_for % LEARN_EVERY == 0:
            self._learn(gray, fit.ring)

    def _round_inner(
        self, gray: Gray, shown: Pictures, middle: FloatArray, reach: float
    ) -> RimFit | None:
        """The rim round an inner ring that is clear; nothing behind the disc shows there.

        Print and shadows near the rim, and other discs behind it, have edges of their own; the
        inner ring leaves so little room that none of them is taken for the rim.
        """
        if self.inner is None:
            return None
        r = self.ring.r
        fit = self._inner_near(gray, middle, reach)
        if fit is None or fit.support < CLEAR_INNER:
            return None
        middle = self.inner.rim_of(_middle(fit))
        start = Ring(float(middle[0]), float(middle[1]), r, self.ring.aspect)
        rim = fit_best(shown, start, max(RIM_BAND * r, 2.0))
        if rim is None or float(np.hypot(*(_middle(rim) - middle))) > SAME * r:
            if self.seen_for < 2:
                return None  # there are rings of this size elsewhere too
            alone = RimFit(start, INNER_ALONE * fit.support, fit.scatter_px)
            return self._on_course(shown, middle) or alone
        share = max(rim.support - CLEAR_RIM, 0.0) / (1.0 - CLEAR_RIM)
        self._learn_shift(_middle(fit), _middle(rim), LEARNT * share)
        return _both(rim, middle, fit)

    def _on_course(self, shown: Pictures, by_inner: FloatArray) -> RimFit | None:
        """A clear rim where the motion leads, where the inner ring says that the disc jumps: a
        hub and a sleeve of about one size stand on different middles.
        """
        if self.at is None or self.lost_for:
            return None
        ahead, same = self.at + self.speed, SAME * self.ring.r
        if float(np.hypot(*(by_inner - ahead))) <= same:
            return None
        start = Ring(float(ahead[0]), float(ahead[1]), self.ring.r, self.ring.aspect)
        rim = fit_best(shown, start, max(RIM_BAND * self.ring.r, 2.0))
        if rim is None or rim.support < CLEAR_RIM:
            return None
        return rim if float(np.hypot(*(_middle(rim) - ahead))) <= same else None

    def _inner_near(self, gray: Gray, middle: FloatArray, reach: float) -> RimFit | None:
        """The inner ring of a disc whose middle is about here, within so many radii."""
        assert self.inner is not None
        at = replace(self.ring, x=float(middle[0]), y=float(middle[1]))
        return fit_inner(gray, self.inner, at, reach)

    def _learn_shift(self, inner: FloatArray, rim: FloatArray, share: float) -> None:
        assert self.inner is not None
        off = (1.0 - share) * self.inner.off_at(rim) + share * (inner - rim)
        self.inner = replace(self.inner, off=off, at=rim)

    def _from_face(self, gray: Gray, pictures: Pictures) -> tuple[RimFit | None, float]:
        """The rim near where the disc's face is found, and how well that was found."""
        guess, match = self._coarse(gray)
        fit = None
        if guess is not None and match >= MIN_MATCH:
            fit = self._round_inner(gray, pictures, guess, FACE_BAND)
            fit = fit or self._fine(pictures, guess)
        needed = MIN_SUPPORT if self.lost_for == 0 else FOUND_AGAIN_SUPPORT
        if self.at is None:
            needed = FAR_SUPPORT  # nothing but the picture speaks for it
        if guess is not None and match >= MIN_MATCH:
            fit = self._with_inner(gray, guess, fit)
        if fit is None or fit.support < needed or self._jumped(fit.ring):
            fit = self._by_rim(pictures)
        return fit, match

    def _look_where_it_was_seen(self) -> None:
        """Begin again where the disc was found on this frame before it was followed."""
        known = self.known.get(len(self.xy))
        if known is not None:
            self.at, self.seen_at = np.array(known), np.array(known)
            self.lost_for, self.speed = 0, np.zeros(2)

    def _take_mark(self, shown: Pictures, mark: FloatArray) -> None:
        """The coach put the bar here: its rim where one is near, else the mark itself."""
        start = Ring(float(mark[0]), float(mark[1]), self.ring.r, self.ring.aspect)
        fit = fit_best(shown, start, max(MARK_R * self.ring.r, 3.0))
        if fit is not None:
            fit = fit_best(shown, fit.ring, max(0.05 * self.ring.r, 2.0)) or fit
        near = (
            fit is not None
            and fit.support >= FOUND_AGAIN_SUPPORT
            and float(np.hypot(*(_middle(fit) - mark))) < MARK_R * self.ring.r
        )
        now = _middle(fit) if fit is not None and near else mark
        if self.at is not None and self.lost_for == 0 and not self._jumped(start):
            self.speed = 0.4 * self.speed + 0.6 * (now - self.at)
        else:
            self.speed = np.zeros(2)
        self.at, self.seen_at, self.lost_for = now, now, 0
        self.xy.append((float(now[0]), float(now[1])))
        self.quality.append(MARKED)
        self.scatter.append(fit.scatter_px if fit is not None and near else np.nan)

    def _fine(self, shown: Pictures, guess: FloatArray) -> RimFit | None:
        """The rim near the template's guess or near where the motion leads, the better one.

        Another disc behind this one has a rim of its own; it is told apart by fewer rays and
        by lying off the way.
        """
        starts = [(guess, max(0.10 * self.ring.r, 3.0))]
        ahead = None if self.at is None or self.lost_for else self.at + self.speed
        if ahead is not None:
            starts.insert(0, (ahead, max(0.06 * self.ring.r, 2.5)))
        best, best_score = None, -np.inf
        for xy, band in starts:
            ring = Ring(float(xy[0]), float(xy[1]), self.ring.r, self.ring.aspect)
            fit = fit_best(shown, ring, band)
            if fit is None:
                continue
            fit = fit_best(shown, fit.ring, max(0.05 * self.ring.r, 2.0)) or fit
            off = 0.0
            if ahead is not None:
                off = float(np.hypot(fit.ring.x - ahead[0], fit.ring.y - ahead[1]))
            score = fit.support - OFF_COURSE * min(off / (0.1 * self.ring.r), 1.0)
            if score > best_score:
                best, best_score = fit, score
            if best_score >= PLAIN_RIM:
                break  # nothing can be seen better
        return best

    def _with_inner(self, gray: Gray, guess: FloatArray, fit: RimFit | None) -> RimFit | None:
        """A rim that is not clear is checked by the inner ring near the face's guess."""
        if self.inner is None or (fit is not None and fit.support >= CLEAR_RIM):
            return fit
        inner = self._inner_near(gray, guess, FACE_BAND)
        if inner is None or inner.support < INNER_SUPPORT:
            return fit
        by_inner = self.inner.rim_of(_middle(inner))
        apart = np.inf if fit is None else float(np.hypot(*(_middle(fit) - by_inner)))
        if fit is not None and apart < AGREE * self.ring.r:
            return fit
        ring = Ring(float(by_inner[0]), float(by_inner[1]), self.ring.r, self.ring.aspect)
        return RimFit(ring, INNER_ALONE * inner.support, inner.scatter_px)

    def _by_rim(self, shown: Pictures) -> RimFit | None:
        """The rim alone, where the face says nothing (marks, glare, low contrast).

        Along the way first; when lost, wherever a ring of this size stands out. More of the
        rim is asked for than with the face's help.
        """
        r = self.ring.r
        starts: list[FloatArray] = []
        if self.at is not None and self.lost_for <= 3:
            starts.append(self.at + self.speed)
        if (self.at is None or self.lost_for > 0) and self.lost_for % WIDE_SEARCH_EVERY == 0:
            for picture, _ in shown:
                starts += rings_like(picture, r, self.ring.aspect)
        best: RimFit | None = None
        for xy in starts:
            ring = Ring(float(xy[0]), float(xy[1]), r, self.ring.aspect)
            fit = fit_best(shown, ring, max(0.12 * r, 3.0), over_noise=SURE_EDGE)
            if fit is not None:
                fit = fit_best(shown, fit.ring, max(0.05 * r, 2.0), over_noise=SURE_EDGE)
            far = self.at is None or float(np.hypot(*(xy - self.at))) > 1.5 * r
            needed = FAR_SUPPORT if far else FOUND_AGAIN_SUPPORT
            if fit is None or fit.support < needed or self._jumped(fit.ring):
                continue
            if best is None or fit.support > best.support:
                best = fit
        return best

    def _jumped(self, ring: Ring) -> bool:
        """Whether a ring is where the bar cannot be now."""
        if self.at is None:
            return False
        if self.lost_for > 0:
            # However long it was hidden, a bar moves no faster than a dropped one.
            most = (1.0 + FASTEST_R * self.lost_for) * self.ring.r
            last = self.at if self.seen_at is None else self.seen_at
            return bool(np.hypot(ring.x - last[0], ring.y - last[1]) > most)
        ahead = self.at + self.speed
        return bool(np.hypot(ring.x - ahead[0], ring.y - ahead[1]) > 0.55 * self.ring.r)

    def _lose(self) -> None:
        self.lost_for, self.seen_for = self.lost_for + 1, 0
        if self.at is not None and self.lost_for <= CARRIED:
            self.at = self.at + self.speed
            self.speed = 0.97 * self.speed
        self.xy.append((np.nan, np.nan))
        self.quality.append(LOST)
        self.scatter.append(np.nan)

    def _coarse(self, gray: Gray) -> tuple[FloatArray | None, float]:
        """Where the template matches best, pixels, and how well (1 = perfectly)."""
        r = self.ring.r
        if self.at is None or self.lost_for > 3:
            if self.at is not None and self.lost_for % WIDE_SEARCH_EVERY:
                return None, 0.0
            return self._match(gray, 0, 0, gray.shape[1], gray.shape[0])
        ahead = self.at + self.speed
        reach = (0.30 + 0.25 * self.lost_for) * r + 0.35 * float(np.hypot(*self.speed)) + 4.0
        x0, y0 = int(ahead[0] - r - reach), int(ahead[1] - r - reach)
        x1, y1 = int(ahead[0] + r + reach) + 1, int(ahead[1] + r + reach) + 1
        return self._match(gray, x0, y0, x1, y1)

    def _match(
        self, gray: Gray, x0: int, y0: int, x1: int, y1: int
    ) -> tuple[FloatArray | None, float]:
        h, w = gray.shape
        pad = int(self.ring.r)  # a disc may be partly outside the picture
        x0, y0, x1, y1 = max(x0, -pad), max(y0, -pad), min(x1, w + pad), min(y1, h + pad)
        part = gray[max(y0, 0) : max(y1, 0), max(x0, 0) : max(x1, 0)]
        if part.size == 0:
            return None, 0.0
        edges = (max(-y0, 0), max(y1 - h, 0), max(-x0, 0), max(x1 - w, 0))
        scale = TEMPLATE_R / self.ring.r
        if any(edges):
            part = np.asarray(cv2.copyMakeBorder(part, *edges, cv2.BORDER_REPLICATE), np.uint8)
        wide = scale / self.ring.aspect  # the template is round, whatever the camera's turn
        size = (max(round(part.shape[1] * wide), 1), max(round(part.shape[0] * scale), 1))
        small = cv2.resize(part, size, interpolation=cv2.INTER_AREA).astype(np.float32)
        side = self.template.shape[0]
        if small.shape[0] < side or small.shape[1] < side:
            return None, 0.0
        score = cv2.matchTemplate(
            small, self.template.astype(np.float32), cv2.TM_CCOEFF_NORMED, mask=_mask(side)
        )
        score = np.where(np.isfinite(score), score, -1.0)
        _, best, _, at = cv2.minMaxLoc(score)
        fx, fy = part.shape[1] / size[0], part.shape[0] / size[1]
        x = (at[0] + side / 2.0) * fx - 0.5 + x0
        y = (at[1] + side / 2.0) * fy - 0.5 + y0
        return np.array([x, y]), float(best)

    def _learn(self, gray: Gray, ring: Ring) -> None:
        """Let the template follow slow changes of light."""
        new = make_template(gray, ring)
        self.template = (1.0 - LEARNT_FACE) * self.template + LEARNT_FACE * new


def _both(rim: RimFit, by_inner: FloatArray, inner: RimFit) -> RimFit:
    """The middle by both rings, each weighted by how well its own rays agree."""
    a, b = (f.support / max(f.scatter_px, LEAST_SCATTER) ** 2 for f in (rim, inner))
    x, y = (a * _middle(rim) + b * by_inner) / (a + b)
    scatter = float(np.sqrt((rim.support + inner.support) / (a + b)))
    return RimFit(replace(rim.ring, x=float(x), y=float(y)), rim.support, scatter)


def _middle(fit: RimFit) -> FloatArray:
    return np.array([fit.ring.x, fit.ring.y])


def rings_like(gray: Gray, r: float, aspect: float = 1.0, most: int = 6) -> list[FloatArray]:
    """Middles of rings of about this radius and shape, pixels, the clearest first."""
    scale = min(1.0, SEARCH_R / r)
    scales = np.array([scale / aspect, scale])
    size = (round(gray.shape[1] * scales[0]), round(gray.shape[0] * scales[1]))
    small = cv2.GaussianBlur(cv2.resize(gray, size, interpolation=cv2.INTER_AREA), (0, 0), 1.2)
    found = cv2.HoughCircles(
        small, cv2.HOUGH_GRADIENT, dp=1.5, minDist=0.5 * r * scale, param1=60, param2=14,
        minRadius=round(0.9 * r * scale), maxRadius=round(1.1 * r * scale) + 1,
    )  # fmt: skip
    if found is None:
        return []
    return [np.array([x, y]) / scales for x, y, _ in found.reshape(-1, 3)[:most].astype(float)]


def _mask(side: int) -> NDArray[np.float32]:
    c = (side - 1) / 2.0
    ys, xs = np.mgrid[:side, :side]
    return np.asarray(np.hypot(xs - c, ys - c) <= TEMPLATE_R - 0.3, dtype=np.float32)


def make_template(gray: Gray, ring: Ring) -> FloatArray:
    """The disc's mean grey by radius, drawn round: shape (2 R + 1, 2 R + 1)."""
    step = ring.r / TEMPLATE_R / 2.0
    profile = np.median(rays(gray, ring, step, ring.r, step), axis=0)
    radii = np.arange(1, len(profile) + 1) * 0.5
    side = 2 * TEMPLATE_R + 1
    ys, xs = np.mgrid[:side, :side] - float(TEMPLATE_R)
    return np.asarray(np.interp(np.hypot(xs, ys), radii, profile))


def follow_bar(
    frames: Iterable[tuple[int, Gray, Gray]],
    count: int,
    ring: Ring,
    template: FloatArray,
    progress: Callable[[int, int], None] | None = None,
    inner: Inner | None = None,
    known: dict[int, tuple[float, float]] | None = None,
    back: Callable[[int], Iterable[tuple[int, Gray, Gray]]] | None = None,
    marked: dict[int, tuple[float, float]] | None = None,
    first: Callable[[BarTrack], None] | None = None,
) -> BarTrack:
    """Follow the disc over all frames of a clip.

    Args:
        frames: frame number, luma, and the picture that shows the rim best (luma, mostly),
            in order; damaged ones may be missing.
        count: frames in the clip.
        ring: size and aspect of the disc.
        template: from ``make_template``.
        progress: called with frames done and count.
        inner: the clearest ring inside the rim, if there is one.
        known: where the disc was found on some frames already, pixels.
        back: gives the frames before one, backward; needed where the first known one is not
            the clip's first, and for marks.
        marked: where the coach put the bar, pixels; the track goes through, both ways.
        first: called once with the track so far, as soon as the bar has been lifted; later
            frames then count as hidden.

    Returns:
        The track; frames where the disc was hidden are bridged, quality under 0.5.

    Raises:
        BarLostError: it was seen on fewer than a third of the frames, or fewer than five.
    """
    marked = marked or {}
    follower = DiscFollower(ring, template, known=known or {}, marked=marked, inner=inner)
    for number, gray, rim in frames:
        while len(follower.xy) < number:
            follower._lose()
        follower.step(gray, rim)
        if progress:
            progress(number + 1, count)
        if first is not None and number % LOOKED_BACK == 0 and _lifted(follower):
            first(_so_far(follower, count))
            first = None
    while len(follower.xy) < count:
        follower._lose()
    xy = np.array(follower.xy)
    quality = np.array(follower.quality)
    sure = (known or {}) | marked
    if sure and back is not None:
        fresh = DiscFollower(ring, template, inner=inner)
        _backward(fresh, sure[min(sure)], back(min(sure)), xy, quality)
    for frame in sorted(marked):
        if frame < count and back is not None:
            fresh = DiscFollower(ring, template, inner=inner)
            _backward(fresh, marked[frame], back(frame), xy, quality, frozenset(marked))
    seen = np.isfinite(xy[:, 0])
    if seen.sum() < max(5, count // 3):
        lost = int(np.argmin(seen)) if not seen.all() else 0
        raise BarLostError(
            f"the disc was seen on only {int(seen.sum())} of {count} frames "
            f"(lost at frame {lost}); "
            "click its middle and rim where it is clear, or film with nothing in front of it"
        )
    return BarTrack(_bridge(xy, seen), quality, _noise(follower))


def _noise(follower: DiscFollower) -> float:
    # A centre from n rays of this scatter: both coordinates share the rays.
    known = np.array(follower.scatter)[np.isfinite(follower.scatter)]
    scatter = float(np.median(known)) if len(known) else 0.0
    return max(scatter * float(np.sqrt(2.0 / (0.7 * 96))), 0.03)


def _lifted(follower: DiscFollower) -> bool:
    """Whether lately the bar has risen far and, a while ago, was at its highest."""
    y = np.array(follower.xy[-LATELY:])[:, 1]
    if not np.isfinite(y).any():
        return False
    top = int(np.nanargmin(y))
    rise = float(np.nanmax(y[: top + 1]) - y[top])
    return rise > LIFTED_R * follower.ring.r and len(y) - top > LIFTED_AGO


def _so_far(follower: DiscFollower, count: int) -> BarTrack:
    left = count - len(follower.xy)
    xy = np.concatenate([np.array(follower.xy), np.full((left, 2), np.nan)])
    quality = np.concatenate([np.array(follower.quality), np.full(left, LOST)])
    return BarTrack(_bridge(xy, np.isfinite(xy[:, 0])), quality, _noise(follower))


def _backward(
    follower: DiscFollower,
    start: tuple[float, float],
    before: Iterable[tuple[int, Gray, Gray]],
    xy: FloatArray,
    quality: FloatArray,
    marks: frozenset[int] | None = None,
) -> None:
    """Follow backward from where the disc is known, in place; to the beginning without marks.

    With marks, only until it meets what is there already, or another mark.
    """
    follower.at = np.array(start)
    met = 0
    for number, gray, rim in before:
        if marks is not None and number in marks:
            return
        follower.step(gray, rim)
        off = float(np.hypot(*(np.array(follower.xy[-1]) - xy[number])))
        same = marks is not None and off < MET_R * follower.ring.r
        met = met + 1 if same else 0
        if met >= MET_FOR:
            return
        if same:
            continue  # what was followed forward is as good
        xy[number], quality[number] = follower.xy[-1], follower.quality[-1]


def _bridge(xy: FloatArray, seen: BoolArray) -> FloatArray:
    """Fill hidden frames by a cubic through what was seen before and after."""
    from scipy.interpolate import PchipInterpolator  # slow to load

    n = np.arange(len(xy))
    good = n[seen]
    out = xy.copy()
    for axis in (0, 1):
        curve = PchipInterpolator(good, xy[seen, axis], extrapolate=False)
        filled = curve(n)
        filled[n < good[0]] = xy[good[0], axis]
        filled[n > good[-1]] = xy[good[-1], axis]
        out[~seen, axis] = filled[~seen]
    return out
