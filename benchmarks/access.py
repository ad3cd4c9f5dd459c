"""Frame N by seek against frame N by decoding from the start, bit for bit."""

from __future__ import annotations

import av
import numpy as np

from benchmarks.films import gop_film
from keenkettle.film.clip import Clip


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    path = gop_film()
    with av.open(str(path)) as box:
        straight = [f.to_ndarray(format="rgb24") for f in box.decode(video=0)]
    order = np.random.default_rng(1).permutation(len(straight))
    if quick:
        order = order[:60]
    same = 0
    with Clip(path) as clip:
        counted = clip.info.frames == len(straight)
        for n in order:
            same += bool(np.array_equal(clip.rgb(int(n)), straight[int(n)]))
    row = (
        "frame N by seek = by sequence, GOP 250, B-frames",
        f"{same} of {len(order)}",
        "all",
        counted and same == len(order),
    )
    return [row]
