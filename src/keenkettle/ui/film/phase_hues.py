"""A quiet hue for each phase: one on the strip, along the path beside it and behind the curves.

Copper stays what can be acted on, and "now"; words and bounds tell phases to who sees no hues.
"""

from __future__ import annotations

from PyQt6.QtGui import QColor

from keenkettle.ui import theme

# In Chalk and in Rubber: straw and plum, steel and straw lie apart for any eye.
STEEL, STRAW, PLUM = ("#5B7188", "#8FA9C4"), ("#8C7420", "#D6B848"), ("#84406E", "#D68BBF")
RUBBER, VIOLET, GREY = ("#3A3D42", "#D9D4C8"), ("#5A55A0", "#A7A1EE"), ("#7B8087", "#8A8F96")
HUES = {
    "pull": STEEL, "first pull": STEEL, "transition": STRAW, "second pull": PLUM,
    "turnover": RUBBER, "follow-through": RUBBER, "catch": VIOLET, "recovery": STEEL,
    "descent": STRAW, "dip": STRAW, "drive": PLUM, "push under": RUBBER,
}  # fmt: skip


def phase_hue(name: str, worn: theme.Theme, alpha: int = 255) -> QColor:
    """Of a phase by its name; grey before and after the lift."""
    chalk, rubber = HUES.get(name, GREY)
    return theme.colour(rubber if worn is theme.RUBBER else chalk, alpha)
