"""A moment of a film as it is typed."""

from __future__ import annotations

import numpy as np

from keenkettle.measure.geometry import FloatArray
from keenkettle.ui.typed import TypedError, number

ASKS = "1.3 s, +0.5 from lift-off, or frame f78; then Enter"


def frame_at(text: str, times_s: FloatArray, lift_off: int | None) -> int:
    """The frame that is nearest to what was typed.

    Args:
        text: seconds into the film, "1.3"; with a sign from lift-off, "+0.5" or "-0.2"; a frame
            with an f, "f78". An s at the end is allowed.
        times_s: shape (N,), of the film's frames.
        lift_off: that of the rep in view, where one is measured.

    Raises:
        TypedError: it is none of these, or not in the film.
    """
    word = text.strip().lower()
    if word.startswith("f"):
        value = number(word[1:], "the frame")
        if value is None or value != round(value) or not 0 <= value < len(times_s):
            raise TypedError(f"the film has frames 0 to {len(times_s) - 1}; '{text}' is none")
        return int(value)
    value = number(word.removesuffix("s"), "the time")
    if value is None:
        raise TypedError("the time is empty; give seconds, or a frame as f78")
    moment = value
    if word[0] in "+-":
        if lift_off is None:
            raise TypedError("no lift-off is known here; give seconds from the film's start")
        moment += float(times_s[lift_off])
    first, last = float(times_s[0]), float(times_s[-1])
    if not first <= moment <= last:
        raise TypedError(f"the film goes from {first:.2f} to {last:.2f} s; '{text}' is outside")
    return int(np.abs(times_s - moment).argmin())
