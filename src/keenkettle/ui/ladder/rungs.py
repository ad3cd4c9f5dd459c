"""The ladder drawn as rungs, with where the athlete was and is."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from keenkettle.club.climbing import Step
from keenkettle.coach.ladders import Ladder
from keenkettle.ui import theme

LEAST_ROW_PX, MOST_ROW_PX = 32, 54
RAIL_PX = 16


class RungsView(QWidget):
    """Rungs from the bottom up; ``picked`` carries a rung's number, ``settled`` asks on."""

    picked = pyqtSignal(int)
    settled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.ladder: Ladder | None = None
        self.present = self.chosen = 0
        self.history: list[Step] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Rungs of the ladder")

    def set_ladder(self, ladder: Ladder | None, present: int, history: list[Step]) -> None:
        """Show a ladder with this athlete's place (0 is none) and decisions."""
        self.ladder, self.present, self.history = ladder, present, history
        self.chosen = present or 1
        if ladder is not None:
            self.setMinimumHeight(LEAST_ROW_PX * len(ladder.rungs) + 12)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(330, 480)

    def _row(self) -> float:
        count = len(self.ladder.rungs) if self.ladder else 1
        return max(LEAST_ROW_PX, min(MOST_ROW_PX, (self.height() - 12) / count))

    def _since(self, number: int) -> str:
        assert self.ladder is not None
        steps = [s for s in self.history if s.ladder == self.ladder.id and s.rung == number]
        return f"{steps[-1].since:%-d %b}" if steps else ""

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        if self.ladder is None:
            return
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        row, count = self._row(), len(self.ladder.rungs)
        bottom = row * count + 6
        p.setPen(QPen(theme.colour(t.line), 5))
        for x in (RAIL_PX, self.width() - RAIL_PX):
            p.drawLine(QPointF(x, 6), QPointF(x, bottom))
        for i, rung in enumerate(self.ladder.rungs):
            number = i + 1
            y = bottom - row * number
            box = QRectF(RAIL_PX, y + 3, self.width() - 2 * RAIL_PX, row - 6)
            self._paint_rung(p, number, rung.title, box)

    def _paint_rung(self, p: QPainter, number: int, title: str, box: QRectF) -> None:
        t = theme.current()
        here, passed = number == self.present, 0 < number < self.present
        p.setPen(QPen(theme.colour(t.accent if here else t.line), 3 if here else 1))
        if number == self.chosen and self.hasFocus():
            p.setPen(QPen(theme.colour(t.other), 2))
        p.setBrush(theme.colour(t.wash if here else t.card))
        p.drawRoundedRect(box, 5, 5)
        if number == self.chosen and not here:
            p.setPen(QPen(theme.colour(t.other), 2, Qt.PenStyle.DashLine))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(box.adjusted(2, 2, -2, -2), 4, 4)
        inner = box.adjusted(10, 0, -10, 0)
        p.setPen(theme.colour(t.ink if here or passed else t.quiet))
        p.setFont(theme.text_font(14, here))
        mark = "done" if passed else ("now" if here else "")
        right = f"{mark} {self._since(number)}".strip()
        room = p.fontMetrics().horizontalAdvance(right) + 8
        metrics = p.fontMetrics()
        left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        p.drawText(inner, left, str(number))
        place = inner.adjusted(metrics.horizontalAdvance(f"{number}  "), 0, -room, 0)
        if box.height() >= 2 * metrics.lineSpacing():
            p.drawText(place, int(left | Qt.TextFlag.TextWordWrap), title)
        else:
            width = int(place.width())
            p.drawText(place, left, metrics.elidedText(title, Qt.TextElideMode.ElideRight, width))
        p.setPen(theme.colour(t.accent if here else t.held))
        p.setFont(theme.text_font(12, True))
        p.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, right)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.ladder is None:
            return
        row, count = self._row(), len(self.ladder.rungs)
        number = int((row * count + 6 - event.position().y()) // row) + 1
        if 1 <= number <= count:
            self._choose(number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.ladder is None:
            return
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
        if step and 1 <= self.chosen + step <= len(self.ladder.rungs):
            self._choose(self.chosen + step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.settled.emit()
        elif not step:
            super().keyPressEvent(event)

    def _choose(self, number: int) -> None:
        self.chosen = number
        self.update()
        self.picked.emit(number)
