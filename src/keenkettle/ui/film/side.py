"""The side of the film bench: findings, what to keep, what was not judged, drills."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
)  # fmt: skip

from keenkettle.coach.cautions import drill_cautions
from keenkettle.coach.faults import all_faults
from keenkettle.coach.remedies import Proposal
from keenkettle.coach.what_if import Gain, can_ask, says, what_if
from keenkettle.measure.segments import STATURE_MM
from keenkettle.ui.film.finding_card import FindingCard
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.widgets import Page, button, card, clear, label, sentence

FIRST_DRILLS = 3
BRINGS_MS = 300


class SidePanel(Page):
    """Rebuilt from the presenter's state whenever that changes."""

    picked = pyqtSignal(int)
    answered = pyqtSignal(int, str)
    prescribed = pyqtSignal(int)
    wants_session = pyqtSignal()
    adds = pyqtSignal()

    def __init__(
        self, presenter: FilmPresenter, jobs: JobRunner, today: Callable[[], date]
    ) -> None:
        super().__init__()
        self.presenter, self.jobs, self.today = presenter, jobs, today
        self.setFixedWidth(392)
        self.cards: list[FindingCard] = []
        self._pictures: dict[int, QImage] = {}
        self._open_unjudged = self._more_drills = False
        self._shown = 0  # the card in hand that was last brought into view
        self._brings = QTimer(self)  # runs while that goes on
        self._brings.setSingleShot(True)
        self._brings.setInterval(BRINGS_MS)
        if bar := self.verticalScrollBar():
            bar.rangeChanged.connect(self._bring_into_view)
        self._gains: dict[tuple[object, ...], list[Gain] | str] = {}  # by what was asked

    def forget_pictures(self) -> None:
        """Another clip is open."""
        self._pictures.clear()
        self._open_unjudged = self._more_drills = False

    def put_picture(self, frame: int, image: QImage) -> None:
        """A picture for the cards of this frame has come."""
        self._pictures[frame] = image
        for c in self.cards:
            if c.finding.at == frame:
                c.put_picture(image)

    def rebuild(self) -> None:
        """Show the state."""
        place = self.verticalScrollBar()
        at = place.value() if place is not None else 0
        clear(self.column)
        self.cards = []
        rep = self.presenter.rep
        if rep is not None:
            self._findings()
            self._what_if()
            self._drills()
        self._filmed()
        if rep is not None:
            self._good()
            self._unjudged()
        self.column.addStretch(1)
        self.body.adjustSize()
        if place is not None:
            place.setValue(at)
        if self.presenter.state.chosen != self._shown:
            self._shown = self.presenter.state.chosen
            self._brings.start()
            self._bring_into_view()

    def _bring_into_view(self) -> None:
        """Scroll to the card in hand; how far that can be is known only as cards are laid out."""
        if self._brings.isActive() and self._shown < len(self.cards):
            self.ensureWidgetVisible(self.cards[self._shown], 0, 8)

    def _heading(self, text: str, aside: str) -> None:
        row = QHBoxLayout()
        row.addWidget(label(text, "title"), 1)
        row.addWidget(label(aside, "quiet"))
        self.column.addLayout(row)

    def _findings(self) -> None:
        s, rep = self.presenter.state, self.presenter.rep
        assert rep is not None and s.review is not None
        found = self.presenter.findings
        measured = len(rep.verdict.findings)
        self._heading("What the film shows", f"{measured} of {rep.verdict.judged} judged stand out")
        if not found:
            words = (
                "Nothing to mend among what could be judged."
                if s.review.joints
                else "Only the bar was measured. Mark joints (J) to judge more."
            )
            column = QVBoxLayout()
            column.addWidget(label(words, wrap=True))
            self.column.addWidget(card(column))
        for i, finding in enumerate(found):
            c = FindingCard(finding, s.review, self.presenter.answer_to(finding), i == s.chosen)
            c.picked.connect(lambda i=i: self.picked.emit(i))
            c.answered.connect(lambda word, i=i: self.answered.emit(i, word))
            if finding.at in self._pictures:
                c.put_picture(self._pictures[finding.at])
            self.cards.append(c)
            self.column.addWidget(c)
        add = button("Add what you see on this frame", "link", "A fault that was not found (Q)")
        add.clicked.connect(self.adds)
        self.column.addWidget(add)

    def _what_if(self) -> None:
        """What mending each finding would give, by the simulated lifter, when asked."""
        s, asked = self.presenter.state, can_ask(self.presenter.findings)
        if not asked or s.review is None or s.athlete is None:
            return
        values = tuple((f.fault, f.evidence[0].value) for f in asked)
        key = (s.review.lift.id, s.athlete.stature_mm, values)
        column = QVBoxLayout()
        answer = self._gains.get(key)
        if answer is None:
            ask = button("What would mending each give?", "link")
            ask.clicked.connect(lambda: self._work_out(key, ask))
            column.addWidget(ask)
        elif isinstance(answer, str):
            column.addWidget(label(answer, "quiet", wrap=True))
        else:
            column.addWidget(label("What mending each would give", "strong"))
            for gain in answer:
                gone = [all_faults()[n].title for n in (gain.fault, *gain.with_it)]
                column.addWidget(label(f"Without: {', '.join(gone).lower()}", wrap=True))
                column.addWidget(label(says(gain), "accent", wrap=True))
            note = "By the simulated lifter in this stature, not a forecast."
            column.addWidget(label(note, "quiet", wrap=True))
        self.column.addWidget(card(column))

    def _work_out(self, key: tuple[object, ...], ask: QPushButton) -> None:
        s, found = self.presenter.state, list(self.presenter.findings)
        if s.review is None or s.athlete is None:
            return
        ask.setEnabled(False)
        ask.setText("Simulating the rep without each …")
        lift, stature = s.review.lift, s.athlete.stature_mm or STATURE_MM

        def take(answer: list[Gain] | str) -> None:
            self._gains[key] = answer
            self.rebuild()

        job = Job(lambda _tell: what_if(lift, stature, found))
        job.done.connect(take)
        job.failed.connect(take)
        self.jobs.start(job)

    def _filmed(self) -> None:
        """What is to be said of the film itself, and how to film better."""
        review = self.presenter.state.review
        if review is None or not review.warnings:
            return
        column = QVBoxLayout()
        column.addWidget(label("About this film", "strong"))
        for text in review.warnings:
            column.addWidget(label(sentence(text), wrap=True))
        self.column.addWidget(card(column))

    def _good(self) -> None:
        rep = self.presenter.rep
        assert rep is not None
        if rep.verdict.good:
            column = QVBoxLayout()
            column.addWidget(label("Keep doing", "held"))
            for text in rep.verdict.good:
                column.addWidget(label(text, wrap=True))
            self.column.addWidget(card(column))

    def _unjudged(self) -> None:
        rep = self.presenter.rep
        assert rep is not None
        left = rep.verdict.not_judged
        if not left:
            return
        column = QVBoxLayout()
        word = "hide" if self._open_unjudged else "show why"
        toggle = button(f"Not judged: {len(left)}, {word}", "link")
        toggle.clicked.connect(self._toggle_unjudged)
        column.addWidget(toggle)
        if self._open_unjudged:
            reasons: dict[str, list[str]] = {}
            for fault, why in left:
                reasons.setdefault(why, []).append(all_faults()[fault].title)
            for why, titles in reasons.items():
                column.addWidget(label(sentence(why), "strong", wrap=True))
                column.addWidget(label(", ".join(titles), "quiet", wrap=True))
        self.column.addWidget(card(column))

    def _toggle_unjudged(self) -> None:
        self._open_unjudged = not self._open_unjudged
        self.rebuild()

    def _drills(self) -> None:
        s = self.presenter.state
        if not any(self.presenter.answer_to(f) == "confirmed" for f in self.presenter.findings):
            return
        day = self.presenter.next_session(self.today())
        when = f"next session {day:%A %-d %b}" if day else ""
        self._heading("Drill for it", when)
        if not s.proposals:
            column = QVBoxLayout()
            column.addWidget(label("No drill fits what this athlete is cleared for.", wrap=True))
            self.column.addWidget(card(column))
        shown = s.proposals if self._more_drills else s.proposals[:FIRST_DRILLS]
        for i, proposal in enumerate(shown):
            self.column.addWidget(self._drill(i, proposal, day))
        hidden = len(s.proposals) - len(shown) + len(s.left_out)
        if hidden and not self._more_drills:
            more = button(f"{hidden} more, with reasons", "link")
            more.clicked.connect(self._show_more)
            self.column.addWidget(more)
        elif self._more_drills:
            for left in s.left_out:
                text = f"Left out: {left.drill.title}: {left.because}"
                self.column.addWidget(label(text, "quiet", wrap=True))

    def _show_more(self) -> None:
        self._more_drills = True
        self.rebuild()

    def _drill(self, index: int, proposal: Proposal, day: date | None) -> QFrame:
        column = QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(label(proposal.drill.title, "strong", wrap=True), 1)
        column.addLayout(head)
        column.addWidget(label(f"{proposal.drill.dose} @ {proposal.load_text}", "accent"))
        column.addWidget(label(proposal.drill.how, wrap=True))
        for care in drill_cautions(proposal.drill.id):
            column.addWidget(label(care, "strong", wrap=True))
        column.addWidget(label(f"“{proposal.cue}”", wrap=True))
        column.addWidget(label(proposal.worked_if, "quiet", wrap=True))
        column.addWidget(label("Why: " + "; ".join(proposal.reasons), "quiet", wrap=True))
        row = QHBoxLayout()
        if proposal.drill.id in self.presenter.state.prescribed:
            done = button("In the session: open it")
            done.clicked.connect(lambda: self.wants_session.emit())
            row.addWidget(done, 1)
        else:
            when = f"{day:%A}'s" if day else "the next"
            put = button(f"Into {when} session", "main", f"Key {index + 1}")
            put.clicked.connect(lambda _on: self.prescribed.emit(index))
            row.addWidget(put, 1)
        column.addLayout(row)
        return card(column)
