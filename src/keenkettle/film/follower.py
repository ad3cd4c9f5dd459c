"""Follow a disc from one picture to the next, to a fraction of a pixel.

On each frame a round template of the disc's own greys finds it to about a pixel near where
its motion leads; the rim then gives the middle. The template turns with nothing and the rim
is found whatever lies behind it, so the disc may spin and the background change.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from keenkettle.film.disc_face import make_template, match_face, rings_like
from keenkettle.film.face_flow import face_moved
from keenkettle.film.planes import LUMA, Gray, Tone
from keenkettle.film.rim import (
    CLEAR_INNER,
    Inner,
    Pictures,
    RimFit,
    Ring,
    fit_best,
    fit_inner,
    fit_shape,
)
from keenkettle.film.still import Still
from keenkettle.film.thick import Outlines
from keenkettle.film.tone import pictures_of
from keenkettle.measure.geometry import FloatArray

NOISY_MATCH, EXPECTED_R = 0.25, 0.12  # nor where it is not expected, radii; less is not one
MIN_MATCH = 0.45  # normalised correlation under which the template is not believed
MIN_SUPPORT = 0.28  # share of the rim that must be seen
CARRIED = 8  # hidden frames over which the bar is taken to go on as it went
FASTEST_R = 0.45  # radii a frame: 6 m/s at 60 frames a second
STRAYS_R, STEADY_FOR = 0.2, 8  # radii a frame off its way, after so many on which it was seen
PLAIN_RIM = 0.8  # a rim seen so well where it was expected needs no second look
CLEAR_RIM = 0.6  # with so much of its rim seen the rim alone decides
INNER_SUPPORT, AGREE = 0.6, 0.05  # of the inner ring; share of the radius
INNER_BAND, FACE_BAND = 0.06, 0.10  # radii round where the motion leads; round the face's guess
RIM_BAND, SAME = 0.05, 0.03  # radii: the rim's reach round it; as far off it is not the rim
LEARN_EVERY, LEARNT_FACE = 4, 0.34  # frames between; share of the new face each time
KNOWN_OUTLINE, SELDOM = 6, 24  # looks at one and its neighbours; frames between from then on
BESIDE = 0.4  # of a rim's left and right each, where its shape is learnt
LEARNT_FROM = 0.75  # support from which a face is learnt
BLURS = 0.12  # radii a frame; a faster disc is smeared, and not as tall as it is
LEAST_SHAPED, OUTLINED = 0.5, 0.7  # from which an outline is fitted freely; that fit's own
SMEARS_PX, DRAWN_IN = 4.0, 0.5  # a frame; of that way
PRINT_BELOW, FAST_R = OUTLINED, 0.07  # support; radii a frame, where print is always asked
PRINT_PX = 1.0  # a frame; slower than that the rim is as good
#: Share of the way to the rim: print is about five times as exact, but drifts.
RIM_TELLS, SMEARED_TELLS = 0.2, 0.08
PRINT_ALONE, PRINT_OFF = 6, 0.1  # frames with no rim at all; radii off the way
KNOWN_AS = 2.0  # looks that the inner ring's place, as known at first, counts for
LEAST_SCATTER = 0.15  # pixels; rays on one picture share what is wrong with it
INNER_ALONE = 0.6  # support by the inner ring alone, for each share of it
RESTS = 0.08  # pixels a frame; slower than that it may stand still
LOST = 0.2  # quality of a bridged frame
MARKED = 0.95  # quality where the coach put the bar
MARK_R = 0.12  # radii within which a rim is the one the coach meant
FOUND_AGAIN_SUPPORT = 0.45
#: Among a dozen samples of noise alone one ray in five has an edge so far above the rest.
SURE_EDGE = 3.0
FAR_SUPPORT = 0.62  # far from where it was lost, by the rim alone
#: Rays of one rim agree better, radii and pixels; and where it is found far from where it was.
ROUGH_R, ROUGH_PX, FAR_ROUGH_R, FAR_ROUGH_PX = 0.035, 1.2, 0.013, 0.7
FAR_R = 1.5  # radii
OFF_COURSE = 0.2  # support that a fit a tenth of a radius off its course must have more
WIDE_SEARCH_EVERY = 2  # while lost, the whole picture is searched on every second frame


@dataclass
class DiscFollower:
    """State of the follower from frame to frame."""

    ring: Ring
    template: FloatArray
    outlines: Outlines
    tone: Tone = LUMA  # of the picture that shows the rim best
    xy: list[tuple[float, float]] = field(default_factory=list)
    quality: list[float] = field(default_factory=list)
    scatter: list[float] = field(default_factory=list)
    known: dict[int, tuple[float, float]] = field(default_factory=dict)
    marked: dict[int, tuple[float, float]] = field(default_factory=dict)
    inner: Inner | None = None
    lost_for: int = 0
    seen_for: int = 0
    held_for: int = 0  # seen, before it was lost
    found_at: int = 0
    at: FloatArray | None = None
    seen_at: FloatArray | None = None
    speed: FloatArray = field(default_factory=lambda: np.zeros(2))
    still: Still | None = None
    before: Gray | None = None
    by_print: int = 0  # frames on which it alone told the way
    smeared: bool = False

    def step(self, gray: Gray, rim: Gray) -> None:
        """Take the next frame: its luma, and the picture that shows the rim best."""
        pictures = pictures_of(gray, rim, self.tone)
        before, self.before, self.smeared = self.before, gray, False
        if len(self.xy) in self.marked:
            self._take_mark(pictures, np.array(self.marked[len(self.xy)]))
            return
        self._look_where_it_was_seen(pictures)
        if self.still is not None and self.lost_for == 0 and self.still.holds(gray):
            self._stay()
            return
        fit, match = None, 1.0
        if self.at is not None and self.seen_for >= 2:
            fit = self._round_inner(gray, pictures, self.at + self.speed, INNER_BAND)
        if fit is None:
            fit, match = self._from_face(gray, pictures)
        shaped = fit
        fast = float(np.hypot(*self.speed)) > FAST_R * self.ring.r
        if before is not None and (fast or fit is None or fit.support < PRINT_BELOW):
            fit = self._by_print(before, gray, pictures, fit)
        else:
            self.by_print = 0
        if fit is None or self._strays(fit) or self._elsewhere(fit):
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
        if self.lost_for or self.seen_at is None:
            self.found_at = len(self.xy)
        self.still = None
        if self.seen_for and len(pictures) == 1 and float(np.hypot(*self.speed)) < RESTS:
            self.still = Still(gray, fit.ring)
        self.seen_at = now
        self.at, self.lost_for, self.seen_for = now, 0, self.seen_for + 1
        self.xy.append((float(now[0]), float(now[1])))
        # A frame that was seen has at least 0.5; more with more of the rim and a likely face.
        share = float(np.clip((fit.support - MIN_SUPPORT) / (0.9 - MIN_SUPPORT), 0.0, 1.0))
        self.quality.append(0.5 + 0.5 * share * float(np.clip(0.6 + 0.5 * match, 0.6, 1.0)))
        self.scatter.append(fit.scatter_px)
        if self.seen_for % LEARN_EVERY == 0:
            if fit.support > LEARNT_FROM:
                self._learn(gray, fit.ring)
            sharp = float(np.hypot(*self.speed)) < BLURS * self.ring.r
            # As the rim was seen: print says where a disc is, not how large.
            clear = sharp and shaped is not None and shaped.support > LEAST_SHAPED
            if clear and shaped is not None and not self._known_outline(shaped.ring.y):
                self._learn_outline(pictures, shaped.ring)

    def _strays(self, fit: RimFit) -> bool:
        """Whether a rim that is not clear lies where no bar gets to from its way in so short a
        time: noise has rings of its own.
        """
        steady = (self.held_for if self.lost_for else self.seen_for) >= STEADY_FOR
        if self.at is None or not steady or self.lost_for > CARRIED:
            return False
        off = float(np.hypot(*(_middle(fit) - self.at - self.speed)))
        # A bar that meets the floor is not where its way led.
        clear = fit.support >= (CLEAR_RIM if self.lost_for and self._sharp(fit) else PLAIN_RIM)
        return not clear and off > STRAYS_R * (self.lost_for + 1) * self.ring.r

    def _elsewhere(self, fit: RimFit) -> bool:
        """Whether a disc that was lost would be far from where it was by a rim that is none too
        sharp: in a dark or grainy picture there are such rings everywhere. Edges of this and that,
        on no circle, are no rim however many.
        """
        if self.at is None or not self.lost_for:
            return False
        far = float(np.hypot(*(_middle(fit) - self.at))) > FAR_R * self.ring.r
        rough = fit.scatter_px > max(ROUGH_R * self.ring.r, ROUGH_PX)
        return far and (rough or (fit.support < PLAIN_RIM and not self._sharp(fit)))

    def _sharp(self, fit: RimFit) -> bool:
        return not fit.scatter_px > max(FAR_ROUGH_R * self.ring.r, FAR_ROUGH_PX)

    def _stay(self) -> None:
        """Go on where it stands."""
        self.speed, self.seen_for = np.zeros(2), self.seen_for + 1
        self.xy.append(self.xy[-1])
        self.quality.append(self.quality[-1])
        self.scatter.append(self.scatter[-1])

    def _outline(self, middle: FloatArray) -> Ring:
        """The outline that is to be expected about a point (2,)."""
        x, y = middle.tolist()
        return replace(self.outlines.at(y), x=x, y=y)

    def _known_outline(self, row: float) -> bool:
        """Whether a row's outline is known well, so that it need be looked at but seldom."""
        known = len(self.outlines.shapes.near(row)) >= KNOWN_OUTLINE
        return known and self.seen_for % SELDOM != 0

    def _learn_outline(self, shown: Pictures, ring: Ring) -> None:
        free = fit_shape(shown, ring, max(RIM_BAND * ring.r, 2.0))
        if free is not None and free.support >= OUTLINED and free.beside >= BESIDE:
            self.outlines.learn(free.ring)

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
        middle = self._rim_of(_middle(fit))
        start = self._outline(middle)
        rim = self._fit(shown, start, max(RIM_BAND * r, 2.0))
        clear = rim is not None and self._clear(rim)
        if rim is not None and clear:
            x, y = (_middle(fit) - _middle(rim)).tolist()
            self.outlines.asides.learn(rim.ring.y, (x, y))
        if rim is None or float(np.hypot(*(_middle(rim) - middle))) > SAME * r:
            if self.seen_for < 2:
                return None  # there are rings of this size elsewhere too
            alone = RimFit(start, INNER_ALONE * fit.support, fit.scatter_px)
            return rim if clear else self._on_course(shown, middle) or alone
        apart = float(np.hypot(*(_middle(rim) - middle)))
        if clear and apart > float(np.hypot(rim.scatter_px, fit.scatter_px)):
            return rim  # a sleeve's end wanders over the face before its way is learnt
        return _both(rim, middle, fit)

    def _clear(self, rim: RimFit) -> bool:
        """Whether a rim is believed against the inner ring: a sleeve stands far before the face,
        and its shift changes on the way.
        """
        if rim.support >= OUTLINED or self.at is None or self.lost_for:
            return rim.support >= OUTLINED
        off = float(np.hypot(*(_middle(rim) - self.at - self.speed)))
        return rim.support >= CLEAR_RIM and off <= SAME * self.ring.r

    def _on_course(self, shown: Pictures, by_inner: FloatArray) -> RimFit | None:
        """A clear rim where the motion leads, where the inner ring says that the disc jumps: a
        hub and a sleeve of about one size stand on different middles.
        """
        if self.at is None or self.lost_for:
            return None
        ahead, same = self.at + self.speed, SAME * self.ring.r
        if float(np.hypot(*(by_inner - ahead))) <= same:
            return None
        rim = self._fit(shown, self._outline(ahead), max(RIM_BAND * self.ring.r, 2.0))
        if rim is None or rim.support < CLEAR_RIM:
            return None
        return rim if float(np.hypot(*(_middle(rim) - ahead))) <= same else None

    def _aside(self, middle: FloatArray) -> FloatArray:
        """The inner ring's middle less the rim's, where that is at a point (2,)."""
        assert self.inner is not None
        known, row = self.inner.off_at(middle), float(middle[1])
        learnt = self.outlines.asides.middling(row)
        if learnt is None:
            return known
        times = len(self.outlines.asides.near(row))
        share = times / (times + KNOWN_AS)
        return np.asarray((1.0 - share) * known + share * np.array(learnt))

    def _rim_of(self, inner: FloatArray) -> FloatArray:
        """The rim's middle (2,) where the inner ring's is at a point (2,)."""
        return inner - self._aside(inner - self._aside(inner))

    def _inner_near(self, gray: Gray, middle: FloatArray, reach: float) -> RimFit | None:
        """The inner ring of a disc whose middle is about here, within so many radii."""
        assert self.inner is not None
        row = float(middle[1])
        if not self.outlines.asides.near(row):
            lo, hi = self.inner.rows
            if not lo <= row <= hi:
                return None
        at = replace(self.ring, x=float(middle[0]), y=float(middle[1]))
        return fit_inner(gray, replace(self.inner, off=self._aside(middle), slope=0.0), at, reach)

    def _from_face(self, gray: Gray, pictures: Pictures) -> tuple[RimFit | None, float]:
        """The rim near where the disc's face is found, and how well that was found."""
        guess, match = self._coarse(gray)
        fit = None
        if guess is not None and not self._believed(guess, match):
            guess = None
        if guess is not None:
            fit = self._round_inner(gray, pictures, guess, FACE_BAND)
            fit = fit or self._fine(pictures, guess)
        needed = MIN_SUPPORT if self.lost_for == 0 else FOUND_AGAIN_SUPPORT
        if self.at is None:
            needed = FAR_SUPPORT  # nothing but the picture speaks for it
        if guess is not None:
            fit = self._with_inner(gray, guess, fit)
        if fit is None or fit.support < needed or self._jumped(fit.ring):
            fit = self._by_rim(pictures)
        return fit, match

    def _believed(self, guess: FloatArray, match: float) -> bool:
        """Whether a face that was found is the disc's: noise hides a plain one, which is then still
        found where the motion leads.
        """
        if match >= MIN_MATCH or match < NOISY_MATCH or self.at is None or self.lost_for > 3:
            return match >= MIN_MATCH
        return float(np.hypot(*(guess - self.at - self.speed))) < EXPECTED_R * self.ring.r

    def _look_where_it_was_seen(self, shown: Pictures) -> None:
        """Begin again where the disc was found on this frame before it was followed, if it is lost
        or something else is followed; that then counts as hidden.
        """
        known = self.known.get(len(self.xy))
        if known is None:
            return
        if self.at is not None and self.lost_for == 0:
            ahead, place = self.at + self.speed, np.array(known)
            if float(np.hypot(*(place - ahead))) < self.ring.r:
                return
            band = max(0.12 * self.ring.r, 3.0)
            there, here = (fit_best(shown, self._outline(p), band) for p in (place, ahead))
            if there is None or there.support < FAR_SUPPORT:
                return
            if here is not None and here.support > there.support - OFF_COURSE:
                return
            for n in range(self.found_at, len(self.xy)):
                self.xy[n], self.quality[n], self.scatter[n] = (np.nan, np.nan), LOST, np.nan
        self.at, self.seen_at = np.array(known), np.array(known)
        self.lost_for, self.speed = 0, np.zeros(2)
        self.found_at = len(self.xy)
        luma = shown[0][0]
        if self._coarse(luma)[1] < MIN_MATCH:  # a face that has turned since, or is lit otherwise
            self.template = make_template(luma, self._outline(self.at))

    def _take_mark(self, shown: Pictures, mark: FloatArray) -> None:
        """The coach put the bar here: its rim where one is near, else the mark itself."""
        start = self._outline(mark)
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

    def _fit(
        self, shown: Pictures, start: Ring, band: float, over_noise: float = 2.0
    ) -> RimFit | None:
        """The rim near a ring, looked for once more closely where it was found; where it is fast
        and not clear, as an open shutter smears it.
        """
        fit = fit_best(shown, start, band, over_noise=over_noise)
        closer = max(RIM_BAND * self.ring.r, 2.0)
        if fit is not None and closer < band:
            fit = fit_best(shown, fit.ring, closer, over_noise=_closely(fit, over_noise)) or fit
        fast = float(np.hypot(*self.speed))
        if fast < SMEARS_PX or (fit is not None and fit.support >= OUTLINED):
            return fit
        travel = (float(self.speed[0]), float(self.speed[1]))
        band = max(band, DRAWN_IN * fast)  # the ends of a smear draw in
        smeared = fit_best(shown, start, band, travel=travel)
        smeared = smeared and fit_best(shown, smeared.ring, band, travel=travel)
        if smeared is None or (fit is not None and fit.support >= smeared.support):
            return fit
        self.smeared = True
        return smeared

    def _by_print(
        self, before: Gray, gray: Gray, shown: Pictures, fit: RimFit | None
    ) -> RimFit | None:
        """A rim that is not clear, held to what is printed on the face: that tells the way since
        the frame before many times better than a smeared rim, but not where it began.

        With no rim there at all it is believed for a few frames where the motion led: somebody
        in front has print as well.
        """
        if self.at is None or self.lost_for or self.seen_for < 2:
            return fit
        if float(np.hypot(*self.speed)) < PRINT_PX:
            return fit
        ahead, r = self.at + self.speed, self.ring.r
        moved = face_moved(before, gray, self._outline(self.at), ahead)
        if moved is None:
            return fit
        near = fit
        if fit is None or float(np.hypot(*(_middle(fit) - moved))) > SAME * r:
            self.smeared = False
            near = self._fit(shown, self._outline(moved), max(RIM_BAND * r, 2.0))
        if near is not None and near.support >= MIN_SUPPORT:
            off = _middle(near) - moved
            if float(np.hypot(*off)) <= SAME * r:
                x, y = (moved + (SMEARED_TELLS if self.smeared else RIM_TELLS) * off).tolist()
                self.by_print = 0
                return replace(near, ring=replace(near.ring, x=x, y=y))
        if self.by_print >= PRINT_ALONE or float(np.hypot(*(moved - ahead))) > PRINT_OFF * r:
            return fit
        self.by_print += 1
        return RimFit(self._outline(moved), MIN_SUPPORT, np.nan)

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
            fit = self._fit(shown, self._outline(xy), band)
            if fit is None:
                continue
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
        by_inner = self._rim_of(_middle(inner))
        apart = np.inf if fit is None else float(np.hypot(*(_middle(fit) - by_inner)))
        if fit is not None and apart < AGREE * self.ring.r:
            return fit
        return RimFit(self._outline(by_inner), INNER_ALONE * inner.support, inner.scatter_px)

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
            fit = self._again(shown, self._outline(xy), max(0.12 * r, 3.0))
            far = self.at is None or float(np.hypot(*(xy - self.at))) > FAR_R * r
            needed = FAR_SUPPORT if far else FOUND_AGAIN_SUPPORT
            if fit is None or fit.support < needed or self._jumped(fit.ring):
                continue
            if fit.scatter_px > max(ROUGH_R * r, ROUGH_PX):
                continue  # edges of this and that, on no circle
            if best is None or fit.support > best.support:
                best = fit
        return best

    def _again(self, shown: Pictures, start: Ring, band: float) -> RimFit | None:
        """The rim by itself; of a disc that was lost nothing is known of how it would be smeared,
        and what shows only from afar is not it.
        """
        if self.lost_for == 0:
            return self._fit(shown, start, band, SURE_EDGE)
        fit = fit_best(shown, start, band, over_noise=SURE_EDGE)
        closer = max(RIM_BAND * self.ring.r, 2.0)
        return fit and fit_best(shown, fit.ring, closer, over_noise=_closely(fit, SURE_EDGE))

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
        self.held_for = self.held_for if self.lost_for else self.seen_for
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
            return match_face(gray, self.template, self.ring, (0, 0, gray.shape[1], gray.shape[0]))
        ahead = self.at + self.speed
        reach = (0.30 + 0.25 * self.lost_for) * r + 0.35 * float(np.hypot(*self.speed)) + 4.0
        x0, y0 = int(ahead[0] - r - reach), int(ahead[1] - r - reach)
        x1, y1 = int(ahead[0] + r + reach) + 1, int(ahead[1] + r + reach) + 1
        return match_face(gray, self.template, self.ring, (x0, y0, x1, y1))

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


def _closely(fit: RimFit, over_noise: float) -> float:
    """What is asked of an edge in a narrow band, which it nearly fills, once the rim is clear."""
    return min(over_noise, 2.0) if fit.support >= OUTLINED else over_noise


def _middle(fit: RimFit) -> FloatArray:
    return np.array([fit.ring.x, fit.ring.y])
