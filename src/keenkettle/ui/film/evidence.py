"""Lines drawn on the film: bar path, skeleton, the coach's own, and the evidence of a finding."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from keenkettle.club.look_up import DRAWN, Note
from keenkettle.coach.faults import all_faults
from keenkettle.coach.front import has_sides
from keenkettle.coach.judge import Finding, show_value
from keenkettle.coach.review import RepReview, Review
from keenkettle.coach.reviewed import both_ends
from keenkettle.measure.calibration import Calibration
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.ruler import angle, distance
from keenkettle.measure.tilt import level_far_px
from keenkettle.ui import theme
from keenkettle.ui.film.view_box import ViewBox

LIMBS = (
    ("ear", "shoulder"), ("shoulder", "elbow"), ("elbow", "wrist"), ("shoulder", "hip"),
    ("hip", "knee"), ("knee", "ankle"), ("heel", "toe"), ("ankle", "toe"),
    ("hip", "knee_rear"), ("knee_rear", "ankle_rear"), ("heel_rear", "toe_rear"),
)  # fmt: skip
SIDES = ("left_", "right_")
FRONT_LIMBS = (
    *((f"{s}_{a}", f"{s}_{b}") for s in ("left", "right") for a, b in LIMBS if a != "ear"),
    ("left_shoulder", "right_shoulder"), ("left_hip", "right_hip"),
)  # fmt: skip
#: What a front view's measures are drawn with: lines from point to point.
FRONT_LINES = {
    "bar_slope": (("bar_left", "bar_right"),),
    "elbow_gap": (("left_shoulder", "left_elbow", "left_wrist"),
                  ("right_shoulder", "right_elbow", "right_wrist")),
    "landing_width": (("left_ankle", "right_ankle"), ("left_shoulder", "right_shoulder")),
    "split_width": (("left_ankle", "right_ankle"), ("left_hip", "right_hip")),
    "knee_inside": (("left_hip", "left_knee", "left_ankle"),
                    ("right_hip", "right_knee", "right_ankle")),
}  # fmt: skip
ANGLES = {
    "elbow": ("shoulder", "elbow", "wrist"), "hip": ("knee", "hip", "shoulder"),
    "knee": ("ankle", "knee", "hip"), "back": ("hip", "back", "shoulder"),
}  # fmt: skip
LINES = {
    "trunk": ("hip", "shoulder"), "thigh": ("knee", "hip"), "upper-arm": ("shoulder", "elbow"),
    "shin": ("ankle", "knee"), "heel": ("heel", "toe"), "feet": ("heel", "toe"),
}  # fmt: skip
#: By metric rather than by fault: what is drawn is another limb.
OF_METRIC = {
    "rear_knee": (("ankle_rear", "knee_rear", "hip"),),
    "foot_order": (("heel", "toe"), ("heel_rear", "toe_rear")),
}
LOW = ("feet", "heel", "shin")  # drawn where the feet are, which the card's picture then shows
TO_BAR = {"bar-hip": "hip", "shoulder-lead": "shoulder", "head": "ear"}
WHITE, DARK, COPPER = QColor("#FFF8EC"), QColor(0, 0, 0, 150), QColor("#EB9557")
OTHER = QColor("#63C5D2")  # the second hue: the other clip, and the coach's own lines


def stroke(p: QPainter, points: list[QPointF], hue: QColor, width: float) -> None:
    """A line with a dark halo, so that it shows on any film."""
    shape = QPolygonF(points)
    p.setBrush(Qt.BrushStyle.NoBrush)
    for pen_colour, pen_width in ((DARK, width + 2.2), (hue, width)):
        pen = QPen(pen_colour, pen_width)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
        p.setPen(pen)
        p.drawPolyline(shape)


def dot(p: QPainter, at: QPointF, hue: QColor, r: float) -> None:
    """A filled dot with a light rim."""
    p.setPen(QPen(WHITE, 1.5))
    p.setBrush(hue)
    p.drawEllipse(at, r, r)


def ring(p: QPainter, box: ViewBox, x: float, y: float, r: float) -> None:
    """A circle and its middle, with a halo as a stroke has."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    for hue, width in ((DARK, 4.2), (OTHER, 2.0)):
        p.setPen(QPen(hue, width))
        p.drawEllipse(box.at(x, y), r * box.scale, r * box.scale)
    dot(p, box.at(x, y), OTHER, 4.0)


