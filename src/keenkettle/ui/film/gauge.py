"""A number against its limit on a short bar, with the measurement's error."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from keenkettle.coach.judge import Evidence, show_value
from keenkettle.ui import theme


class Gauge(QWidget):
    """Value dot with its error band; a tick is the limit; the washed side is past it."""

    def __init__(self, evidence: Evidence) -> None:
        super().__init__()
        self.evidence = evidence
        self.setFixedHeight(22)
        e = evidence
        self.setAccessibleName(
            f"{e.label} {show_value(e.value, e.unit)}, limit {show_value(e.limit, e.unit)}"
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn, e = theme.current(), self.evidence
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        span = max(abs(e.value - e.limit), e.sigma, 1e-6) * 2.2
        lo, hi = e.limit - span, e.limit + span

        def x_of(value: float) -> float:
            return 6 + (min(max(value, lo), hi) - lo) / (hi - lo) * (self.width() - 12)

        y = self.height() / 2
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(worn.line))
        p.drawRoundedRect(QRectF(2, y - 3, self.width() - 4, 6), 3, 3)
        past = (e.limit, hi) if e.relation == "above" else (lo, e.limit)
        p.setBrush(theme.colour(worn.accent, 110))
        p.drawRect(QRectF(x_of(past[0]), y - 3, x_of(past[1]) - x_of(past[0]), 6))
        p.setPen(QPen(theme.colour(worn.ink), 2))
        p.drawLine(QPointF(x_of(e.limit), y - 8), QPointF(x_of(e.limit), y + 8))
        low, high = x_of(e.value - e.sigma), x_of(e.value + e.sigma)
        p.setPen(QPen(theme.colour(worn.ink), 1.6))
        p.drawLine(QPointF(low, y), QPointF(high, y))
        for x in (low, high):
            p.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        p.setPen(QPen(theme.colour(worn.card), 1.5))
        p.setBrush(theme.colour(worn.accent))
        p.drawEllipse(QPointF(x_of(e.value), y), 5.5, 5.5)
