"""Which part of the picture is shown where; shared by the stage and the height rail."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF

from keenkettle.coach.review import RepReview, Review

ABOVE_MM, BELOW_MM, SIDE_MM = 330.0, 330.0, 700.0


@dataclass(frozen=True)
class ViewBox:
    """A rectangle of the picture (pixels) shown in a rectangle of a widget."""

    source: QRectF
    target: QRectF

    @property
    def scale(self) -> float:
        """Widget pixels per picture pixel."""
        return self.target.height() / max(self.source.height(), 1.0)

    def at(self, x: float, y: float) -> QPointF:
        """Widget point of a picture point (pixel centres are whole numbers)."""
        return QPointF(
            self.target.left() + (x + 0.5 - self.source.left()) * self.scale,
            self.target.top() + (y + 0.5 - self.source.top()) * self.scale,
        )

    def back(self, p: QPointF) -> tuple[float, float]:
        """Picture point of a widget point."""
        return (
            (p.x() - self.target.left()) / self.scale + self.source.left() - 0.5,
            (p.y() - self.target.top()) / self.scale + self.source.top() - 0.5,
        )


def lift_area(review: Review) -> QRectF:
    """The part of the picture in which the lift happens, with room for the body."""
    cal, xy = review.calibration, review.bar.xy_px
    mm = cal.mm_per_px
    top, bottom = float(np.min(xy[:, 1])), float(np.max(xy[:, 1]))
    left, right = float(np.min(xy[:, 0])), float(np.max(xy[:, 0]))
    if review.joints:
        points = np.concatenate([t.xy_px for t in review.joints.values()])
        top = min(top, float(np.nanmin(points[:, 1])))
        bottom = max(bottom, float(np.nanmax(points[:, 1])))
    return QRectF(
        left - SIDE_MM / mm,
        top - ABOVE_MM / mm,
        right - left + 2 * SIDE_MM / mm,
        bottom - top + (ABOVE_MM + BELOW_MM) / mm,
    )


def area_like(review: Review, rep: RepReview, first: Review, box: ViewBox) -> QRectF:
    """The part of a second picture that shows as many millimetres round its bar as a box does."""
    k = first.calibration.mm_per_px / review.calibration.mm_per_px
    w, h = box.target.width() / box.scale * k, box.target.height() / box.scale * k
    start = review.bar.xy_px[rep.span.lift_off]
    own = first.reps[0].span.lift_off if first.reps else 0
    at = first.bar.xy_px[own]
    below = (box.source.bottom() - float(at[1])) * k
    facing = -1.0 if review.facing != first.facing else 1.0
    off = (box.source.center().x() - float(at[0])) * k * facing
    x = float(start[0]) + off
    return QRectF(x - w / 2, float(start[1]) + below - h, w, h)


def fit_box(
    widget: QRectF, picture: QRectF, area: QRectF | None, keep_inside: bool = True
) -> ViewBox:
    """Show the area (grown to the widget's shape, kept inside the picture) or the whole."""
    wanted = area if area is not None else picture
    ratio = widget.width() / max(widget.height(), 1.0)
    w, h = wanted.width(), wanted.height()
    if w / max(h, 1.0) < ratio:
        w = h * ratio
    else:
        h = w / ratio
    source = QRectF(wanted.center().x() - w / 2, wanted.center().y() - h / 2, w, h)
    if area is not None and keep_inside:
        w, h = min(w, picture.width()), min(h, picture.height())
        x = min(max(source.left(), 0.0), picture.width() - w)
        y = min(max(source.top(), 0.0), picture.height() - h)
        source = QRectF(x, y, w, h)
    k = min(widget.width() / source.width(), widget.height() / source.height())
    size = (source.width() * k, source.height() * k)
    target = QRectF(widget.center().x() - size[0] / 2, widget.center().y() - size[1] / 2, *size)
    return ViewBox(source, target)
