"""What the coach says to the findings: an answer, a drill for them, one of their own."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from keenkettle.club.store import ClubError
from keenkettle.coach.seen import can_add
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.pick import PickList


class Answering(QObject):
    """``told`` says how it goes."""

    told = pyqtSignal(str)

    def __init__(self, presenter: FilmPresenter, today: Callable[[], date], owner: QWidget) -> None:
        super().__init__()
        self.presenter, self.today, self.owner = presenter, today, owner

    def answer_card(self, index: int, word: str) -> None:
        """Answer the finding of a card."""
        self.presenter.choose(index)
        self.answer(word)

    def answer(self, word: str) -> None:
        """Answer the finding in hand."""
        self._safely(lambda: self.presenter.answer(word))

    def prescribe(self, index: int) -> None:
        """Write a drill into the next session."""
        try:
            day = self.presenter.prescribe(index, self.today())
        except ClubError as err:
            self.told.emit(str(err))
            return
        if day is not None:
            self.told.emit(f"written into {day:%A %-d %B}'s session; Ctrl+Z takes it out")

    def add(self) -> None:
        """Ask for the fault that the coach sees on this frame."""
        s = self.presenter.state
        if s.review is None or self.presenter.rep is None:
            self.told.emit("there is no lift here yet to see a fault in")
            return
        faults = can_add(s.review.lift, self.presenter.findings)
        choices = [(f.title, partial(self.see, f.id)) for f in faults]
        PickList(self.owner, f"What do you see on frame {s.frame}?", choices).open()

    def see(self, fault_id: str) -> None:
        """The coach sees this fault on the frame in view."""
        self._safely(lambda: self.presenter.see(fault_id))

    def _safely(self, act: Callable[[], None]) -> None:
        try:
            act()
        except ClubError as err:
            self.told.emit(str(err))
