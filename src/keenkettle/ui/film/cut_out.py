"""A finding's frame, cut to where it is seen, with the evidence drawn on it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from keenkettle.coach.judge import Finding
from keenkettle.coach.review import Review
from keenkettle.ui.film import evidence
from keenkettle.ui.film.view_box import fit_box

CROP_MM = 900.0


def paint_cut_out(
    p: QPainter, size_px: int, image: QImage, review: Review, finding: Finding, words: bool = False
) -> None:
    """Paint a square of so many pixels from the top left corner on."""
    half = CROP_MM / review.calibration.mm_per_px / 2.0
    x, y = (float(v) for v in review.bar.xy_px[finding.at])
    spot = evidence.joint_at(review, "hip", finding.at)
    if spot:
        x, y = (x + spot[0]) / 2, (y + spot[1]) / 2
    x, y = evidence.drawn_middle(review, finding) or (x, y)
    area = QRectF(x - half, y - half, 2 * half, 2 * half)
    box = fit_box(QRectF(0, 0, size_px, size_px), QRectF(image.rect()), area)
    p.drawImage(box.target, image, box.source)
    evidence.finding_lines(p, box, review, finding, finding.at, words=words)
