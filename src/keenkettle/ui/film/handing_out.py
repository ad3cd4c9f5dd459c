"""From "hand out" to a file: asks where, says what is in it, writes it in the background."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from keenkettle.coach.report import as_document, tracks_csv
from keenkettle.files import write_whole
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.jobs import Job, JobRunner, Tell

if TYPE_CHECKING:
    from keenkettle.ui.film.drawn import Drawing

KINDS = {
    "film": ("Film with lines", "MP4 (*.mp4)", ".mp4"),
    "sheet": ("Key-frame sheet", "PNG (*.png)", ".png"),
    "still": ("This frame", "PNG (*.png)", ".png"),
    "report": ("Report", "PDF (*.pdf);;HTML (*.html)", ".pdf"),
    "data": ("Numbers", "CSV (*.csv);;JSON (*.json)", ".csv"),
}
LOOK_THROUGH = "; look through it before you pass it on, faces may have been missed"


class HandingOut(QObject):
    """``told`` says how it goes."""

    told = pyqtSignal(str)

    def __init__(self, presenter: FilmPresenter, jobs: JobRunner, owner: QWidget) -> None:
        super().__init__()
        self.presenter, self.jobs, self.owner = presenter, jobs, owner

    def ask(self, kind: str, blur: bool) -> None:
        """Ask for a file name; it names whom and what the file is about."""
        s = self.presenter.state
        if s.review is None or self.presenter.rep is None or s.athlete is None:
            self.told.emit("there is nothing to hand out yet: open a film with a lift")
            return
        title, kinds, suffix = KINDS[kind]
        day = s.clip.filmed_on.isoformat() if s.clip else ""
        name = f"{s.athlete.name} {s.review.lift.name} {day}{suffix}"
        heading = f"{title} of {s.athlete.name}: where to"
        path, chosen = QFileDialog.getSaveFileName(self.owner, heading, name, kinds)
        if path:
            out = Path(path)
            if not out.suffix:
                out = out.with_suffix(".html" if "HTML" in chosen else suffix)
            self.write(kind, out, blur)

    def write(self, kind: str, out: Path, blur: bool) -> None:
        """Write one of KINDS in the background."""
        from keenkettle.ui.film.drawn import Drawing  # slow to load

        s, rep = self.presenter.state, self.presenter.rep
        if s.review is None or rep is None:
            return
        drawing = Drawing(
            s.review, rep, list(s.notes), blur, self.presenter.chosen, set(self.presenter.laid)
        )
        work = self._work(kind, out, drawing, s.frame)
        job = Job(work)
        job.progressed.connect(lambda word, share, _left: self.told.emit(f"{word}: {share:.0%}"))
        extra = LOOK_THROUGH if blur and kind != "data" else ""
        job.done.connect(lambda _none: self.told.emit(f"written: {out.name}{extra}"))
        job.failed.connect(self.told)
        self.jobs.start(job)

    def _work(self, kind: str, out: Path, drawing: Drawing, frame: int) -> Callable[[Tell], None]:
        from keenkettle.ui.film import drawn
        from keenkettle.ui.film.report import report_html, write_report

        review = drawing.review
        if kind == "film":
            return lambda tell: drawn.write_film(drawing, out, tell)
        if kind == "sheet":
            return lambda tell: drawn.write_png(drawn.sheet(drawing, tell), out)
        if kind == "still":
            return lambda _tell: drawn.write_png(drawn.still(drawing, frame), out)
        if kind == "data":
            as_json = out.suffix.lower() == ".json"
            return lambda _tell: write_whole(
                out, (json.dumps(as_document(review)) if as_json else tracks_csv(review)).encode()
            )
        title, words = self._title(), self.presenter.notes.written or self.presenter.notes.draft()
        confirmed = [
            f for f in self.presenter.findings if self.presenter.answer_to(f) == "confirmed"
        ]

        def report(tell: Tell) -> None:
            keys = drawn.sheet(drawing, tell)
            cuts = drawn.cut_outs(drawing, confirmed)
            html = report_html(title, words, review, drawing.rep, confirmed, keys, cuts)
            write_report(html, out)

        return report

    def _title(self) -> str:
        s = self.presenter.state
        assert s.athlete is not None and s.review is not None
        day = f", {s.clip.filmed_on:%-d %B %Y}" if s.clip else ""
        return f"{s.athlete.name}: {s.review.lift.name}{day}"
