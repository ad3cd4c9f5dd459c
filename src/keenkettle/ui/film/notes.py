"""What the coach writes and draws on a clip, and the review for the athlete. Plain Python."""

from __future__ import annotations

from typing import TYPE_CHECKING

from keenkettle.club import look_up
from keenkettle.club.bench_commands import AddNote, RemoveNote, SpanNote, WriteReview
from keenkettle.club.look_up import SHELF, Note
from keenkettle.coach.written import draft
from keenkettle.measure.metrics import phase_bounds

if TYPE_CHECKING:
    from keenkettle.ui.film.presenter import FilmPresenter


class Notes:
    """Belongs to the film's presenter and changes its state."""

    def __init__(self, film: FilmPresenter) -> None:
        self.film = film

    def add(self, kind: str, points: list[tuple[float, float]], text: str = "") -> None:
        """Keep words or a line on this frame."""
        s = self.film.state
        if s.clip is not None:
            self.film.history.run(AddNote(s.clip.id, kind, s.frame, s.frame, points, text))
            self.reread()

    def shelve(self) -> str:
        """Put the frame in view on the shelf, with what is found there; returns its words."""
        s = self.film.state
        if s.clip is None or s.review is None:
            return ""
        at = [f.says for f in self.film.findings if f.at == s.frame]
        words = at[0] if at else "; ".join(n.text for n in self.here() if n.text)
        self.film.history.run(AddNote(s.clip.id, SHELF, s.frame, s.frame, [], words, "shelf"))
        return words or "this frame"

    def remove(self, note: Note) -> None:
        """Take a note off the film."""
        self.film.history.run(RemoveNote(note.id))
        self.reread()

    def reread(self) -> None:
        """Read the notes again."""
        s = self.film.state
        s.notes = [] if s.clip is None else look_up.notes_of(self.film.store, s.clip.id)
        self.film.changed("notes")

    def here(self) -> list[Note]:
        """Notes that belong to this frame."""
        s = self.film.state
        return [n for n in s.notes if n.first <= s.frame <= n.last]

    def change_stay(self) -> str:
        """Let the newest note of this frame stay for its phase, for the lift, or for this frame
        alone again; returns what is so now, empty where there is no note.
        """
        here, rep, frame = self.here(), self.film.rep, self.film.state.frame
        if not here or rep is None:
            return ""
        note = max(here, key=lambda n: n.id)
        stays = [("this frame", (frame, frame))]
        stays += [(name, (a, b)) for name, a, b in phase_bounds(rep.events) if a <= frame <= b][-1:]
        stays.append(("the lift", (rep.span.lift_off, rep.span.end)))
        now = [span for _, span in stays]
        own = (note.first, note.last)
        at = now.index(own) if own in now else 0 if note.first == note.last else -1
        name, (first, last) = stays[(at + 1) % len(stays)]
        self.film.history.run(SpanNote(note.id, first, last))
        self.reread()
        return f"the note stays for {name}, frames {first} to {last}"

    @property
    def written(self) -> str:
        """What stands in the review for the athlete."""
        clip = self.film.state.clip
        return look_up.written_of(self.film.store, clip.id) if clip else ""

    def write(self, clip_id: int, text: str) -> None:
        """Keep the review for the athlete.

        Raises:
            ClubError: it could not be written; nothing has changed.
        """
        if text != look_up.written_of(self.film.store, clip_id):
            self.film.history.run(WriteReview(clip_id, text))

    def draft(self) -> str:
        """The review drafted from what was confirmed and prescribed."""
        s, rep = self.film.state, self.film.rep
        if s.athlete is None or s.clip is None or s.review is None or rep is None:
            return ""
        confirmed = [f for f in self.film.findings if self.film.answer_to(f) == "confirmed"]
        put = [p for p in s.proposals if p.drill.id in s.prescribed]
        return draft(
            s.athlete.name, s.review.lift.name, s.clip.load_kg, s.clip.filmed_on,
            rep.verdict.good, confirmed, put,
        )  # fmt: skip
