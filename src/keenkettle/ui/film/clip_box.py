"""The box that names an athlete's clips, newest first."""

from __future__ import annotations

from collections import Counter

from keenkettle.club.look_up import ClipCard
from keenkettle.coach.lifts import all_lifts
from keenkettle.ui.widgets import ShortCombo


class ClipBox(ShortCombo):
    """A clip by its day, lift and load; those alike in all three by their files as well."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Clips of this athlete, newest first")
        self.setFixedWidth(156)

    def show_clips(self, clips: list[ClipCard], here: ClipCard | None) -> None:
        """List the clips, with the open one in view."""
        self.clear()
        alike = Counter((c.filmed_on, c.lift, c.load_kg) for c in clips)
        for c in clips:
            name = all_lifts()[c.lift].name if c.lift in all_lifts() else c.path.stem
            load = f", {c.load_kg:g} kg" if c.load_kg else ""
            several = c.lift in all_lifts() and alike[c.filmed_on, c.lift, c.load_kg] > 1
            which = f" ({c.path.stem})" if several else ""
            self.addItem(f"{c.filmed_on:%-d %b}: {name}{load}{which}", c.id)
            # The box beside it names the lift.
            self.setItemData(self.count() - 1, f"{c.filmed_on:%-d %b}{load}{which}", self.BRIEF)
        if here is not None:
            self.setCurrentIndex([c.id for c in clips].index(here.id))
