"""Which way a lifter faces, by what the nets saw."""

from __future__ import annotations

import numpy as np

from keenkettle.film.footage import Look
from keenkettle.film.outline import Masks
from keenkettle.film.pose_net import SIDES
from keenkettle.measure.geometry import FloatArray

#: Shares of a body: toes before heels (seen from the side by 0.08 to 0.13; of a foot that was made
#: up behind something by less); knees before hips; bar below shoulders; an outline that reaches
#: further to one side of the bar.
FOOT, BENT, HANGS, FURTHER = 0.03, 0.05, 0.15, 0.03
MOST_OUTLINES = 40  # that are looked at


def facing_of(look: Look, bar_xy: FloatArray, body_px: float) -> str:
    """Which way a lifter faces, "left" or "right".

    Toes are ahead of heels and the nose of the ears; knees are ahead of the hips as soon as they
    bend, and so is a bar that hangs: most of the body is then behind it. Feet, legs, bar and
    outline count twice: feet are hardly ever taken for those of somebody who faces the other way,
    and the others are large on any picture. The outline is right as well where joints behind the
    disc are not.

    Args:
        look: what the nets saw.
        bar_xy: the bar on the same pictures, where the body is, shape (K, 2).
        body_px: about how tall the athlete is.
    """

    def middle(name: str) -> FloatArray:
        return np.asarray(look.xy[:, [s[name] for s in SIDES.values()]].mean(axis=1))

    hip, shoulder = middle("hip"), middle("shoulder")
    toe = _clear((middle("toe") - middle("heel"))[:, 0], FOOT * body_px)
    nose = (look.xy[:, 0] - middle("ear"))[:, 0]
    knee = _clear((middle("knee") - hip)[:, 0], BENT * body_px)
    bar = _clear((bar_xy - hip)[:, 0], BENT * body_px)
    hangs = bar_xy[:, 1] > shoulder[:, 1] + HANGS * body_px
    votes = float(np.nansum(2.0 * (toe + knee + hangs * bar) + np.sign(nose)))
    hanging = np.flatnonzero(hangs)
    if len(hanging):
        some = hanging[np.linspace(0, len(hanging) - 1, MOST_OUTLINES).astype(int)]
        further = (Masks([look.outlines[k] for k in some]).sides() - bar_xy[some, :1]).sum(axis=1)
        votes -= 2.0 * len(hanging) * float(_clear(further, FURTHER * body_px).mean())
    return "right" if votes >= 0.0 else "left"


def _clear(values: FloatArray, least: float) -> FloatArray:
    """The signs of values (K,) that are no smaller, else 0."""
    return np.asarray(np.sign(np.nan_to_num(values)) * (np.abs(np.nan_to_num(values)) > least))