def tag(p: QPainter, at: QPointF, text: str, within: QRectF) -> None:
    """A word on a dark plate, kept inside the picture."""
    p.setFont(theme.text_font(12, strong=True))
    box = p.fontMetrics().boundingRect(text)
    plate = QRectF(at.x(), at.y(), box.width() + 16.0, box.height() + 8.0)
    plate.moveLeft(min(max(plate.left(), within.left() + 4), within.right() - plate.width() - 4))
    plate.moveTop(min(max(plate.top(), within.top() + 4), within.bottom() - plate.height() - 4))
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(30, 32, 35, 225))
    p.drawRoundedRect(plate, 4, 4)
    p.setPen(WHITE)
    p.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)


def bar_path(p: QPainter, box: ViewBox, review: Review, rep: RepReview, frame: int) -> None:
    """The bar's path of the rep: what is past is solid, what is to come is faint."""
    xy = review.bar.path_on(frame)[rep.span.lift_off : rep.span.end + 1]
    if len(xy) < 2:
        return
    points = [box.at(float(x), float(y)) for x, y in xy]
    cut = min(max(frame - rep.span.lift_off, 0), len(points) - 1)
    if cut < len(points) - 1:
        p.setPen(QPen(QColor(255, 248, 236, 110), 1.4))
        p.drawPolyline(QPolygonF(points[cut:]))
    if cut > 0:
        stroke(p, points[: cut + 1], COPPER, 2.2)


@dataclass(frozen=True)
class Ghost:
    """A second clip laid over the first: its picture, its path, and how they come over.

    A point (x, y) of the second picture falls on ``at + scale * (x - origin x, y - origin y)``,
    turned round sideways where ``mirrored``. ``path`` (N, 2) is in the first's pixels.
    """

    image: QImage
    path: FloatArray
    origin: tuple[float, float]
    at: tuple[float, float]
    scale: float
    mirrored: bool
    blend: bool


def ghost(p: QPainter, box: ViewBox, other: Ghost) -> None:
    """The other clip's picture at half strength, and its path."""
    p.save()
    p.setClipRect(box.target)
    if other.blend and not other.image.isNull():
        spot = box.at(*other.at)
        k = other.scale * box.scale
        p.setOpacity(0.5)
        p.translate(spot)
        p.scale(-k if other.mirrored else k, k)
        p.drawImage(QPointF(-other.origin[0] - 0.5, -other.origin[1] - 0.5), other.image)
        p.resetTransform()
        p.setOpacity(1.0)
    points = [box.at(float(x), float(y)) for x, y in other.path]
    if len(points) > 1:
        stroke(p, points, OTHER, 2.0)
    p.restore()


def band(p: QPainter, box: ViewBox, middle: FloatArray, spread_px: FloatArray) -> None:
    """A usual path with its spread to both sides, all in picture pixels."""
    left = [box.at(float(x - s), float(y)) for (x, y), s in zip(middle, spread_px, strict=True)]
    right = [box.at(float(x + s), float(y)) for (x, y), s in zip(middle, spread_px, strict=True)]
    p.setPen(Qt.PenStyle.NoPen)
    hue = QColor(OTHER)
    hue.setAlpha(70)
    p.setBrush(hue)
    p.drawPolygon(QPolygonF(left + right[::-1]))
    stroke(p, [box.at(float(x), float(y)) for x, y in middle], OTHER, 1.6)


