"""What the film bench knows and does, without a window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import date
from pathlib import Path

import numpy as np

from keenkettle.club import look_up
from keenkettle.club.bench_commands import AddClips, SetEvent, SetFilmed, ShowDisc, TakeMarks
from keenkettle.club.climbing import keep_said
from keenkettle.club.commands import AnswerFinding, History, Prescribe, SetMark
from keenkettle.club.film_commands import SetFacts
from keenkettle.club.films import keep_review
from keenkettle.club.look_up import ClipCard, Note
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete
from keenkettle.club.tracks import TracksError, unpack
from keenkettle.coach.judge import Finding
from keenkettle.coach.remedies import LeftOut, Proposal, cover, propose
from keenkettle.coach.review import Filmed, RepReview, Request, Review, judge_tracks
from keenkettle.coach.seen import seen_by_coach
from keenkettle.files import hash_file
from keenkettle.film.joints import MarksError, read_marks
from keenkettle.film.looked import Looked
from keenkettle.measure.geometry import FloatArray
from keenkettle.ui.film.notes import Notes

JUMP = 10


@dataclass
class FilmState:
    """All that the film bench shows.

    ``problem`` is a sentence about what went wrong at the stage, empty when nothing did.
    """

    athlete: Athlete | None = None
    clips: list[ClipCard] = field(default_factory=list)
    clip: ClipCard | None = None
    review: Review | None = None
    rep: int = 0
    frame: int = 0
    frames: int = 0
    chosen: int = 0
    answers: dict[tuple[int, str], str] = field(default_factory=dict)
    seen: dict[tuple[int, str], int] = field(default_factory=dict)  # by the coach, on which frame
    proposals: list[Proposal] = field(default_factory=list)
    left_out: list[LeftOut] = field(default_factory=list)
    prescribed: set[str] = field(default_factory=set)
    notes: list[Note] = field(default_factory=list)
    problem: str = ""


class FilmPresenter:
    """Holds the state, calls the core, and tells the view what changed.

    ``changed`` is called with "clip", "review", "frame", "answers", "marks" or "notes".
    """

    def __init__(self, store: Store, history: History, changed: Callable[[str], None]) -> None:
        self.store = store
        self.history = history
        self.changed = changed
        self.state = FilmState()
        self.notes = Notes(self)
        self.laid = {"plumb"}  # of laid.SAYS, over every film
        self._preview: Review | None = None

    # --- choosing -------------------------------------------------------------

    def hold(self, athlete: Athlete | None) -> None:
        """Take an athlete in hand and open the newest clip."""
        self.state = FilmState(athlete=athlete)
        if athlete is not None:
            self.state.clips = look_up.clips_of(self.store, athlete.id)
        self.open(self.state.clips[0] if self.state.clips else None)

    def open(self, card: ClipCard | None) -> None:
        """Open a clip of the athlete; what was analysed before is there at once."""
        s = self.state
        self.state = FilmState(athlete=s.athlete, clips=s.clips, clip=card)
        if card is not None:
            self.state.notes = look_up.notes_of(self.store, card.id)
            self._load(card)
            if not card.there:
                self.state.problem = (
                    f"{card.path.name} is not where it was; use Clip > Find moved file"
                )
        self.changed("clip")

    def _load(self, card: ClipCard) -> None:
        data = look_up.tracks_of(self.store, card.id)
        if data is None:
            return
        try:
            tracked, joints = unpack(data)
        except TracksError as err:
            self.state.problem = str(err)
            return
        request = look_up.request_for(self.store, card.id)
        info = replace(tracked.info, path=card.path)  # the film may have moved since
        self._take(judge_tracks(request, replace(tracked, info=info), joints))

    def _take(self, review: Review) -> None:
        s = self.state
        s.review, s.rep, s.chosen = review, 0, 0
        s.frames = review.info.frames
        s.problem = ""
        if s.clip is not None:
            s.answers = look_up.answers_of(self.store, s.clip.id)
            s.seen = look_up.seen_of(self.store, s.clip.id)
            keep_said(self.store, s.clip.id, review)
        if self.findings:
            s.frame = self.findings[0].at
        elif review.reps:
            s.frame = review.reps[0].span.lift_off
        self._propose()

    # --- analysing ----------------------------------------------------------------

    def add_clips(self, looked: list[Looked]) -> list[ClipCard]:
        """Take files into the athlete's films; none is taken twice, one that was moved is found.

        Raises:
            ClubError: nobody is in hand, or the records cannot be written.
        """
        athlete = self.state.athlete
        if athlete is None:
            raise ClubError("choose an athlete first (key /), then drop the film again")
        known = {c.path: c.id for c in self.state.clips}
        by_hash = {c.sha256: c for c in self.state.clips}
        new, ids = {}, []
        for each in looked:
            path, same = each.path.resolve(), by_hash.get(each.sha256)
            if path in known:
                ids.append(known[path])
            elif same is not None:
                if not same.there:
                    look_up.set_clip(self.store, same.id, path=str(path))
                ids.append(same.id)
            else:
                new[each.sha256] = (path, each.sha256, each.filmed_on)
        if new:
            self.history.run(AddClips(athlete.id, list(new.values()), self.store.clips_folder))
        self.refresh_clips()
        paths = {path for path, _, _ in new.values()}
        return [c for c in self.state.clips if c.path in paths or c.id in ids]

    def refresh_clips(self) -> None:
        """Read the shelf again."""
        s = self.state
        if s.athlete is not None:
            s.clips = look_up.clips_of(self.store, s.athlete.id)
            if s.clip is not None:
                s.clip = next((c for c in s.clips if c.id == s.clip.id), None)

    def request(self) -> Request | None:
        """What a new analysis of the open clip is asked with."""
        card = self.state.clip
        return None if card is None else look_up.request_for(self.store, card.id)

    def analysed(self, clip_id: int, review: Review) -> None:
        """Keep a finished analysis and show it if its clip is still open."""
        keep_review(self.store, clip_id, review)
        self.refresh_clips()
        if self.state.clip is not None and self.state.clip.id == clip_id:
            frame = self.state.frame
            self._take(review)
            if frame:
                self.state.frame = min(frame, review.info.frames - 1)
            self.changed("review")

    def preview(self, clip_id: int, review: Review) -> None:
        """Show what the bar alone says, of its first lift and then of all, while the rest is
        looked for; nothing is kept.
        """
        s = self.state
        if s.clip is None or s.clip.id != clip_id:
            return
        if s.review is not None and s.review is not self._preview:
            return
        if s.review is None:
            s.frame = review.reps[0].span.lift_off if review.reps else 0
        s.review, s.frames, s.problem = review, review.info.frames, ""
        self._preview = review
        self.changed("review")

    def show_disc(self, x: float, y: float, r: float | None = None) -> None:
        """The coach shows where the disc is on this frame, and how large.

        Raises:
            ClubError: it could not be written; nothing has changed.
        """
        card = self.state.clip
        if card is not None:
            self.history.run(ShowDisc(card.id, (self.state.frame, x, y, r)))

    def disc_here(self) -> tuple[float, float, float] | None:
        """The disc's outline as it is followed on this frame: middle and radius, pixels."""
        review, frame = self.state.review, self.state.frame
        if review is None or review.calibration.plate_px is None:
            return None
        x, y = review.bar.xy_px[frame].tolist()
        return (x, y, review.calibration.plate_px / 2.0) if np.isfinite(x) else None

    def relink(self, path: Path) -> None:
        """Point the open clip at a file that was moved.

        Raises:
            ClubError: it is another film; marks and tracks would not fit it.
        """
        card = self.state.clip
        if card is None:
            return
        if hash_file(path) != card.sha256:
            raise ClubError(
                f"{path.name} is another film; choose the moved one, or drop this as a new clip"
            )
        look_up.set_clip(self.store, card.id, path=str(path.resolve()))
        self.refresh_clips()
        self.open(self.state.clip)

    def set_lift(self, lift_id: str) -> None:
        """Say what was lifted; everything after the tracks is judged again."""
        card = self.state.clip
        if card is None:
            return
        look_up.set_clip(self.store, card.id, lift=lift_id, lift_guessed=False)
        self.refresh_clips()
        self._judge_again()

    @property
    def filmed(self) -> Filmed:
        """How the open clip was filmed, as far as the coach said so."""
        card = self.state.clip
        return Filmed() if card is None else look_up.filmed_of(self.store, card.id)

    def set_filmed(self, how: Filmed) -> None:
        """Say how the clip was filmed; everything after the tracks is done again.

        Raises:
            CalibrationError, TrackError: it cannot have been so; nothing is kept.
            ClubError: no film is open, or the records cannot be written.
        """
        card = self.state.clip
        data = None if card is None else look_up.tracks_of(self.store, card.id)
        if card is None:
            raise ClubError("no film is open; open one first")
        if data is not None:
            tracked, joints = unpack(data)
            judge_tracks(
                replace(look_up.request_for(self.store, card.id), **vars(how)), tracked, joints
            )
        self.history.run(SetFilmed(card.id, how))
        if data is not None:
            self._judge_again()

    def set_facts(self, day: date, load_kg: float | None) -> bool:
        """Say when the clip was filmed, and with which load; whether that was anything new.

        Raises:
            ClubError: it could not be written; nothing has changed.
        """
        card = self.state.clip
        if card is None or (day, load_kg) == (card.filmed_on, card.load_kg):
            return False
        self.history.run(SetFacts((card.id,), {"filmed_on": day, "load_kg": load_kg}))
        self.refresh_clips()
        self.changed("clips")
        return True

    def mark(self, joint: str, x: float, y: float) -> None:
        """Mark a joint on this frame; the analysis is out of date until it is run again."""
        card = self.state.clip
        if card is not None:
            self.history.run(SetMark(card.id, joint, self.state.frame, (x, y)))
            self.changed("marks")

    def take_marks(self, path: Path) -> int:
        """Take marks or tracks of the open clip from a CSV file; returns how many.

        Raises:
            MarksError: the file cannot be used.
            ClubError: they cannot be kept.
        """
        card = self.state.clip
        if card is None or self.state.frames == 0:
            raise MarksError(f"{path.name} is not used: no film is open that it could belong to")
        marks = read_marks(path, self.state.frames, bar=True)
        self.history.run(TakeMarks(card.id, marks))
        self.changed("marks")
        return sum(map(len, marks.values()))

    def marks_here(self) -> dict[str, tuple[float, float]]:
        """Joints marked on this frame."""
        card = self.state.clip
        if card is None:
            return {}
        marks = look_up.marks_of(self.store, card.id)
        return {j: at[self.state.frame] for j, at in marks.items() if self.state.frame in at}

    def move_event(self, name: str, frame: int) -> None:
        """Put an event of the rep on a frame, between its neighbours; all after is done anew."""
        card, rep = self.state.clip, self.rep
        at = None if rep is None else rep.events.get(name)
        if card is None or rep is None or at is None:
            return
        others = [i for n, i in rep.events.items() if i is not None and n != name]
        low = max((i for i in others if i < at), default=-1) + 1
        high = min((i for i in others if i > at), default=self.state.frames) - 1
        self.history.run(SetEvent(card.id, rep.number, name, max(low, min(frame, high))))
        self._judge_again()

    def _judge_again(self) -> None:
        """Judge the open clip's tracks again, staying on the frame, the rep and the finding."""
        card, frame, number = self.state.clip, self.state.frame, self.state.rep
        fault = self.chosen.fault if self.chosen is not None else ""
        if card is None:
            return
        self._load(card)
        self.state.frame = frame
        if self.state.review is not None and number < len(self.state.review.reps):
            self.state.rep = number
            left = [i for i, f in enumerate(self.findings) if f.fault == fault]
            self.state.chosen = left[0] if left else 0
            self._propose()
        self.changed("review")

    def near_event(self) -> str:
        """The event of the rep nearest to this frame, empty where there is none."""
        events = self.rep.events if self.rep is not None else {}
        known = [(abs(i - self.state.frame), n) for n, i in events.items() if i is not None]
        return min(known)[1] if known else ""

    @property
    def times_s(self) -> FloatArray:
        """Times of the clip's frames, s; even ones while it is not analysed."""
        review = self.state.review
        if review is not None:
            return review.times_s
        return np.arange(max(self.state.frames, 1)) / 30.0

    # --- stepping -------------------------------------------------------------------

    @property
    def rep(self) -> RepReview | None:
        """The rep in view."""
        r = self.state.review
        return r.reps[self.state.rep] if r is not None and r.reps else None

    def go(self, frame: int) -> None:
        """Go to a frame; past the ends stays at the end."""
        frame = max(0, min(frame, self.state.frames - 1))
        if frame == self.state.frame or self.state.frames == 0:
            return
        self.state.frame = frame
        review = self.state.review
        if review is not None:
            for i, rep in enumerate(review.reps):
                if rep.span.lift_off <= frame <= rep.span.end and i != self.state.rep:
                    self.state.rep, self.state.chosen = i, 0
                    self._propose()
                    self.changed("review")
        self.changed("frame")

    def step(self, by: int) -> None:
        """Step by frames, backward when negative."""
        self.go(self.state.frame + by)

    def next_event(self, direction: int) -> str:
        """Go to the next or last event; returns its name."""
        rep = self.rep
        if rep is None:
            return ""
        at = sorted((i, n) for n, i in rep.events.items() if i is not None)
        here = self.state.frame
        ahead = [e for e in at if e[0] > here] if direction > 0 else [e for e in at if e[0] < here]
        if not ahead:
            return ""
        frame, name = ahead[0] if direction > 0 else ahead[-1]
        self.go(frame)
        return name

    def event_here(self) -> str:
        """The event on this frame, in words."""
        rep = self.rep
        if rep is None:
            return ""
        names = [n for n, i in rep.events.items() if i == self.state.frame]
        return names[0].replace("_", " ") if names else ""

    # --- findings ---------------------------------------------------------------------

    @property
    def findings(self) -> tuple[Finding, ...]:
        """Findings of the rep in view: what was measured, then what the coach saw."""
        rep = self.rep
        if rep is None:
            return ()
        known = {f.fault for f in rep.verdict.findings}
        own = [
            seen_by_coach(fault, frame)
            for (number, fault), frame in self.state.seen.items()
            if number == rep.number and fault not in known
        ]
        return (*rep.verdict.findings, *own)

    def see(self, fault_id: str) -> None:
        """The coach sees a fault on this frame."""
        own = seen_by_coach(fault_id, self.state.frame)
        self.answer("confirmed", own)
        self.state.chosen = next(
            (i for i, f in enumerate(self.findings) if f.fault == fault_id), self.state.chosen
        )
        self.changed("answers")

    @property
    def chosen(self) -> Finding | None:
        """The finding in hand."""
        found = self.findings
        return found[self.state.chosen] if 0 <= self.state.chosen < len(found) else None

    def choose(self, index: int) -> None:
        """Take a finding in hand and go to its frame."""
        if 0 <= index < len(self.findings):
            self.state.chosen = index
            self.state.frame = self.findings[index].at
            self.changed("answers")
            self.changed("frame")

    def next_finding(self, direction: int) -> None:
        """Take the next finding in hand, round and round."""
        if self.findings:
            self.choose((self.state.chosen + direction) % len(self.findings))

    def answer_to(self, finding: Finding) -> str:
        """The coach's answer: open, confirmed, dismissed or later."""
        rep = self.rep
        return self.state.answers.get((rep.number, finding.fault), "open") if rep else "open"

    def answer(self, answer: str, finding: Finding | None = None) -> None:
        """Answer a finding (the one in hand)."""
        target, rep, clip = finding or self.chosen, self.rep, self.state.clip
        if target is None or rep is None or clip is None:
            return
        self.history.run(AnswerFinding(clip.id, rep.number, target, answer))
        self._reread()

    def _reread(self) -> None:
        if self.state.clip is not None:
            self.state.answers = look_up.answers_of(self.store, self.state.clip.id)
            self.state.seen = look_up.seen_of(self.store, self.state.clip.id)
        self._propose()
        self.changed("answers")

    def undo(self) -> str:
        """Undo the last change; returns its name."""
        name = self.history.undo()
        self.look_again()
        return name

    def redo(self) -> str:
        """Do the last undone change again; returns its name."""
        name = self.history.redo()
        self.look_again()
        return name

    def look_again(self) -> None:
        """Something was changed in the records: show what is there now."""
        before = self.state.clip
        self.refresh_clips()
        if before is not None and self.state.clip is None:
            self.open(self.state.clips[0] if self.state.clips else None)
        elif before is not None:
            self.notes.reread()
            if self.state.review is not None:
                self._judge_again()
        self._reread()

    # --- drills ---------------------------------------------------------------------------

    def _propose(self) -> None:
        s, rep = self.state, self.rep
        s.proposals, s.left_out, s.prescribed = [], [], set()
        if s.athlete is None or rep is None or s.review is None:
            return
        confirmed = [f.fault for f in self.findings if self.answer_to(f) == "confirmed"]
        if not confirmed:
            return
        state = look_up.state_of(self.store, s.athlete)
        ranked, s.left_out = propose(confirmed, s.review.lift, state)
        best = cover(ranked)
        s.proposals = best + [p for p in ranked if p not in best]
        made = look_up.prescriptions_of(self.store, s.athlete.id)
        clip = s.clip.id if s.clip else None
        s.prescribed = {p.drill for p in made if p.clip_id == clip}

    def next_session(self, today: date) -> date | None:
        """Day of the athlete's next session."""
        athlete = self.state.athlete
        return None if athlete is None else look_up.next_session_day(self.store, athlete.id, today)

    def prescribe(self, index: int, today: date) -> date | None:
        """Write a proposed drill into the next session; returns its day."""
        s = self.state
        day = self.next_session(today)
        if s.athlete is None or day is None or not 0 <= index < len(s.proposals):
            return None
        clip_id = s.clip.id if s.clip else None
        self.history.run(Prescribe(s.athlete.id, clip_id, s.proposals[index], day))
        self._reread()
        return day
