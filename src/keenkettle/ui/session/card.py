"""The session card: one page per athlete, readable at arm's length; painted, then printed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from keenkettle.ui import theme
from keenkettle.ui.paper import A5_MM, INK, write_page

QUIET, ACCENT, LINE = "#5E6368", "#A64E1C", "#B9B2A5"
PAGE_MM = A5_MM  # two to a sheet, one to a pocket
CAUTION = "Pain is a stop. Nobody stands within reach of a moving bar."


@dataclass(frozen=True)
class CardContent:
    """What the card says. ``drills`` are (line, cue, worked if); ``care``: cautions of the day."""

    club: str
    athlete: str
    day: date
    lines: tuple[str, ...]
    drills: tuple[tuple[str, str, str], ...]
    caution: str
    care: tuple[str, ...] = ()


def paint_card(p: QPainter, page: QRectF, content: CardContent) -> None:
    """Paint the card into a rectangle; everything scales with its width."""
    k = page.width() / 420.0
    x, width = page.left() + 24 * k, page.width() - 48 * k
    y, drawn = page.top() + 20 * k, True

    def put(text: str, size: float, hue: str, strong: bool = False, big: bool = False) -> None:
        nonlocal y
        font = theme.big_font(1) if big else theme.text_font(1, strong)
        font.setPixelSize(max(round(size * k), 1))
        p.setFont(font)
        p.setPen(QColor(hue))
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
        need = p.boundingRect(QRectF(x, y, width, page.height()), flags, text)
        if drawn:
            p.drawText(QRectF(x, y, width, need.height() + 2), flags, text)
        y += need.height() + 5 * k

    def rule() -> None:
        nonlocal y
        p.setPen(QPen(QColor(LINE), max(k, 1.0)))
        p.drawLine(int(x), int(y), int(x + width), int(y))
        y += 9 * k

    head = (content.club, f"{content.day:%A %-d %B %Y}")
    put("  ·  ".join(x for x in head if x), 11, QUIET)
    put(content.athlete, 34, INK, big=True)
    rule()
    drill_lines = {line for line, _, _ in content.drills}
    for line in content.lines:
        if line.strip() and line not in drill_lines:
            put(line, 17, INK, strong=True)
    if content.drills:
        y += 6 * k
        put("Drills", 12, ACCENT, strong=True)
        for line, cue, worked in content.drills:
            put(line, 17, INK, strong=True)
            put(f"“{cue}”", 15, ACCENT)
            put(worked, 11, QUIET)

    def foot() -> None:
        if content.caution:
            put(content.caution, 12, INK, strong=True)
        for text in (CAUTION, *content.care):
            put(text, 11, QUIET)

    top, drawn = y, False
    foot()  # how much room it takes
    y, drawn = max(top, page.bottom() - 24 * k - (y - top)), True
    rule()
    foot()


def card_image(content: CardContent, width_px: int) -> QImage:
    """The card as a picture of this width."""
    height = round(width_px * PAGE_MM[1] / PAGE_MM[0])
    image = QImage(width_px, height, QImage.Format.Format_RGB32)
    image.fill(QColor("#FFFFFF"))
    p = QPainter(image)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    paint_card(p, QRectF(0, 0, width_px, height), content)
    p.end()
    return image


def write_pdf(content: CardContent, path: Path) -> None:
    """Write the card as a PDF, whole or not at all.

    Raises:
        CannotWriteError: the folder is missing or not writable.
    """
    title = f"{content.athlete}, {content.day:%-d %B %Y}"
    write_page(path, title, PAGE_MM, lambda p, page: paint_card(p, page, content))
