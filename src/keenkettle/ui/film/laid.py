"""What may be laid over every frame: plumb line, squares of 10 cm, the gap from hip to bar."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from keenkettle.coach.review import RepReview, Review
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.ruler import hip_to_bar, on_picture
from keenkettle.ui.film import evidence
from keenkettle.ui.film.view_box import ViewBox

#: What can be laid over the film, in words, and what is said of it when it is.
SAYS = {
    "plumb": ("plumb line", "through the bar's start"),
    "grid": ("squares of 10 cm", "in the disc's plane, from the floor up; thick every 50 cm"),
    "gap": ("hip to bar", "level from the hip joint, with its error"),
}
SIDE_MM, THICK_EVERY = 100.0, 5
ASIDE, ABOVE = 26, 25  # squares


def draw(
    p: QPainter, box: ViewBox, review: Review, rep: RepReview, frame: int, laid: set[str]
) -> None:
    """Draw those of SAYS that are ``laid``."""
    if "grid" in laid:
        _grid(p, box, review, rep, frame)
    if "plumb" in laid:
        _plumb(p, box, review, rep, frame)
    if "gap" in laid:
        _gap(p, box, review, rep, frame)


def _plumb(p: QPainter, box: ViewBox, review: Review, rep: RepReview, frame: int) -> None:
    """A dotted vertical through where the bar began."""
    x, y = review.bar.path_on(frame)[rep.span.lift_off]
    up = review.calibration.vertical_px
    span = box.source.height() * 1.5
    ends = [box.at(float(x + k * up[0]), float(y + k * up[1])) for k in (-span, span)]
    p.setPen(QPen(QColor(255, 248, 236, 200), 1.4, Qt.PenStyle.DotLine))
    p.drawLine(ends[0], ends[1])


def _grid(p: QPainter, box: ViewBox, review: Review, rep: RepReview, frame: int) -> None:
    """Upright squares through the bar's start; level lines from the floor up where it is known."""
    cal = review.calibration
    start = review.bar.path_on(frame)[rep.span.lift_off]
    below = 0.0
    if cal.floor_y_px is not None:
        below = (float(start[1]) - cal.floor_y_px) * cal.mm_per_px
    wide, high = ASIDE * SIDE_MM, ABOVE * SIDE_MM
    lines = [(k, (k * SIDE_MM, below), (k * SIDE_MM, below + high)) for k in range(-ASIDE, ASIDE)]
    rows = [(k, below + k * SIDE_MM) for k in range(ABOVE)]
    lines += [(k, (-wide, y), (wide, y)) for k, y in rows]
    ends = on_picture(np.array([line[1:] for line in lines]), start, cal)
    for (k, *_), (a, b) in zip(lines, ends, strict=True):
        thick = k % THICK_EVERY == 0
        p.setPen(QPen(QColor(255, 248, 236, 130 if thick else 60), 1.6 if thick else 1.0))
        p.drawLine(_at(box, a), _at(box, b))


def _gap(p: QPainter, box: ViewBox, review: Review, rep: RepReview, frame: int) -> None:
    bar, reading = review.bar.xy_px[frame], hip_to_bar(rep.motion, frame)
    hip = evidence.joint_at(review, "hip", frame)
    if reading is None or hip is None or not np.isfinite(bar).all():
        evidence.tag(p, box.target.bottomLeft(), "hip to bar: not measured", box.target)
        return
    side = np.array([-review.calibration.vertical_px[1], review.calibration.vertical_px[0]])
    level = np.array(hip) + side * float((bar - np.array(hip)) @ side)
    p.setPen(QPen(evidence.WHITE, 1.2, Qt.PenStyle.DotLine))
    p.drawLine(_at(box, level), _at(box, bar))
    evidence.stroke(p, [box.at(*hip), _at(box, level)], evidence.OTHER, 2.6)
    text = f"hip to bar {reading.value / 10:.1f} cm ± {max(reading.sigma / 10, 0.1):.1f}"
    evidence.tag(p, box.at(*hip) + QPointF(-190, -46), text, box.target)


def _at(box: ViewBox, xy_px: FloatArray) -> QPointF:
    return box.at(float(xy_px[0]), float(xy_px[1]))