def notes(
    p: QPainter,
    box: ViewBox,
    kept: list[Note],
    pending: list[tuple[float, float]],
    calibration: Calibration,
    by_hand: bool = False,
) -> None:
    """Words, drawings and measuring lines of this frame, and what is being clicked, or drawn
    ``by_hand``, now.
    """
    for note in kept:
        spots = [box.at(*xy) for xy in note.points]
        if len(spots) > 1:
            stroke(p, spots, OTHER, 3.0 if note.kind == DRAWN else 2.0)
        if note.kind == DRAWN:
            continue
        for spot in spots if note.kind != "text" else ():
            dot(p, spot, OTHER, 3.5)
        corner = spots[1] if note.kind == "angle" else spots[-1]
        tag(p, corner + QPointF(10, 6), note_text(note, calibration), box.target)
    spots = [box.at(*xy) for xy in pending]
    if len(spots) > 1:
        stroke(p, spots, OTHER, 3.0 if by_hand else 2.0)
    for spot in () if by_hand else spots:
        dot(p, spot, OTHER, 4.0)


def note_text(note: Note, calibration: Calibration) -> str:
    """A note's words, or what its line measures with the error."""
    points = [np.array(xy) for xy in note.points]
    if note.kind == "distance" and len(points) == 2:
        r = distance(points[0], points[1], calibration)
        return f"{r.value / 10:.1f} cm ± {r.sigma / 10:.1f}"
    if note.kind == "angle" and len(points) == 3:
        r = angle(points[0], points[1], points[2], calibration)
        return f"{r.value:.0f}° ± {max(r.sigma, 0.5):.0f}"
    return "drawn by hand" if note.kind == DRAWN else note.text


def joint_at(review: Review, name: str, frame: int) -> tuple[float, float] | None:
    """A joint's place on a frame, pixels, or None."""
    track = review.joints.get(name)
    if track is None or not np.isfinite(track.xy_px[frame, 0]):
        return None
    return float(track.xy_px[frame, 0]), float(track.xy_px[frame, 1])


def skeleton(p: QPainter, box: ViewBox, review: Review, frame: int) -> None:
    """Thin lines between the joints; joints that are unsure are left hollow.

    Where both sides of the body were found, those are shown alone.
    """
    size = review.calibration.plate_px or 100.0
    both = has_sides(review.joints)
    for a, b in FRONT_LIMBS if both else LIMBS:
        pa, pb = joint_at(review, a, frame), joint_at(review, b, frame)
        if pa and pb:
            stroke(p, [box.at(*pa), box.at(*pb)], QColor(255, 248, 236, 190), 1.2)
    for name, track in review.joints.items():
        at = joint_at(review, name, frame)
        if at and not name.startswith("bar_") and name.startswith(SIDES if both else ""):
            sure = track.sigma_px[frame] < 0.12 * size
            p.setPen(QPen(DARK, 1.0))
            p.setBrush(WHITE if sure else Qt.BrushStyle.NoBrush)
            p.drawEllipse(box.at(*at), 3.0, 3.0)


