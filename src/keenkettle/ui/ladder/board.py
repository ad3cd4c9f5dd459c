"""The squad on its ladders: one lane a ladder, one cell a rung, a token for each athlete."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from keenkettle.ui import theme

NAME_PX, TOKEN_PX, HEAD_PX, GAP_PX = 150, 26, 30, 14
WORDS = {
    "advance": "ready", "stay": "on the way", "back": "step back", "sideways": "stuck",
    "pause": "resting: pain", "re-check": "rusty", "leave": "done",
}  # fmt: skip


@dataclass(frozen=True)
class Token:
    """An athlete on a rung, and what is proposed."""

    athlete_id: int
    name: str
    ladder: str
    ladder_name: str
    rung: int
    rungs: int
    act: str
    reason: str


class Board(QWidget):
    """``picked`` carries an athlete's id."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.tokens: list[Token] = []
        self._places: list[tuple[QRectF, Token]] = []
        self.setMouseTracking(True)
        self.setAccessibleName("Squad board")

    def set_tokens(self, tokens: list[Token]) -> None:
        """Show these athletes."""
        self.tokens = sorted(tokens, key=lambda t: (t.ladder_name, -t.rung, t.name))
        self._lay_out()
        self.update()

    def _lanes(self) -> list[list[Token]]:
        ids = list(dict.fromkeys(t.ladder for t in self.tokens))
        return [[t for t in self.tokens if t.ladder == i] for i in ids]

    def _lay_out(self) -> None:
        self._places = []
        y = 6.0
        for lane in self._lanes():
            cell = self._cell(lane[0].rungs)
            stacked: dict[int, int] = {}
            for t in lane:
                level = stacked.get(t.rung, 0)
                stacked[t.rung] = level + 1
                width = max(cell - 6, 104)
                x = min(NAME_PX + cell * (t.rung - 1) + 3, self.width() - width - 8)
                top = y + HEAD_PX + level * (TOKEN_PX + 4)
                self._places.append((QRectF(x, top, width, TOKEN_PX), t))
            y += HEAD_PX + max(stacked.values()) * (TOKEN_PX + 4) + GAP_PX
        self.setMinimumHeight(int(y))

    def _cell(self, rungs: int) -> float:
        return (self.width() - NAME_PX - 12) / max(rungs, 1)

    def sizeHint(self) -> QSize:
        return QSize(900, self.minimumHeight())

    def resizeEvent(self, _event: object) -> None:
        self._lay_out()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for lane in self._lanes():
            boxes = [box for box, token in self._places if token.ladder == lane[0].ladder]
            top = min(b.top() for b in boxes) - HEAD_PX
            bottom = max(b.bottom() for b in boxes)
            cell = self._cell(lane[0].rungs)
            p.setPen(theme.colour(t.ink))
            p.setFont(theme.text_font(14, True))
            name = QRectF(4, top, NAME_PX - 12, bottom - top)
            flags = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
            p.drawText(name, flags, lane[0].ladder_name)
            p.setFont(theme.text_font(12))
            for n in range(lane[0].rungs):
                x = NAME_PX + n * cell
                p.setPen(QPen(theme.colour(t.line), 1))
                p.drawLine(QPointF(x, top + 18), QPointF(x, bottom + 4))
                p.setPen(theme.colour(t.quiet))
                p.drawText(QRectF(x, top, cell, 18), Qt.AlignmentFlag.AlignCenter, str(n + 1))
            p.setPen(QPen(theme.colour(t.line), 3))
            p.drawLine(QPointF(NAME_PX, bottom + 4), QPointF(self.width() - 12, bottom + 4))
        for box, token in self._places:
            self._paint_token(p, box, token)

    def _paint_token(self, p: QPainter, box: QRectF, token: Token) -> None:
        t = theme.current()
        strong = token.act in ("advance", "pause", "back")
        edge = {"advance": t.held, "stay": t.line}.get(token.act, t.accent)
        p.setPen(QPen(theme.colour(edge), 2 if token.act != "stay" else 1))
        p.setBrush(theme.colour(t.wash if strong and token.act != "advance" else t.card))
        p.drawRoundedRect(box, 5, 5)
        mark = QRectF(box.left() + 6, box.center().y() - 5, 10, 10)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(t.quiet if token.act == "stay" else edge))
        _paint_mark(p, mark, token.act)
        p.setPen(theme.colour(t.ink))
        p.setFont(theme.text_font(12, strong))
        first, _, last = token.name.partition(" ")
        word = "" if token.act == "stay" else f": {WORDS[token.act]}"
        text = f"{first} {last[:1]}{word}"
        room = box.adjusted(20, 0, -4, 0)
        cut = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room.width()))
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, cut)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            over = [t for box, t in self._places if box.contains(event.position())]
            self.setToolTip(f"{over[0].name}: {over[0].reason}" if over else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for box, token in self._places:
                if box.contains(event.position()):
                    self.picked.emit(token.athlete_id)
                    return


def _paint_mark(p: QPainter, box: QRectF, act: str) -> None:
    """A shape for each proposal, so that state is not by colour alone."""
    c, r = box.center(), box.width() / 2
    if act == "advance":
        p.drawPolygon(QPolygonF([QPointF(c.x() - r, c.y() + r), QPointF(c.x() + r, c.y() + r),
                                 QPointF(c.x(), c.y() - r)]))  # fmt: skip
    elif act == "back":
        p.drawPolygon(QPolygonF([QPointF(c.x() - r, c.y() - r), QPointF(c.x() + r, c.y() - r),
                                 QPointF(c.x(), c.y() + r)]))  # fmt: skip
    elif act == "pause":
        p.drawRect(QRectF(c.x() - r, c.y() - r, r * 0.7, 2 * r))
        p.drawRect(QRectF(c.x() + r * 0.3, c.y() - r, r * 0.7, 2 * r))
    elif act == "sideways":
        p.drawRect(QRectF(c.x() - r, c.y() - r * 0.35, 2 * r, r * 0.7))
    else:
        p.drawEllipse(c, r * 0.6, r * 0.6)
