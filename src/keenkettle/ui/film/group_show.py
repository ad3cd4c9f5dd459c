"""The shelf: chosen stills and clips with their lines, large, to show a group."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QImage, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keenkettle.club import look_up
from keenkettle.club.bench_commands import RemoveNote
from keenkettle.club.commands import History
from keenkettle.club.look_up import OnShelf
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tracks import TracksError
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.review import Review
from keenkettle.ui import theme
from keenkettle.ui.film.comparing import review_of
from keenkettle.ui.film.frames import FrameServer
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.widgets import button, label

PLAY_MS, SLOWER = 40, 4.0  # a quarter of the true speed
ASK_FIRST = "Ask whoever is seen before you show it: names are not shown, faces are."


class Picture(QWidget):
    """One picture, as large as it can be."""

    def __init__(self) -> None:
        super().__init__()
        self.image, self.message = QImage(), ""
        self.setMinimumSize(320, 240)

    def put(self, image: QImage, message: str = "") -> None:
        """Show a picture, or say why there is none."""
        self.image, self.message = image, message
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        worn, p = theme.current(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), theme.colour(worn.stage))
        if self.image.isNull():
            p.setPen(theme.colour("#F0EBE1"))
            p.setFont(theme.text_font(18))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, self.message)
            return
        k = min(self.width() / self.image.width(), self.height() / self.image.height())
        w, h = k * self.image.width(), k * self.image.height()
        place = QRectF((self.width() - w) / 2.0, (self.height() - h) / 2.0, w, h)
        p.drawImage(place, self.image, QRectF(self.image.rect()))


class GroupShow(QWidget):
    """A window of its own. ``said`` carries a line for the foot of the main window."""

    said = pyqtSignal(str)

    def __init__(self, store: Store, history: History, jobs: JobRunner) -> None:
        super().__init__()
        self.store, self.history, self.jobs = store, history, jobs
        self.setWindowTitle("The shelf")
        self.items: list[OnShelf] = []
        self.at = 0
        self._review: Review | None = None
        self._server: FrameServer | None = None
        self._frame = 0.0
        self.picture = Picture()
        self.words = label("", "title", wrap=True)
        self.count = label("", "quiet")
        self.before, self.play, self.after = button("←"), button("Play", tip="Space"), button("→")
        self.off = button("Take off the shelf", tip="Delete")
        self.before.clicked.connect(lambda: self.step(-1))
        self.after.clicked.connect(lambda: self.step(1))
        self.play.clicked.connect(self.toggle)
        self.off.clicked.connect(self.take_off)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        for w in (self.count, self.before, self.play, self.after, self.off):
            row.addWidget(w)
        column = QVBoxLayout(self)
        column.addWidget(self.picture, 1)
        column.addLayout(row)
        column.addWidget(label(ASK_FIRST, "quiet"))
        self.timer = QTimer(self)
        self.timer.setInterval(PLAY_MS)
        self.timer.timeout.connect(self._tick)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        for b in (self.before, self.play, self.after, self.off):
            b.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the keys are the show's

    def open(self) -> bool:
        """Show the shelf from its beginning; False where it is empty."""
        self.items = look_up.shelf(self.store)
        if not self.items:
            return False
        self.at = 0
        self.showMaximized()
        self._show()
        return True

    def step(self, by: int) -> None:
        """The next or the last one; round at the ends."""
        if self.items:
            self.at = (self.at + by) % len(self.items)
            self._show()

    def take_off(self) -> None:
        """The one in view comes off the shelf; undo in the main window puts it back."""
        try:
            self.history.run(RemoveNote(self.items[self.at].note_id, "taken off the shelf"))
        except ClubError as err:
            self.said.emit(str(err))
            return
        self.items = look_up.shelf(self.store)
        if not self.items:
            self.close()
            return
        self.at = min(self.at, len(self.items) - 1)
        self._show()

    def toggle(self) -> None:
        """Let the rep run at a quarter of its speed, or show the still again."""
        if self.timer.isActive():
            self._stop()
            self._show()
        elif self._review is not None and self._review.reps:
            self._server = self._server or FrameServer()
            self._server.open(self._review.info.path)
            self._frame = float(self._rep_span()[0])
            self.play.setText("Still")
            self.timer.start()

    # --- inside --------------------------------------------------------------------------

    def _show(self) -> None:
        self._stop()
        item = self.items[self.at]
        lift = all_lifts()[item.lift].name if item.lift in all_lifts() else "film"
        self.words.setText(
            f"{lift.capitalize()}: {item.words}" if item.words else lift.capitalize()
        )
        self.count.setText(f"{self.at + 1} of {len(self.items)}")
        self._review = None
        job = Job(lambda _tell: _still(self.store, item))
        job.done.connect(lambda made: self._take(item, made))
        job.failed.connect(lambda why: self._take(item, why))
        self.jobs.start(job)

    def _take(self, item: OnShelf, made: tuple[QImage, Review] | str) -> None:
        if not self.items or self.items[self.at].note_id != item.note_id:
            return
        if isinstance(made, str):
            self.picture.put(QImage(), made)
            return
        image, self._review = made
        self.picture.put(image)

    def _rep_span(self) -> tuple[int, int]:
        assert self._review is not None
        frame = self.items[self.at].frame
        span = next(
            (r.span for r in self._review.reps if r.span.lift_off <= frame <= r.span.end),
            self._review.reps[0].span,
        )
        return span.lift_off, span.end

    def _tick(self) -> None:
        if self._review is None or self._server is None:
            return
        first, last = self._rep_span()
        self._frame += (
            PLAY_MS / 1000.0 * self._review.info.fps_nominal / self._review.time_scale / SLOWER
        )
        if self._frame > last:
            self._frame = float(first)
        frame = int(self._frame)
        image = self._server.want(frame) or self._server.small(frame)
        if image is not None and not image.isNull():
            self.picture.put(image)

    def _stop(self) -> None:
        self.timer.stop()
        self.play.setText("Play")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        does = {
            Qt.Key.Key_Left: lambda: self.step(-1), Qt.Key.Key_Right: lambda: self.step(1),
            Qt.Key.Key_Space: self.toggle, Qt.Key.Key_Delete: self.take_off,
            Qt.Key.Key_Escape: self.close,
        }.get(Qt.Key(event.key()))  # fmt: skip
        if does is not None:
            does()
        else:
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._stop()
        if self._server is not None:
            self._server.close()
            self._server = None
        super().closeEvent(event)


def _still(store: Store, item: OnShelf) -> tuple[QImage, Review]:
    """The frame with its lines.

    Raises:
        ClipError, ClubError: it cannot be shown; one sentence.
    """
    from keenkettle.ui.film.drawn import Drawing, still  # slow to load

    try:
        review = review_of(store, item.clip_id)
    except TracksError as err:
        raise ClubError(f"{item.path.name} is not analysed, so it has no lines to show") from err
    reps = [r for r in review.reps if r.span.lift_off <= item.frame <= r.span.end]
    if not reps and not review.reps:
        raise ClubError(f"{item.path.name} shows no lift; take it off the shelf")
    rep = reps[0] if reps else review.reps[0]
    at = [f for f in rep.verdict.findings if f.at == item.frame]
    notes = look_up.notes_of(store, item.clip_id)
    drawing = Drawing(review, rep, notes, finding=at[0] if at else None)
    return still(drawing, item.frame), review