def finding_lines(
    p: QPainter, box: ViewBox, review: Review, finding: Finding, frame: int, words: bool
) -> None:
    """Draw what was measured for a finding, with its value."""
    if not finding.evidence:
        return  # the coach saw it, nothing was measured
    bar = review.bar.xy_px[frame]
    e = finding.evidence[0]
    kind, chains = _drawn(finding)
    at: QPointF | None = None
    if e.metric in ("bar_slope", "elbow_gap") and review.far_end is not None:
        at = _bar_from_aside(p, box, review, finding, frame)
    elif e.metric in FRONT_LINES:
        at = _front_lines(p, box, review, e.metric, frame)
    elif chains:
        for names in chains:
            spots = [joint_at(review, n, frame) for n in names]
            if all(spots):
                points = [box.at(*s) for s in spots if s]
                stroke(p, points, COPPER, 2.6)
                for point in points:
                    dot(p, point, COPPER, 3.5)
                at = points[len(points) // 2]
    elif kind in TO_BAR:
        spot = joint_at(review, TO_BAR[kind], frame)
        if spot:
            level = [box.at(*spot), box.at(float(bar[0]), spot[1])]
            stroke(p, level, COPPER, 2.6)
            drop = [level[1], box.at(float(bar[0]), float(bar[1]))]
            p.setPen(QPen(WHITE, 1.2, Qt.PenStyle.DotLine))
            p.drawLine(drop[0], drop[1])
            at = level[0]
    if words:
        text = show_value(e.value, e.unit)
        anchor = at or box.at(float(bar[0]), float(bar[1]))
        tag(p, anchor + QPointF(-118, -10), text, box.target)


def _drawn(finding: Finding) -> tuple[str, tuple[tuple[str, ...], ...]]:
    """What a finding is drawn with: its kind, and joints from each to the next."""
    metric, kind = finding.evidence[0].metric, all_faults()[finding.fault].draw
    if metric.startswith("knee"):
        kind = "knee"
    names = ANGLES.get(kind) or LINES.get(kind)
    return kind, OF_METRIC.get(metric) or ((names,) if names else ())


def _bar_from_aside(
    p: QPainter, box: ViewBox, review: Review, finding: Finding, frame: int
) -> QPointF | None:
    """The bar from end to end; dotted, as a level one would look from there."""
    ends = both_ends(review, review.calibration)
    rep = next((r for r in review.reps if finding in r.verdict.findings), None)
    if ends is None or rep is None or not np.isfinite(ends.far_px[frame, 0]):
        return None
    level = level_far_px(ends, rep.span.lift_off)[frame]
    near, far, flat = (box.at(float(x), float(y))
                       for x, y in (ends.near_px[frame], ends.far_px[frame], level))  # fmt: skip
    p.setPen(QPen(WHITE, 1.2, Qt.PenStyle.DotLine))
    p.drawLine(near, flat)
    stroke(p, [near, far], COPPER, 2.6)
    return QPointF((near + far) / 2.0)


def drawn_middle(review: Review, finding: Finding) -> tuple[float, float] | None:
    """The middle of what a finding is drawn with, pixels, where that is not about hip and bar."""
    if not finding.evidence:
        return None
    metric = finding.evidence[0].metric
    # A width is that of the feet; what it is compared with need not be in the picture.
    chains = FRONT_LINES.get(metric, ())[: 1 if metric.endswith("_width") else None]
    if not chains:
        kind, chains = _drawn(finding)
        if kind not in LOW and metric not in OF_METRIC:
            return None
    names = {n for line in chains for n in line}
    spots = [s for s in (joint_at(review, n, finding.at) for n in names) if s]
    if not spots:
        return None
    x, y = np.mean(spots, axis=0)
    return float(x), float(y)


def _front_lines(
    p: QPainter, box: ViewBox, review: Review, metric: str, frame: int
) -> QPointF | None:
    """The lines of a front view's measure; a slope also with a level line, knees with plumbs."""
    at: QPointF | None = None
    for names in FRONT_LINES[metric]:
        spots = [s for s in (joint_at(review, n, frame) for n in names) if s]
        if len(spots) < len(names):
            continue
        points = [box.at(*s) for s in spots]
        stroke(p, points, COPPER, 2.6)
        at = at or points[len(points) // 2]
        plain = None
        if metric == "bar_slope":
            plain = (points[0], QPointF(points[1].x(), points[0].y()))
        elif metric == "knee_inside":
            plain = (points[2], QPointF(points[2].x(), points[0].y()))
        if plain is not None:
            p.setPen(QPen(WHITE, 1.2, Qt.PenStyle.DotLine))
            p.drawLine(*plain)
    return at
