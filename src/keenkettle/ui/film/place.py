"""The film bench as a place: stage, height rail, strip, side; keys and long work."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from keenkettle.club.commands import History
from keenkettle.club.store import ClubError, Store
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.review import review_clip
from keenkettle.film.clip import ClipError
from keenkettle.ui.film.frames import FrameServer
from keenkettle.ui.film.presenter import JUMP, FilmPresenter
from keenkettle.ui.film.rail import HeightRail
from keenkettle.ui.film.side import SidePanel
from keenkettle.ui.film.stage import Stage
from keenkettle.ui.film.strip import ElasticStrip
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.widgets import button, label

MARK_ORDER = ("ear", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")
SPEEDS = (1 / 16, 1 / 8, 1 / 4, 1 / 2, 1.0, 2.0)
KEYS_SHOWN = (
    "← → step   Shift jump 10   Space play   E next event   F next finding   Enter mend   "
    "Backspace not so   Ctrl+Z undo   hold B bare film"
)


class FilmPlace(QWidget):
    """Shows what the presenter knows and passes on what the person does."""

    wants_session = pyqtSignal(object)
    said = pyqtSignal(str)

    def __init__(
        self, store: Store, history: History, jobs: JobRunner, today: Callable[[], date]
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.jobs, self.today = jobs, today
        self.presenter = FilmPresenter(store, history, self._changed)
        self.server = FrameServer()
        self.job: Job | None = None
        self.speed = 4
        self.marking: str | None = None
        self.wants_disc = False
        self._build()
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._connect()

    # --- building -----------------------------------------------------------------

    def _build(self) -> None:
        self.clip_box = QComboBox()
        self.clip_box.setAccessibleName("Clips of this athlete, newest first")
        self.clip_box.setFixedWidth(232)
        self.lift_box = QComboBox()
        self.lift_box.setAccessibleName("Lift")
        self.lift_box.setFixedWidth(156)
        for lift in all_lifts().values():
            self.lift_box.addItem(lift.name, lift.id)
        self.facts = label("", "quiet")
        self.joints_button = button("Mark joints", tip="Mark joints by clicking (J)")
        self.analyse_button = button("Analyse again", tip="With all marks (Ctrl+R)")
        head = QHBoxLayout()
        head.setSpacing(8)
        for w in (self.clip_box, self.lift_box):
            head.addWidget(w)
        head.addWidget(self.facts, 1)
        head.addWidget(self.joints_button)
        head.addWidget(self.analyse_button)
        self.stage, self.rail = Stage(), HeightRail()
        film = QHBoxLayout()
        film.setSpacing(8)
        film.addWidget(self.stage, 1)
        film.addWidget(self.rail)
        self.strip = ElasticStrip()
        self.progress_row = QWidget()
        row = QHBoxLayout(self.progress_row)
        row.setContentsMargins(0, 0, 0, 0)
        self.progress_text = label("")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.cancel_button = button("Cancel")
        row.addWidget(self.progress_text)
        row.addWidget(self.progress, 1)
        row.addWidget(self.cancel_button)
        self.progress_row.hide()
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addLayout(head)
        left.addLayout(film, 1)
        left.addWidget(self.progress_row)
        left.addWidget(self.strip)
        left.addWidget(label(KEYS_SHOWN, "quiet"))
        self.side = SidePanel(self.presenter)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 4, 8)
        whole.setSpacing(12)
        whole.addLayout(left, 1)
        whole.addWidget(self.side)

    def _connect(self) -> None:
        self.server.ready.connect(self._picture)
        self.server.thumb.connect(self.side.put_picture)
        self.server.failed.connect(self._problem)
        self.clip_box.activated.connect(self._clip_picked)
        self.lift_box.activated.connect(
            lambda i: self.presenter.set_lift(str(self.lift_box.itemData(i)))
        )
        self.strip.scrubbed.connect(self.presenter.go)
        self.rail.scrubbed.connect(self.presenter.go)
        self.stage.stepped.connect(self.presenter.step)
        self.stage.clicked.connect(self._clicked)
        self.stage.box_changed.connect(self._share_box)
        self.side.picked.connect(self.presenter.choose)
        self.side.answered.connect(self._answer_card)
        self.side.prescribed.connect(self.prescribe)
        self.side.wants_session.connect(
            lambda: self.wants_session.emit(self.presenter.next_session(self.today()))
        )
        self.joints_button.clicked.connect(self.toggle_marking)
        self.analyse_button.clicked.connect(self.analyse)
        self.cancel_button.clicked.connect(self.cancel)

    # --- from the presenter -----------------------------------------------------------

    def _changed(self, what: str) -> None:
        if what == "clip":
            self._show_clip()
        if what in ("clip", "review"):
            self._show_review()
        if what in ("clip", "review", "answers"):
            self.side.rebuild(self.today())
            self.stage.finding = self.presenter.chosen
        if what in ("marks", "frame", "clip", "review"):
            self.stage.marks = self.presenter.marks_here() if self.marking else {}
        self._show_frame()

    def _show_clip(self) -> None:
        s = self.presenter.state
        self.pause()
        self.side.forget_pictures()
        self.clip_box.clear()
        for c in s.clips:
            name = all_lifts()[c.lift].name if c.lift in all_lifts() else c.path.stem
            load = f", {c.load_kg:g} kg" if c.load_kg else ""
            self.clip_box.addItem(f"{c.filmed_on:%-d %b}: {name}{load}", c.id)
        if s.clip is not None:
            self.clip_box.setCurrentIndex([c.id for c in s.clips].index(s.clip.id))
        self.stage.image = QImage()
        self.stage.message = s.problem
        if s.athlete is None:
            self.stage.message = "Nobody is in hand. Press / and type two letters of a name."
        elif s.clip is None:
            self.stage.message = (
                f"No film of {s.athlete.name} yet. Drop a video file here, or press Ctrl+O."
            )
        there = s.clip is not None and s.clip.there
        self.server.open(s.clip.path if there and s.clip else None)
        for w in (self.joints_button, self.analyse_button, self.clip_box, self.lift_box):
            w.setEnabled(there)
        if there and s.review is None and not s.problem:
            self.analyse()

    def _show_review(self) -> None:
        s = self.presenter.state
        self.stage.review = self.strip.review = self.rail.review = s.review
        self.stage.rep = self.strip.rep = self.rail.rep = self.presenter.rep
        self.rail.stature_mm = s.athlete.stature_mm if s.athlete else None
        self.strip.frames = s.frames
        if s.review is None:
            self.facts.setText("")
            return
        self.lift_box.setCurrentIndex(list(all_lifts()).index(s.review.lift.id))
        guessed = "lift guessed · " if s.review.lift_source == "guessed" else ""
        rep = f"rep {s.rep + 1} of {len(s.review.reps)} · " if len(s.review.reps) != 1 else ""
        mm = s.review.calibration.mm_per_px
        # Noise of one frame, and what the scale's error makes of half a metre.
        error = max(np.hypot(s.review.bar.sigma_px * mm, s.review.calibration.scale_error * 500), 1)
        self.facts.setText(
            f"{guessed}{rep}{s.review.info.fps_nominal:.0f} frames/s · "
            f"disc {s.review.calibration.plate_px or 0:.0f} px · bar ± {error:.0f} mm"
        )
        self.facts.setToolTip("\n".join(s.review.warnings))
        self.stage.message = s.problem or (
            "" if s.review.reps else "Nothing is lifted in this clip."
        )
        self.server.want_thumbs([f.at for f in self.presenter.findings])
        self._share_box()

    def _show_frame(self) -> None:
        s = self.presenter.state
        self.stage.frame = self.strip.frame = self.rail.frame = s.frame
        self.stage.caption = self._caption()
        image = self.server.want(s.frame) if s.clip is not None and s.clip.there else None
        if image is not None and not image.isNull():
            self.stage.put(image)
        for w in (self.stage, self.strip, self.rail):
            w.update()

    def _caption(self) -> str:
        s = self.presenter.state
        if s.review is None:
            return ""
        start = self.presenter.rep.span.lift_off if self.presenter.rep else 0
        t = s.review.times_s[s.frame] - s.review.times_s[start]
        event = self.presenter.event_here()
        return " · ".join(x for x in (event, f"{t:+.3f} s", f"frame {s.frame}") if x)

    def _picture(self, number: int, image: QImage) -> None:
        if number == self.presenter.state.frame:
            self.stage.put(image)
            self._share_box()

    def _share_box(self) -> None:
        self.rail.box = self.stage.box()
        self.rail.update()

    def _problem(self, text: str) -> None:
        self.stage.message = text
        self.stage.update()
        self.said.emit(text)

    # --- from the person ------------------------------------------------------------------

    def _clip_picked(self, index: int) -> None:
        self.presenter.open(self.presenter.state.clips[index])

    def open_file(self, path: Path) -> None:
        """Take a dropped or chosen file and analyse it."""
        try:
            known = self.presenter.add_clip(path)
        except (ClipError, ClubError, OSError) as err:
            self._problem(str(err))
            return
        self.presenter.open(known)

    def relink(self, path: Path) -> None:
        """Point the open clip at a moved file."""
        try:
            self.presenter.relink(path)
        except (ClubError, OSError) as err:
            self._problem(str(err))

    def analyse(self) -> None:
        """Analyse the open clip in the background."""
        request, clip = self.presenter.request(), self.presenter.state.clip
        if request is None or clip is None:
            return
        self.cancel()
        job = Job(lambda tell: review_clip(request, tell))
        job.progressed.connect(self._progressed)
        job.done.connect(lambda review, i=clip.id: self._analysed(i, review))
        job.failed.connect(self._failed)
        job.cancelled.connect(lambda: self.said.emit("stopped; nothing was changed"))
        job.ended.connect(lambda j=job: self._ended(j))
        self.job = job
        self.progress_row.show()
        self._progressed("opening", 0.0, -1.0)
        self.jobs.start(job)

    def cancel(self) -> None:
        """Stop the analysis that runs."""
        if self.job is not None:
            self.job.cancel()

    def _progressed(self, stage: str, share: float, left: float) -> None:
        clip = self.presenter.state.clip
        total = self.presenter.state.frames
        count = f", {share * total:.0f} of {total} frames" if total else ""
        wait = f", about {left:.0f} s left" if left >= 0 else ""
        name = clip.path.name if clip is not None else ""
        self.progress_text.setText(f"{name}: {stage}{count}{wait}")
        self.progress.setValue(round(100 * share))

    def _ended(self, job: Job) -> None:
        if self.job is job:
            self.job = None
            self.progress_row.hide()

    def _analysed(self, clip_id: int, review: object) -> None:
        try:
            self.presenter.analysed(clip_id, review)  # type: ignore[arg-type]
        except ClubError as err:
            self._problem(str(err))

    def _failed(self, text: str) -> None:
        """What went wrong is said on the stage; a disc not found asks for a click there."""
        self.presenter.state.problem = text
        self.wants_disc = "disc" in text
        if self.presenter.state.frames == 0:
            self.presenter.state.frames = 1
            self.server.want(0)
        self._problem(text)

    def _clicked(self, x: float, y: float) -> None:
        if self.wants_disc:
            self.wants_disc = False
            self.presenter.click_disc(self.presenter.state.frame, x, y)
            self.analyse()
        elif self.marking:
            self._mark(x, y)
        else:
            self.setFocus()

    def _mark(self, x: float, y: float) -> None:
        assert self.marking is not None
        self.presenter.mark(self.marking, x, y)
        here = MARK_ORDER.index(self.marking)
        self.marking = MARK_ORDER[(here + 1) % len(MARK_ORDER)]
        if here == len(MARK_ORDER) - 1:
            self.presenter.step(JUMP)
        self._say_marking()
        self._changed("marks")

    def toggle_marking(self) -> None:
        """Begin or end marking joints; on ending the clip is analysed with them."""
        if self.presenter.state.review is None:
            return
        if self.marking:
            self.marking = None
            self.stage.marking = False
            self.stage.message = ""
            self.joints_button.setText("Mark joints")
            self.analyse()
        else:
            self.marking = MARK_ORDER[0]
            self.stage.marking = True
            self.joints_button.setText("Done marking")
            self._say_marking()
        self._changed("marks")

    def _say_marking(self) -> None:
        self.stage.message = f"click the {self.marking} (after the toe: 10 frames on; J when done)"

    def _answer_card(self, index: int, word: str) -> None:
        self.presenter.choose(index)
        self.answer(word)

    def answer(self, word: str) -> None:
        """Answer the finding in hand."""
        try:
            self.presenter.answer(word)
        except ClubError as err:
            self.said.emit(str(err))

    def prescribe(self, index: int) -> None:
        """Write a drill into the next session."""
        try:
            day = self.presenter.prescribe(index, self.today())
        except ClubError as err:
            self.said.emit(str(err))
            return
        if day is not None:
            self.said.emit(f"written into {day:%A %-d %B}'s session; Ctrl+Z takes it out")

    # --- playing -----------------------------------------------------------------------------

    def toggle_play(self) -> None:
        """Play or pause."""
        if self._timer.isActive():
            self.pause()
        elif self.presenter.state.frames > 1:
            if self.presenter.state.frame >= self.presenter.state.frames - 1:
                self.presenter.go(0)
            self._timer.start(self._interval())

    def pause(self) -> None:
        """Stop playing."""
        if hasattr(self, "_timer"):
            self._timer.stop()

    def change_speed(self, by: int) -> None:
        """Play slower or faster."""
        self.speed = max(0, min(self.speed + by, len(SPEEDS) - 1))
        if self._timer.isActive():
            self._timer.start(self._interval())
        self.said.emit(f"plays at {SPEEDS[self.speed]:g} of real speed")

    def _interval(self) -> int:
        review = self.presenter.state.review
        fps = review.info.fps_nominal if review is not None else 30.0
        return max(round(1000.0 / (fps * SPEEDS[self.speed])), 8)

    def _tick(self) -> None:
        state = self.presenter.state
        if state.frame >= state.frames - 1:
            self.pause()
        else:
            self.presenter.step(1)

    def toggle(self, what: str) -> None:
        """Toggle "plumb", "whole" or "true_time"."""
        if what == "plumb":
            self.stage.show_plumb = not self.stage.show_plumb
        elif what == "whole":
            self.stage.whole = not self.stage.whole
            self._share_box()
        else:
            self.strip.true_time = not self.strip.true_time
        self._show_frame()

    def show_bare(self, on: bool) -> None:
        """Hide everything drawn on the film while the key is held."""
        self.stage.bare = on
        self.stage.update()

    def close_clip(self) -> None:
        """End the threads."""
        self.pause()
        self.cancel()
        self.server.close()
