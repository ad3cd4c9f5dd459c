"""The report of a rep for handing out: words, numbers, pictures; HTML and, through Qt, PDF."""

from __future__ import annotations

import base64
import tempfile
from html import escape
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QSizeF
from PyQt6.QtGui import QImage, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import Finding, show_error, show_value
from keenkettle.coach.review import RepReview, Review
from keenkettle.files import write_whole
from keenkettle.measure.motion import Motion
from keenkettle.ui import theme
from keenkettle.ui.film.drawn import png_of

DPI = 150
WIDE, CUT = 1540, 260  # pixels at DPI: the page's whole width; a finding's picture
ABREAST = 3  # measures in a row
STYLE = (
    "body{font-family:'Open Sans',sans-serif;margin:24px;color:#24272B}img{max-width:100%}"
    "table{border-collapse:collapse}td,th{border-bottom:1px solid #D8D1C3}"
)
CAUTION = (
    "Measured from film; each number with its standard deviation. It helps a coach to decide and "
    "replaces neither coach nor clinician. Pain ends the set."
)


def report_html(
    title: str,
    words: str,
    review: Review,
    rep: RepReview,
    confirmed: list[Finding],
    keys: QImage,
    cut_outs: list[QImage],
) -> str:
    """One page that needs nothing beside itself; pictures are inside, one of each finding."""
    paragraphs = "".join(
        f"<p>{escape(part)}</p>" for part in words.strip().split("\n\n") if part.strip()
    )
    found = "".join(_row(f, cut) for f, cut in zip(confirmed, cut_outs, strict=True))
    cells = [
        f"<td>{escape(name.replace('_', ' '))}</td><td align='right'>"
        f"{show_value(m.value, m.unit)} &plusmn; {show_error(m.sigma, m.unit)}</td><td>&nbsp;</td>"
        for name, m in rep.metrics.items()
        if m.value is not None
    ]
    rows = [cells[i : i + ABREAST] for i in range(0, len(cells), ABREAST)]
    numbers = "".join(f"<tr>{''.join(row)}</tr>" for row in rows)
    table = (
        f"<h2>To mend</h2><table cellpadding='4'><tr><th></th><th align='left'>fault</th>"
        f"<th align='left'>measure</th><th>measured</th><th>limit</th></tr>{found}</table>"
        if found
        else ""
    )
    return (
        f"<!doctype html><html lang='en'><head><meta charset='utf-8'><title>{escape(title)}</title>"
        f"<style>{STYLE}</style></head><body><h1>{escape(title)}</h1>{paragraphs}"
        f"<p>{_img(keys, WIDE)}</p>{table}"
        f"<h2>Measured</h2><table cellpadding='3'>{numbers}</table>"
        f"<p>{escape(review.lift.name)}, rep {rep.number}, {review.info.fps_nominal:.0f} frames a "
        f"second{_smoothed(rep.motion)}. {escape(CAUTION)}</p></body></html>"
    )


def _img(image: QImage, width: int) -> str:
    data = base64.b64encode(png_of(image)).decode()
    return f"<img width='{width}' src='data:image/png;base64,{data}'>"


def _row(finding: Finding, cut_out: QImage) -> str:
    """A finding's row: its picture, and what was measured for it or that the coach saw it."""
    title = f"<tr><td>{_img(cut_out, CUT)}</td><td>{escape(all_faults()[finding.fault].title)}</td>"
    if not finding.evidence:
        return f"{title}<td>seen by the coach, not measured</td><td></td><td></td></tr>"
    e = finding.evidence[0]
    return (
        f"{title}<td>{escape(e.label)}</td><td align='right'>{show_value(e.value, e.unit)}"
        f" &plusmn; {show_error(e.sigma, e.unit)}</td>"
        f"<td align='right'>{show_value(e.limit, e.unit)}</td></tr>"
    )


def _smoothed(motion: Motion) -> str:
    cutoffs = ((motion.bar_cutoff_hz, "bar"), (motion.joint_cutoff_hz, "joints"))
    stated = [f"{what} {hz:.0f} Hz" for hz, what in cutoffs if hz is not None]
    return f"; smoothed, cut-off {', '.join(stated)}" if stated else ""


def write_report(html: str, out: Path) -> None:
    """HTML as it is, PDF through Qt's own page maker.

    Raises:
        CannotWriteError: the folder cannot be written.
    """
    if out.suffix.lower() != ".pdf":
        write_whole(out, html.encode())
        return
    with tempfile.TemporaryDirectory() as folder:
        part = Path(folder) / "report.pdf"
        page = QPdfWriter(str(part))
        page.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        page.setPageOrientation(QPageLayout.Orientation.Landscape)
        page.setPageMargins(QMarginsF(15, 12, 15, 12), QPageLayout.Unit.Millimeter)
        page.setResolution(DPI)
        document = QTextDocument()
        document.setDefaultFont(theme.text_font(20))
        document.setPageSize(QSizeF(page.width(), page.height()))
        document.setHtml(html)
        document.print(page)
        del page
        write_whole(out, part.read_bytes())
