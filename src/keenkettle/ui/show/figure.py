"""A planar body drawn to scale: limbs, head, feet, and what is in the hands."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from keenkettle.measure.geometry import FloatArray
from keenkettle.ui import theme

#: Limbs from far to near, with the breadth at both ends as a share of stature.
LIMBS = (
    ("heel_rear", "toe_rear", 0.030), ("ankle_rear", "knee_rear", 0.040),
    ("knee_rear", "hip", 0.060), ("heel", "toe", 0.032), ("ankle", "knee", 0.046),
    ("knee", "hip", 0.070), ("hip", "shoulder", 0.095), ("shoulder", "elbow", 0.040),
    ("elbow", "wrist", 0.032), ("wrist", "hand", 0.026),
)  # fmt: skip
HEAD_SHARE = 0.062
DISC_MM = 225.0
BELL_MM = 95.0
FLOOR_ROOM_MM = 60.0


class FigureView(QWidget):
    """One pose. Points are mm from the floor below the standing ankle, x forward, y up."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(180, 170)
        self.stature_mm = 1750.0
        self.joints: dict[str, FloatArray] = {}
        self.hand: FloatArray | None = None
        self.implement = "barbell"
        self.trail: FloatArray | None = None
        self.top_mm = 0.0  # highest point to be shown; 0 leaves room for a bar overhead
        self.raised_mm = 0.0
        self.disc_mm = 2 * DISC_MM
        self.notes: list[tuple[str, str]] = []  # joint, text beside it
        self.setAccessibleName("Figure to scale")

    def sizeHint(self) -> QSize:
        return QSize(360, 420)

    def set_pose(
        self,
        joints: Mapping[str, FloatArray],
        hand: FloatArray | None,
        notes: list[tuple[str, str]] | None = None,
    ) -> None:
        """Show a pose with texts beside joints."""
        self.joints = dict(joints)
        self.hand = hand
        self.notes = notes or []
        self.update()

    def _scale(self) -> tuple[float, QPointF]:
        high = self.top_mm or self.stature_mm * 1.34
        wide = self.stature_mm * 1.0
        px = min((self.height() - 16) / (high + FLOOR_ROOM_MM), (self.width() - 8) / wide)
        floor = self.height() - 8 - FLOOR_ROOM_MM * px
        return px, QPointF(self.width() / 2.0 - 40.0 * px, floor)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        px, origin = self._scale()

        def at(xy: FloatArray) -> QPointF:
            return QPointF(origin.x() + float(xy[0]) * px, origin.y() - float(xy[1]) * px)

        p.setPen(QPen(theme.colour(t.quiet), 2))
        p.drawLine(QPointF(8, origin.y()), QPointF(self.width() - 8, origin.y()))
        if not self.joints:
            p.setPen(theme.colour(t.quiet))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "nothing to show yet")
            return
        if self.raised_mm > 0 and self.hand is not None:
            block = QRectF(at(self.hand).x() - 70 * px, origin.y() - self.raised_mm * px,
                           140 * px, self.raised_mm * px)  # fmt: skip
            p.fillRect(block, theme.colour(t.line))
        if self.trail is not None:
            p.setPen(QPen(theme.colour(t.accent, 150), 2))
            points = [at(xy) for xy in self.trail[::4]]
            for a, b in pairwise(points):
                p.drawLine(a, b)
        self._draw_body(p, at, px)
        self._draw_held(p, at, px)
        p.setFont(theme.text_font(14, True))
        for box, text in self.note_boxes():
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour(t.card, 225))
            p.drawRoundedRect(box, 4, 4)
            p.setPen(theme.colour(t.accent))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def note_boxes(self) -> list[tuple[QRectF, str]]:
        """Where each note stands, pixels: to the right of its joint, or to its left where another
        one is already, and lower where that is so on both sides.
        """
        px, origin = self._scale()
        metrics = QFontMetrics(theme.text_font(14, True))
        placed: list[tuple[QRectF, str]] = []
        for joint, text in self.notes:
            if joint not in self.joints:
                continue
            x, y = (float(v) * px for v in self.joints[joint])
            box = QRectF(metrics.boundingRect(text)).adjusted(-5, -2, 5, 2)
            ahead = min(origin.x() + x + 14, self.width() - box.width() - 4)
            behind = max(origin.x() + x - 14 - box.width(), 4.0)
            box.moveTo(ahead, origin.y() - y - box.height() / 2)
            if any(box.intersects(other) for other, _ in placed):
                box.moveLeft(behind)
            while any(box.intersects(other) for other, _ in placed):
                box.translate(0.0, box.height())
            placed.append((box, text))
        return placed

    def _draw_body(self, p: QPainter, at, px: float) -> None:  # type: ignore[no-untyped-def]
        t = theme.current()
        joints = self.joints if self.hand is None else self.joints | {"hand": self.hand}
        for a, b, share in LIMBS:
            if a in joints and b in joints:
                far = "rear" in a or "rear" in b
                pen = QPen(theme.colour(t.quiet if far else t.ink, 150 if far else 255))
                pen.setWidthF(share * self.stature_mm * px)
                pen.setCapStyle(Qt.PenCapStyle.RoundCap)
                p.setPen(pen)
                p.drawLine(at(joints[a]), at(joints[b]))
        if "ear" in self.joints:
            r = HEAD_SHARE * self.stature_mm * px
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour(t.ink))
            p.drawEllipse(at(self.joints["ear"]), r * 0.85, r)
        p.setBrush(theme.colour(t.card))
        for name in ("knee", "hip", "shoulder", "elbow"):
            if name in self.joints:
                p.setPen(Qt.PenStyle.NoPen)
                p.drawEllipse(at(self.joints[name]), 3.2, 3.2)

    def _draw_held(self, p: QPainter, at, px: float) -> None:  # type: ignore[no-untyped-def]
        t = theme.current()
        if self.hand is None or self.implement in ("none", "medicine-ball"):
            return
        centre = at(self.hand)
        if self.implement == "barbell":
            p.setPen(QPen(theme.colour(t.accent), 3))
            p.setBrush(theme.colour(t.accent, 46))
            p.drawEllipse(centre, self.disc_mm / 2 * px, self.disc_mm / 2 * px)
        elif self.implement == "kettlebell":
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour(t.accent))
            arm = np.asarray(self.hand) - self.joints["elbow"]
            away = arm / max(float(np.linalg.norm(arm)), 1.0)
            p.drawEllipse(at(self.hand + away * BELL_MM), BELL_MM * px, BELL_MM * px)
        elif self.implement == "dumbbell":
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour(t.accent))
            p.drawRoundedRect(QRectF(centre.x() - 70 * px, centre.y() - 40 * px, 140 * px, 80 * px),
                              4, 4)  # fmt: skip
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(t.accent))
        p.drawEllipse(centre, 5, 5)
