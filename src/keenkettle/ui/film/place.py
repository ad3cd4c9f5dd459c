"""The film bench as a place: stage, height rail, strip, side; keys and long work."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from keenkettle.club.commands import History
from keenkettle.club.store import ClubError, Store
from keenkettle.coach.front import is_front
from keenkettle.coach.lifts import all_lifts
from keenkettle.film.joints import MarksError
from keenkettle.ui.film import laid
from keenkettle.ui.film.answering import Answering
from keenkettle.ui.film.clip_box import ClipBox
from keenkettle.ui.film.compare_view import CompareView
from keenkettle.ui.film.frames import FrameServer
from keenkettle.ui.film.handing_out import HandingOut
from keenkettle.ui.film.how_filmed import HowFilmed
from keenkettle.ui.film.key_frames import key_frames
from keenkettle.ui.film.over_time import OverTime
from keenkettle.ui.film.player import Player
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.film.queue import Queue
from keenkettle.ui.film.rail import HeightRail
from keenkettle.ui.film.set_view import SetView
from keenkettle.ui.film.shelf import PICTURES, Shelf
from keenkettle.ui.film.side import SidePanel
from keenkettle.ui.film.sides import Sides
from keenkettle.ui.film.stage import Stage
from keenkettle.ui.film.strip import ElasticStrip
from keenkettle.ui.film.taking_in import TakingIn
from keenkettle.ui.film.tools import DISC, ORDERS, StageTools
from keenkettle.ui.film.written_view import WrittenView
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.widgets import ShortButton, ShortCombo, button, label

FILMED_TIP = "How it was filmed: disc, rate, facing (H)"
LIFT_BOX_PX = 120, 290, 64  # least and most width; what its frame takes of it


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
        self._looked_with: dict[int, tuple[object, ...]] = {}  # by clip, since the start
        self.stage, self.rail, self.strip = Stage(), HeightRail(), ElasticStrip()
        self.stage.laid = self.presenter.laid
        self.tools = StageTools(self.presenter, self.stage)
        self.player = Player(self.presenter, self._phase)
        self.taking = TakingIn(self.presenter, self.jobs)
        self.out = HandingOut(self.presenter, jobs, self)
        self.answering = Answering(self.presenter, today, self)
        self.queue = Queue(store, jobs)
        self.comparing = CompareView(self.presenter, self.stage, jobs, store.folder / "models")
        self._build()
        self._connect()

    # --- building -----------------------------------------------------------------

    def _build(self) -> None:
        self.clip_box = ClipBox()
        self.lift_box = ShortCombo()
        self.lift_box.setAccessibleName("Lift")
        for lift in all_lifts().values():
            self.lift_box.addItem(lift.name, lift.id)
        self.facts = ShortButton()
        self.how = HowFilmed(self.presenter, self)
        self.joints_button = button("Mark joints", tip="Mark joints by clicking (J)")
        self.compare_button = button("Compare", tip="With another clip or rep, or the model (K)")
        head = QHBoxLayout()
        head.setSpacing(8)
        for w in (self.clip_box, self.lift_box):
            head.addWidget(w)
        head.addWidget(self.facts, 1)
        head.addWidget(self.joints_button)
        head.addWidget(self.compare_button)
        film = QHBoxLayout()
        film.setSpacing(8)
        film.addWidget(self.stage, 1)
        film.addWidget(self.comparing.second, 1)
        film.addWidget(self.rail)
        self.shelf = Shelf(self.player)
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
        left.addWidget(self.comparing)
        left.addLayout(film, 1)
        left.addWidget(self.progress_row)
        left.addWidget(self.strip)
        left.addWidget(self.shelf)
        self.side = SidePanel(self.presenter, self.jobs, self.today)
        self.words, self.over_time = WrittenView(self.presenter), OverTime(self.presenter)
        self.set_view = SetView(self.presenter)
        self.sides = Sides(
            (self.side, self.words, self.over_time, self.set_view, self.comparing.list)
        )
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 4, 8)
        whole.setSpacing(12)
        whole.addLayout(left, 1)
        whole.addWidget(self.sides)

    def _connect(self) -> None:
        self.server.ready.connect(self._picture)
        self.server.thumb.connect(self.side.put_picture)
        self.server.failed.connect(self._problem)
        self.clip_box.activated.connect(self._clip_picked)
        self.lift_box.activated.connect(
            lambda i: self.presenter.set_lift(str(self.lift_box.itemData(i)))
        )
        self.server.thumb.connect(self.shelf.keys.put_picture)
        for w in (self.strip, self.rail, self.shelf.graph):
            w.scrubbed.connect(self.presenter.go)
        self.strip.moved.connect(self._move_event)
        self.shelf.keys.picked.connect(self.presenter.go)
        self.shelf.pictures_wanted.connect(self._want_pictures)
        self.stage.stepped.connect(self.presenter.step)
        self.stage.box_changed.connect(self._share_box)
        self.tools.told.connect(self.said)
        self.tools.again.connect(self.analyse)
        self.tools.changed.connect(lambda: self._changed("marks"))
        self.player.told.connect(self.said)
        self.out.told.connect(self.said)
        self.taking.told.connect(self.said)
        self.taking.problem.connect(self._problem)
        self.taking.many.connect(self.queue.fill)
        self.words.exports.connect(self.hand_out)
        self.words.goes.connect(self.presenter.go)
        self.words.told.connect(self.said)
        self.over_time.opens.connect(self._open_id)
        self.comparing.said.connect(self.said)
        self.queue.told.connect(self.said)
        self.queue.kept.connect(self._in_background)
        self.comparing.changed.connect(self._compared)
        self.sides.stack.currentChanged.connect(lambda _i: self._show_side())
        self.side.picked.connect(self.presenter.choose)
        self.side.answered.connect(self.answering.answer_card)
        self.side.prescribed.connect(self.answering.prescribe)
        self.side.adds.connect(self.answering.add)
        self.answering.told.connect(self.said)
        self.side.wants_session.connect(
            lambda: self.wants_session.emit(self.presenter.next_session(self.today()))
        )
        self.facts.clicked.connect(self.ask_filmed)
        self.how.told.connect(self.said)
        self.how.again.connect(self.analyse)
        self.how.measures.connect(lambda: self.tools.take("length"))
        self.how.plumbs.connect(lambda: self.tools.take("upright"))
        self.joints_button.clicked.connect(self.tools.mark_or_done)
        self.compare_button.clicked.connect(self.comparing.toggle)
        self.cancel_button.clicked.connect(self.cancel)

    # --- from the presenter -----------------------------------------------------------

    def _changed(self, what: str) -> None:
        if what == "clips":
            self._list_clips()
            return
        if what == "clip":
            self._show_clip()
        if what in ("clip", "review"):
            self._show_review()
        if what in ("clip", "review"):
            review = self.presenter.state.review
            self.sides.offer("Set", review is not None and len(review.reps) > 1)
        if what in ("clip", "review", "answers"):
            self.side.rebuild()
            self.stage.finding = self.presenter.chosen
        if what in ("clip", "review", "answers", "notes"):
            self._show_side()
        if what == "frame":
            self.tools.frame_changed()
        if what in ("marks", "frame", "clip", "review"):
            marking = self.tools.tool in ORDERS
            self.stage.marking = marking
            self.stage.marks = self.presenter.marks_here() if marking else {}
            self.joints_button.setText("Done marking" if marking else "Mark joints")
        self._show_frame()

    def _show_side(self) -> None:
        """Only the page in view is filled; the others when they are turned to."""
        if self.sides.name == "Words":
            self.words.show_state()
        elif self.sides.name == "Over time":
            self.over_time.show_state()
        elif self.sides.name == "Set":
            self.set_view.show_state()

    def _list_clips(self) -> None:
        self.clip_box.show_clips(self.presenter.state.clips, self.presenter.state.clip)

    def _in_background(self, clip_id: int) -> None:
        """The queue has analysed a film; it may be the one in view."""
        self.presenter.refresh_clips()
        here = self.presenter.state.clip
        if here is not None and here.id == clip_id and self.presenter.state.review is None:
            self.presenter.open(here)
        else:
            self._list_clips()

    def _show_clip(self) -> None:
        s = self.presenter.state
        self.player.pause()
        self.tools.put_down()
        if self.comparing.on:
            self.comparing.end()
        self.side.forget_pictures()
        self.shelf.keys.forget()
        self._list_clips()
        self.stage.image, self.stage.small = QImage(), None
        self.stage.message = s.problem
        if s.athlete is None:
            self.stage.message = "Nobody is in hand. Press / and type two letters of a name."
        elif s.clip is None:
            self.stage.message = (
                f"No film of {s.athlete.name} yet. Drop a video file here, or press Ctrl+O."
            )
        there = s.clip is not None and s.clip.there
        if there and s.clip is not None:
            self.server.open(s.clip.path, s.clip.ends)
        else:
            self.server.open(None)
        for w in (self.joints_button, self.compare_button, self.lift_box):
            w.setEnabled(there)
        self.clip_box.setEnabled(bool(s.clips))
        self._name_lift(s.clip.lift or "" if s.clip is not None else "")
        waits = s.clip is not None and s.clip.id in self.queue.running
        if there and s.review is None and not s.problem and not waits:
            self.analyse()

    def _name_lift(self, lift_id: str) -> None:
        """The film's lift in its box, as wide as it needs; blank where none is said or guessed."""
        at = list(all_lifts()).index(lift_id) if lift_id in all_lifts() else -1
        self.lift_box.setCurrentIndex(at)
        own = self.lift_box.fontMetrics().horizontalAdvance(self.lift_box.currentText())
        least, most, frame = LIFT_BOX_PX
        self.lift_box.setFixedWidth(min(max(own + frame, least), most))

    def _show_review(self) -> None:
        s = self.presenter.state
        self.shelf.keys.forget()
        for w in (self.stage, self.strip, self.rail, self.shelf.graph, self.shelf.keys):
            w.review, w.rep = s.review, self.presenter.rep
        self.rail.stature_mm = s.athlete.stature_mm if s.athlete else None
        self.strip.frames = self.shelf.graph.frames = s.frames
        if s.review is None:
            self.facts.say("")
            return
        self._name_lift(s.review.lift.id)
        guessed = "lift guessed · " if s.review.lift_source == "guessed" else ""
        mm = s.review.calibration.mm_per_px
        # Noise of one frame, and what the scale's error makes of half a metre.
        error = max(np.hypot(s.review.bar.sigma_px * mm, s.review.calibration.scale_error * 500), 1)
        cal = s.review.calibration
        on = f"disc {cal.plate_mm / 10:g} cm" if cal.plate_px else "a known length"
        fps = s.review.info.fps_nominal / (s.review.time_scale or 1.0)
        how = f"{on} · bar ± {error:.0f} mm"
        if is_front(s.review.joints):
            how = "from the front · sized by stature"
        self.facts.say(f"{guessed}{fps:.0f} fps · {how}")
        self.facts.setToolTip("\n".join([self.facts.whole, FILMED_TIP, *s.review.warnings]))
        self.stage.message = s.problem or (
            "" if s.review.reps else "Nothing is lifted in this clip."
        )
        self._want_pictures()
        self._share_box()

    def _show_frame(self) -> None:
        s = self.presenter.state
        for view in (self.stage, self.strip, self.rail, self.shelf.graph, self.shelf.keys):
            view.frame = s.frame
        self.stage.notes = self.presenter.notes.here()
        self.strip.flags = [(n.first, n.last) for n in s.notes]
        self.stage.caption = self._caption()
        image = self.server.want(s.frame) if s.clip is not None and s.clip.there else None
        if image is not None and not image.isNull():
            self.stage.put(image)
        elif image is None and s.clip is not None:
            self.stage.small = self.server.small(s.frame) or self.stage.small
        for w in (self.stage, self.strip, self.rail, self.shelf.graph, self.shelf.keys):
            w.update()
        self.comparing.refresh()

    def _want_pictures(self) -> None:
        """Pictures of the findings, and of the key frames while those are shown."""
        wanted = [f.at for f in self.presenter.findings]
        if self.shelf.name == PICTURES:
            wanted += [i for _, i in key_frames(self.presenter.rep)]
        self.server.want_thumbs(wanted)

    def _phase(self) -> tuple[int, int]:
        """First and last frame of the phase in view."""
        frame = self.presenter.state.frame
        inside = [c for c in self.strip.cells() if c.first <= frame <= c.last]
        return (inside[-1].first, inside[-1].last) if inside else (0, frame)

    def _compared(self) -> None:
        """Something else is compared, or nothing any more."""
        made = self.comparing.comparison
        self.compare_button.setText("One film" if self.comparing.on else "Compare")
        self.sides.offer_differences(self.comparing.on)
        self.rail.setVisible(
            not (self.comparing.on and made is not None and not self.comparing.over)
        )
        self.shelf.graph.other = None
        if made is not None:
            self.shelf.graph.other = (made.second.rep.motion, made.first_frames())
        self.comparing.second.setVisible(
            self.comparing.on and made is not None and not self.comparing.over
        )
        self._show_frame()

    def _caption(self) -> str:
        s = self.presenter.state
        if s.review is None:
            return ""
        start = self.presenter.rep.span.lift_off if self.presenter.rep else 0
        t = s.review.times_s[s.frame] - s.review.times_s[start]
        event = self.presenter.event_here()
        several = len(s.review.reps) > 1
        rep = f"rep {s.rep + 1} of {len(s.review.reps)}" if several else ""
        return " · ".join(x for x in (rep, event, f"{t:+.3f} s", f"frame {s.frame}") if x)

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

    def relink(self, path: Path) -> None:
        """Point the open clip at a moved file."""
        try:
            self.presenter.relink(path)
        except (ClubError, OSError) as err:
            self._problem(str(err))

    def shelve(self) -> None:
        """The frame in view goes on the shelf."""
        try:
            words = self.presenter.notes.shelve()
        except ClubError as err:
            self.said.emit(str(err))
            return
        nothing = "there is nothing to put on the shelf: open an analysed film"
        self.said.emit(f"on the shelf: {words} (Ctrl+L shows it)" if words else nothing)

    def take_marks(self, path: Path) -> None:
        """Marks or tracks from a file, and the analysis with them."""
        try:
            count = self.presenter.take_marks(path)
        except (MarksError, ClubError) as err:
            self.said.emit(str(err))
            return
        self.said.emit(f"{count} marks taken in (Ctrl+Z takes them out)")
        self.analyse()

    def analyse(self) -> None:
        """Analyse the open clip in the background."""
        request, clip = self.presenter.request(), self.presenter.state.clip
        if request is None or clip is None:
            return
        self.cancel()
        self._looked_with[clip.id] = request.looks_with
        job = Job(lambda tell: self.jobs.reviewers.review(request, tell, job.early.emit))
        job.early.connect(lambda review, i=clip.id: self.presenter.preview(i, review))
        job.progressed.connect(self._progressed)
        job.done.connect(lambda review, i=clip.id: self._analysed(i, review))
        job.failed.connect(self._failed)
        job.cancelled.connect(lambda j=job: self._stopped(j))
        job.ended.connect(lambda j=job: self._ended(j))
        self.job = job
        self.progress_row.show()
        self._progressed("opening", 0.0, -1.0)
        self.jobs.start(job)

    def follow_history(self) -> None:
        """What was analysed with a mark that is undone, or done again, is analysed anew."""
        request, clip = self.presenter.request(), self.presenter.state.clip
        if request is None or clip is None or self.tools.tool in ORDERS:
            return
        if self._looked_with.get(clip.id, request.looks_with) != request.looks_with:
            self.analyse()

    def put_down(self) -> None:
        """Put the tool in hand down; without one, stop what runs."""
        if self.tools.put_down():
            self._changed("marks")
        elif not self.taking.cancel():
            self.cancel()

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

    def _stopped(self, job: Job) -> None:
        if self.job is job:  # and not one that a newer one has taken the place of
            self.said.emit("stopped; nothing was changed")

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
        if "disc" in text and self.tools.tool != DISC:
            self.tools.take(DISC)
        if self.presenter.state.frames == 0:
            self.presenter.state.frames = 1
            self.server.want(0)
        self._problem(text)

    def _move_event(self, name: str, frame: int) -> None:
        try:
            self.presenter.move_event(name, frame)
        except ClubError as err:
            self.said.emit(str(err))
            return
        self.said.emit(f"{name.replace('_', ' ')} moved; all after it is measured anew (Ctrl+Z)")

    def move_nearest_event(self) -> None:
        """Put the event nearest to this frame on it."""
        name = self.presenter.near_event()
        if name:
            self._move_event(name, self.presenter.state.frame)

    def _open_id(self, clip_id: int) -> None:
        for card in self.presenter.state.clips:
            if card.id == clip_id:
                self.presenter.open(card)
                return

    def hand_out(self, kind: str) -> None:
        """Ask where to write one of the things that can be handed out."""
        self.out.ask(kind, self.words.blur.isChecked())

    def ask_filmed(self) -> None:
        """Ask how the clip was filmed."""
        if self.presenter.state.review is not None:
            self.how.ask(self.facts)

    def toggle(self, what: str) -> None:
        """Toggle one of laid.SAYS, "whole" or "true_time"."""
        if what in laid.SAYS:
            self.presenter.laid ^= {what}
            name, says = laid.SAYS[what]
            self.said.emit(f"{name}: {says if what in self.presenter.laid else 'off'}")
        elif what == "whole":
            self.stage.whole = not self.stage.whole
            self._share_box()
        else:
            self.strip.true_time = self.shelf.graph.true_time = not self.strip.true_time
        self._show_frame()

    def change_stay(self) -> None:
        """Let the note of this frame stay for longer, or for the frame alone again."""
        try:
            self.said.emit(self.presenter.notes.change_stay() or "no note stands on this frame")
        except ClubError as err:
            self.said.emit(str(err))

    def show_bare(self, on: bool) -> None:
        """Hide everything drawn on the film while the key is held."""
        self.stage.bare = on
        self.stage.update()

    def state_of(self, clip_id: int) -> str:
        """What is known of a film that is not analysed yet, empty where nothing."""
        here = self.presenter.state.clip
        if self.job is not None and here is not None and here.id == clip_id:
            return f"being analysed, {self.progress.value()} %"
        return self.queue.state_of(clip_id)

    def let_go_of(self, clip_ids: tuple[int, ...]) -> None:
        """These films are in the records no more: none of them is analysed on."""
        here = self.presenter.state.clip
        if here is not None and here.id in clip_ids:
            self.cancel()
        self.queue.drop(clip_ids)

    def let_go(self) -> None:
        """Nobody is in hand: no film is open, and none is being analysed."""
        self.words.keep()
        self.taking.cancel()
        self.cancel()
        self.queue.stop()
        self.presenter.hold(None)

    def close_clip(self) -> None:
        """End the threads."""
        self.words.keep()
        self.player.pause()
        self.cancel()
        self.server.close()
        self.comparing.close_clip()
