"""The bar's far end, where a camera that is turned shows its disc beside the near one.

It tells whether the bar is level, which way the camera is turned and how far away it stands.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from keenkettle.film.clip import Clip
from keenkettle.film.disc import paired
from keenkettle.film.disc_face import make_template
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.follow import BarLostError, follow_bar
from keenkettle.film.rim import Ring, inner_of
from keenkettle.film.sightings import DiscSeen, family_support
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import SEEN, BarTrack, JointTrack

LOOKS = 12  # frames searched
SIZES = (0.62, 0.93)  # of the far disc against the near one: camera 2.3 to 18 m away
CLEAR_SUPPORT = 0.6
SIZE_SD, ASIDE_SD = 0.006, 0.02  # of the size; of the near radius; by benchmarks/aside
AS_CLEAR = 0.85  # share of the best support
LEAST_SEEN = 0.3  # share of the frames on which it must be seen


def follow_far_end(
    clip: Clip, bar: BarTrack, ring: Ring, progress: Callable[[int, int], None] | None = None
) -> tuple[JointTrack, FarDisc] | None:
    """Find and follow the disc on the bar's far end.

    Args:
        clip: the film.
        bar: the near end.
        ring: the near disc, an ellipse on such a film.
        progress: called with frames done and all.

    Returns:
        Its track, (N, 2) pixels, NaN where it was hidden, and its place and size against the near
        disc; None where no disc keeps beside the near one.
    """
    seen = np.flatnonzero(bar.quality >= SEEN)
    if len(seen) < LOOKS:
        return None
    looked = seen[np.linspace(0, len(seen) - 1, LOOKS).astype(int)]
    near = [(int(n), _at(bar.xy_px[n], ring)) for n in looked]
    family = paired(clip, near, SIZES)
    if not family or family_support(family) < CLEAR_SUPPORT:
        return None
    far = _common(family)
    shown = {s.frame: (clip.gray(s.frame), s.fit.ring) for s in family}
    inside = inner_of(shown)
    best = family[0].frame
    known = {n: (shown[n][1].x, shown[n][1].y) for n in inside.agree}
    first = min(known)
    try:
        track = follow_bar(
            clip.looks(first),
            clip.info.frames,
            far,
            make_template(shown[best][0], shown[best][1]),
            progress,
            inside.inner,
            known,
            clip.looks_back,
            tone=clip.tone,
        )
    except BarLostError:
        return None
    ok = track.quality >= SEEN
    if ok.mean() < LEAST_SEEN:
        return None
    xy = np.where(ok[:, None], track.xy_px, np.nan)
    size = far.r / ring.r
    centre = (np.array([clip.info.width, clip.info.height]) - 1.0) / 2.0
    aside = np.nanmedian((xy - bar.xy_px - (size - 1.0) * (bar.xy_px - centre))[:, 0])
    place = FarDisc(float(aside), size, ASIDE_SD * ring.r, SIZE_SD)
    return JointTrack(xy, np.where(ok, track.sigma_px, np.nan)), place


def _at(xy: FloatArray, ring: Ring) -> Ring:
    return replace(ring, x=float(xy[0]), y=float(xy[1]))


def _common(family: list[DiscSeen]) -> Ring:
    """The far disc's size and shape, by its clear sightings: legs and the near disc before it make
    it smaller.
    """
    ring, best = family[0].fit.ring, family[0].fit.support
    clear = [s.fit.ring for s in family if s.fit.support >= AS_CLEAR * best]
    r, aspect = (float(np.median([getattr(c, n) for c in clear])) for n in ("r", "aspect"))
    return Ring(ring.x, ring.y, r, aspect)
