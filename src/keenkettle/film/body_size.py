"""Whether the body that was seen and the disc that was followed can belong together.

A disc is a known length and a lifter has a known, or at least a human, stature. Where the body
comes out another size the disc is a smaller one, or none at all, or the body somebody else's.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.film.footage import Footage, Look
from keenkettle.film.limb_lines import LIMBS
from keenkettle.film.pose_net import SIDES
from keenkettle.measure.segments import SEGMENT_SHARE, STATURE_MM

QUANTILE = 0.7  # on film a limb is only ever shortened
LEAST_LOOKS = 12
#: On 46 films by two renderers the size came out within 7 % (standard deviation 3 %).
UNLIKE_KNOWN, UNLIKE_ANY = 0.12, 0.22  # share; the second where the stature is not known
NOT_ITS_DISC = 1.7  # times as tall, or as small: then it is no smaller disc either


@dataclass(frozen=True)
class BodySize:
    """A body's stature by the disc, mm, and the athlete's own or the middling one."""

    seen_mm: float
    stature_mm: float
    known: bool

    @property
    def times(self) -> float:
        """How many times as tall as the athlete the body looks."""
        return self.seen_mm / self.stature_mm

    @property
    def unlike(self) -> bool:
        """Whether body and disc do not fit each other."""
        return abs(self.times - 1.0) > (UNLIKE_KNOWN if self.known else UNLIKE_ANY)

    @property
    def impossible(self) -> bool:
        """Whether they cannot belong together, whatever the disc's size."""
        return self.times > NOT_ITS_DISC or self.times < 1.0 / NOT_ITS_DISC

    def says(self, disc_mm: float) -> str:
        """What is to be said of a body that does not fit its disc, and what to do."""
        as_tall = f"{self.times:.2f} times as tall as "
        as_tall += f"{self.stature_mm / 10:.0f} cm" if self.known else "people mostly are"
        if self.times > 1.0:
            return (
                f"against the disc the athlete looks {as_tall}: if it is not {disc_mm:.0f} mm "
                "wide, say its diameter; if it is not the bar's disc, click its middle and rim"
            )
        return (
            f"against the disc the person that was seen looks {as_tall}: it may be somebody "
            "further away, so nothing that needs joints was measured; mark the athlete's joints, "
            "or film without others in the picture"
        )


def body_in_discs(look: Look, film: Footage) -> float | None:
    """Stature by legs and trunk, in diameters of the disc; None where too little was seen of them.

    Args:
        look: what the nets saw on K frames, pixels.
        film: its scale, the side that the athlete faces, and how far the camera stands.
    """
    side, xy = SIDES[film.side], look.xy
    found = []
    for a, b in LIMBS:
        length = np.linalg.norm(xy[:, int(side[a])] - xy[:, int(side[b])], axis=1) / film.mm
        length = length[np.isfinite(length)]
        if len(length) >= LEAST_LOOKS:
            found.append(float(np.quantile(length, QUANTILE)) / SEGMENT_SHARE[a, b])
    if len(found) < len(LIMBS):
        return None
    return float(np.median(found)) / film.depth_share / film.disc_mm


def size_by(in_discs: float, disc_mm: float, stature_mm: float | None) -> BodySize:
    """A body so many discs tall, by the disc's diameter and the athlete's stature, where known."""
    known = stature_mm is not None
    return BodySize(in_discs * disc_mm, stature_mm or STATURE_MM, known)
