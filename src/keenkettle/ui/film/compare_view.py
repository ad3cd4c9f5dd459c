"""The compare row, the second stage, and the list of differences."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from keenkettle.club.tracks import TracksError
from keenkettle.coach.compare import RepOf, UsualPath
from keenkettle.coach.judge import show_error, show_value
from keenkettle.coach.review import Review
from keenkettle.ui.film.comparing import (
    MODEL,
    USUAL,
    Choice,
    Comparison,
    choices_of,
    compare,
    own_usual,
    review_of,
    usual_on_picture,
)
from keenkettle.ui.film.evidence import Ghost
from keenkettle.ui.film.frames import FrameServer
from keenkettle.ui.film.over_time import metric_words
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.film.stage import Stage
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.widgets import Page, button, card, clear, label


class CompareView(QWidget):
    """The row of choices; owns the second stage and its frames. ``closed`` when it is put away."""

    closed = pyqtSignal()
    changed = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(
        self, presenter: FilmPresenter, first: Stage, jobs: JobRunner, models: Path
    ) -> None:
        super().__init__()
        self.presenter, self.first, self.jobs, self.models = presenter, first, jobs, models
        self.second = Stage()
        self.second.like = first
        self.second.setAccessibleName("The other film")
        self.second.hide()
        self.server: FrameServer | None = None
        self.comparison: Comparison | None = None
        self.usual: UsualPath | None = None
        self.over = False
        self._image = QImage()
        self.hide()
        self.choice_box, self.event_box = QComboBox(), QComboBox()
        self.choice_box.setAccessibleName("Compare with")
        self.event_box.setAccessibleName("Both together at this event")
        self.choice_box.setMinimumWidth(250)
        self.choice_box.activated.connect(lambda _i: self._chosen())
        self.event_box.activated.connect(lambda _i: self._again(str(self.event_box.currentData())))
        self.over_button = button("Lay over", tip="Over each other, or side by side (V)")
        self.over_button.setCheckable(True)
        self.over_button.clicked.connect(self.toggle_over)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(label("beside"))
        row.addWidget(self.choice_box)
        row.addWidget(label("together at"))
        row.addWidget(self.event_box)
        row.addWidget(self.over_button)
        row.addStretch(1)
        self.list = DifferenceList()

    @property
    def on(self) -> bool:
        """Whether something is compared."""
        return not self.isHidden()

    @property
    def pictured(self) -> bool:
        """Whether the other film shows the moment asked for."""
        return self.comparison is not None and not self._image.isNull()

    # --- beginning and ending --------------------------------------------------------

    def begin(self) -> None:
        """Offer what there is, and begin with the first."""
        found = choices_of(self.presenter)
        if not found:
            self.said.emit("open an analysed film first; then it can be compared")
            return
        self.choice_box.clear()
        for c in found:
            self.choice_box.addItem(c.words, c)
        self.show()
        self._chosen()

    def end(self) -> None:
        """Only the first film."""
        self.hide()
        self._clear()
        if self.server is not None:
            self.server.close()
            self.server = None
        self.changed.emit()
        self.closed.emit()

    def toggle(self) -> None:
        """Begin or end."""
        self.end() if self.on else self.begin()

    def _clear(self) -> None:
        self.comparison, self.usual, self._image = None, None, QImage()
        self.first.ghost, self.first.usual = None, None
        self.second.hide()
        self.list.show_none("")

    # --- choosing ----------------------------------------------------------------------

    def _chosen(self) -> None:
        choice = self.choice_box.currentData()
        if not isinstance(choice, Choice):
            return
        self._clear()
        if choice.kind == USUAL:
            self._show_usual()
        elif choice.kind == MODEL:
            self._make_model()
        else:
            try:
                review = review_of(self.presenter.store, choice.clip_id)
            except TracksError as err:
                self.said.emit(str(err))
                return
            self._put(review, choice.rep)

    def _show_usual(self) -> None:
        made = own_usual(self.presenter)
        if isinstance(made, str):
            self.list.show_none(made)
            self.said.emit(made)
        else:
            self.usual = made
            self.list.show_none(
                f"The band is the median path of {made.n} good lifts and its spread: "
                f"{show_value(float(made.spread_mm.mean()), 'mm')} to each side on the way."
            )
        self.event_box.clear()
        self.changed.emit()

    def _make_model(self) -> None:
        from keenkettle.coach.model_rep import model_review  # slow to load

        s = self.presenter.state
        if s.athlete is None or s.review is None:
            return
        stature = s.athlete.stature_mm
        if not stature:
            self.list.show_none("the athlete's stature is not measured; note it under Athlete")
            return
        lift, facing = s.review.lift.id, s.review.facing
        out = self.models / f"{lift}-{stature:.0f}-{facing}.mp4"
        job = Job(lambda tell: model_review(lift, stature, facing, out, tell))
        job.progressed.connect(lambda w, share, _left: self.said.emit(f"{w}: {share:.0%}"))
        job.done.connect(lambda review: self._model_made(review))
        job.failed.connect(self.said)
        self.jobs.start(job)

    def _model_made(self, review: Review) -> None:
        choice = self.choice_box.currentData()
        if self.on and isinstance(choice, Choice) and choice.kind == MODEL:
            self.said.emit("")
            self._put(review, 0)

    def _own(self) -> RepOf | None:
        s, rep = self.presenter.state, self.presenter.rep
        return RepOf(s.review, rep) if s.review is not None and rep is not None else None

    def _put(self, review: Review, number: int) -> None:
        own = self._own()
        if own is None or number >= len(review.reps):
            self.said.emit("nothing is lifted in that clip")
            return
        made = compare(own, RepOf(review, review.reps[number]))
        if isinstance(made, str):
            self.list.show_none(made)
            self.said.emit(made)
            return
        self._take(made)
        if self.server is None:
            self.server = FrameServer()
            self.server.ready.connect(self._picture)
            self.server.failed.connect(self.said)
        there = review.info.path.exists()
        self.server.open(review.info.path if there else None)
        if not there:
            self.said.emit(f"{review.info.path.name} is not where it was; only its path is shown")
        self.second.image = QImage(
            review.info.width, review.info.height, QImage.Format.Format_RGB888
        )
        self.second.image.fill(0x777777)
        self.changed.emit()

    def _take(self, made: Comparison) -> None:
        self.comparison = made
        self.event_box.clear()
        for name in made.events:
            self.event_box.addItem(name.replace("_", " "), name)
        self.event_box.setCurrentIndex(made.events.index(made.event))
        self.second.review, self.second.rep = made.second.review, made.second.rep
        self.second.mirrored = made.pairing.mirrored
        self.list.show_all(made)

    def _again(self, event: str) -> None:
        own, old = self._own(), self.comparison
        if own is not None and old is not None:
            made = compare(own, old.second, event)
            if isinstance(made, Comparison):
                self._take(made)
                self.changed.emit()

    def toggle_over(self) -> None:
        """Over each other, or side by side."""
        self.over = not self.over
        self.over_button.setChecked(self.over)
        self.changed.emit()

    # --- stepping together ----------------------------------------------------------------

    def refresh(self) -> None:
        """The first film is elsewhere: bring the second there."""
        made = self.comparison
        self.second.setVisible(self.on and made is not None and not self.over)
        own = self._own()
        if self.usual is not None and own is not None:
            self.first.usual = usual_on_picture(self.usual, own)
        if made is None or not self.on:
            return
        if own is not None and own.rep is not made.first.rep:
            again = compare(own, made.second, made.event)
            if isinstance(again, str):
                self.end()
                return
            self._take(again)
            made = again
        frame = made.frame(self.presenter.state.frame)
        self.second.frame = frame
        shift = self._moment(made, frame)
        self.second.caption = f"{shift} · frame {frame}"
        image = self.server.want(frame) if self.server is not None else None
        if image is not None and not image.isNull():
            self._picture(frame, image)
        elif image is None and self.server is not None:
            self.second.small = self.server.small(frame) or self.second.small
        self._lay_over()
        self.second.update()

    def _moment(self, made: Comparison, frame: int) -> str:
        start = made.second.rep.span.lift_off
        return f"{made.second.t_s[frame] - made.second.t_s[start]:+.3f} s"

    def _picture(self, number: int, image: QImage) -> None:
        if self.comparison is not None and number == self.second.frame:
            self._image = image
            self.second.put(image)
            self._lay_over()

    def _lay_over(self) -> None:
        made = self.comparison
        if made is None:
            self.first.ghost = None
            return
        origin, at = made.anchors()
        self.first.ghost = Ghost(
            self._image, made.path_on_first(), (float(origin[0]), float(origin[1])),
            (float(at[0]), float(at[1])), made.pairing.scale, made.pairing.mirrored, self.over,
        )  # fmt: skip
        self.first.update()

    def close_clip(self) -> None:
        """End the thread."""
        if self.server is not None:
            self.server.close()
            self.server = None


class DifferenceList(Page):
    """What differs, the clearest first; figures of both."""

    def show_none(self, words: str) -> None:
        """Only a sentence."""
        clear(self.column)
        self.column.addWidget(label(words, wrap=True))
        self.column.addStretch(1)

    def show_all(self, made: Comparison) -> None:
        """Each measure with both values and the change."""
        clear(self.column)
        self.column.addWidget(label("What differs", "title"))
        self.column.addWidget(
            label(
                "The other is blue-green; + is more there. ± is one standard deviation.",
                "quiet",
                wrap=True,
            )
        )
        for d in made.differences:
            column = QVBoxLayout()
            column.addWidget(label(metric_words(d.metric), "strong"))
            first, second = show_value(d.first, d.unit), show_value(d.second, d.unit)
            change, error = show_value(d.change, d.unit, True), show_error(d.sigma, d.unit)
            column.addWidget(label(f"here {first}, the other {second}"))
            word = "" if d.clear else "; less than the errors can make"
            role = "accent" if d.clear else "quiet"
            column.addWidget(label(f"{change} ± {error}{word}", role))
            self.column.addWidget(card(column))
        if not made.differences:
            self.column.addWidget(label("No measure is known in both.", wrap=True))
        self.column.addStretch(1)
