"""The session as a place: days, whiteboard text saved as it is typed, the card beside it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keenkettle.club import look_up
from keenkettle.club.commands import History, WriteSession
from keenkettle.club.people import person_of
from keenkettle.club.store import ClubError, Store
from keenkettle.club.tables import Athlete
from keenkettle.coach.cautions import MOST, cautions_for, drill_cautions, lifts_in, who_is
from keenkettle.coach.faults import all_faults
from keenkettle.files import CannotWriteError
from keenkettle.ui.session.card import CardContent, card_image, write_pdf
from keenkettle.ui.widgets import button, label

SAVE_AFTER_MS = 400
CARD_RATIO = 148.0 / 210.0
AROUND_CARD_PX, LEAST_CARD_PX = 130, 280  # room beside the card's own height; least width


class SessionPlace(QWidget):
    """One athlete's sessions."""

    said = pyqtSignal(str)

    def __init__(self, store: Store, history: History, today: Callable[[], date]) -> None:
        super().__init__()
        self.setObjectName("place")
        self.store, self.history, self.today = store, history, today
        self.athlete: Athlete | None = None
        self.day: date | None = None
        self._loading = self._dirty = False
        self._save_timer = QTimer(self)
        self._save_timer.setSingleShot(True)
        self._save_timer.setInterval(SAVE_AFTER_MS)
        self._save_timer.timeout.connect(self.save)
        self._build()

    def _build(self) -> None:
        self.days = QListWidget()
        self.days.setFixedWidth(190)
        self.days.setAccessibleName("Sessions by day")
        self.days.currentItemChanged.connect(self._day_picked)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Session, one line for each exercise")
        self.text.setPlaceholderText("power clean 5x2 @ 55kg")
        self.text.setStyleSheet("font-size: 18px;")
        self.text.textChanged.connect(self._typed)
        self.title = label("", "title")
        self.state = label("", "quiet")
        self.print_button = button("Print card (PDF)", "main", "Ctrl+P", height=40)
        self.print_button.clicked.connect(self.ask_pdf)
        self.preview = QLabel()
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter)
        self.preview.setAccessibleName("Session card")
        self.preview.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
        left = QVBoxLayout()
        left.addWidget(label("Sessions", "title"))
        left.addWidget(self.days, 1)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.state)
        middle = QVBoxLayout()
        middle.addLayout(head)
        middle.addWidget(label("Written as on the whiteboard; every word is saved.", "quiet"))
        middle.addWidget(self.text, 1)
        right = QVBoxLayout()
        right.addWidget(label("The card", "title"))
        right.addWidget(self.preview, 1)
        right.addWidget(self.print_button)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 12)
        whole.setSpacing(20)
        whole.addLayout(left)
        whole.addLayout(middle, 1)
        whole.addLayout(right)

    # --- showing -----------------------------------------------------------------------

    def hold(self, athlete: Athlete | None, day: date | None = None) -> None:
        """Show an athlete's sessions, at this day or the next one."""
        self.save()
        self.athlete = athlete
        self.days.blockSignals(True)
        self.days.clear()
        self.day = None
        if athlete is not None:
            ahead = look_up.next_session_day(self.store, athlete.id, self.today())
            wanted = day or ahead
            listed = sorted({*look_up.session_days(self.store, athlete.id), wanted}, reverse=True)
            for d in listed:
                word = "  next" if d == ahead else ("  today" if d == self.today() else "")
                item = QListWidgetItem(f"{d:%a %-d %b}{word}")
                item.setData(Qt.ItemDataRole.UserRole, d)
                self.days.addItem(item)
                if d == wanted:
                    self.days.setCurrentItem(item)
            self.day = wanted
        self.days.blockSignals(False)
        self._load()

    def _load(self) -> None:
        self._loading = True
        text = ""
        if self.athlete is not None and self.day is not None:
            text = look_up.session_text(self.store, self.athlete.id, self.day)
        self.text.setPlainText(text)
        self.text.setEnabled(self.athlete is not None)
        self._loading = self._dirty = False
        self.state.setText("")
        self._draw()

    def _day_picked(self, item: QListWidgetItem | None, _before: object = None) -> None:
        if item is not None:
            self.save()
            self.day = item.data(Qt.ItemDataRole.UserRole)
            self._load()

    def content(self) -> CardContent | None:
        """What the card says now."""
        if self.athlete is None or self.day is None:
            return None
        lines = tuple(self.text.toPlainText().splitlines())
        drills, ids = [], []
        for p in look_up.prescriptions_of(self.store, self.athlete.id):
            if p.line in lines and all(p.line != d[0] for d in drills):
                fault = all_faults().get(str(p.faults[0])) if p.faults else None
                drills.append((p.line, fault.cue if fault else "", p.worked_if))
                ids.append(p.drill)
        drills.reverse()
        return CardContent(
            look_up.club_name(self.store), self.athlete.name, self.day, lines, tuple(drills),
            self.athlete.caution, self._care(lines, ids),
        )  # fmt: skip

    def _care(self, lines: tuple[str, ...], drills: list[str]) -> tuple[str, ...]:
        """What to be careful of with the lifts and drills that the text names."""
        assert self.athlete is not None
        own = [c for drill in drills for c in drill_cautions(drill)]
        who = who_is(person_of(self.athlete, self.today()))
        lifts = cautions_for(lifts_in("\n".join(lines)), who)
        return tuple(dict.fromkeys([*own, *lifts]))[:MOST]

    def _draw(self) -> None:
        content = self.content()
        self.print_button.setEnabled(content is not None)
        if content is None:
            self.title.setText("Nobody is in hand. Press / and type two letters of a name.")
            self.preview.clear()
            return
        self.title.setText(f"{content.athlete}, {content.day:%A %-d %B}")
        width = round(min(max((self.height() - AROUND_CARD_PX) * CARD_RATIO, LEAST_CARD_PX), 400))
        ratio = self.devicePixelRatioF()
        image = card_image(content, round(width * ratio))
        image.setDevicePixelRatio(ratio)
        self.preview.setPixmap(QPixmap.fromImage(image))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._draw()
        super().resizeEvent(event)

    # --- changing -------------------------------------------------------------------------

    def _typed(self) -> None:
        if not self._loading:
            self._dirty = True
            self.state.setText("saving")
            self._save_timer.start()

    def save(self) -> None:
        """Keep the text if it was typed in; text that others wrote is never overwritten."""
        self._save_timer.stop()
        if not self._dirty or self.athlete is None or self.day is None:
            return
        text = self.text.toPlainText()
        try:
            if text != look_up.session_text(self.store, self.athlete.id, self.day):
                self.history.run(WriteSession(self.athlete.id, self.day, text))
        except ClubError as err:
            self.state.setText("not saved")
            self.said.emit(str(err))
            return
        self._dirty = False
        self.state.setText("saved")
        self._draw()

    def ask_pdf(self) -> None:
        """Ask where to, then write the card."""
        if self.athlete is None or self.day is None:
            return
        name = f"{self.athlete.name} {self.day.isoformat()}.pdf"
        path, _ = QFileDialog.getSaveFileName(
            self, "Print card to", str(Path.home() / name), "PDF (*.pdf)"
        )
        if path:
            self.print_to(Path(path))

    def print_to(self, path: Path) -> bool:
        """Write the card as PDF; says how it went."""
        self.save()
        content = self.content()
        if content is None:
            return False
        try:
            write_pdf(content, path)
        except CannotWriteError as err:
            self.said.emit(str(err))
            return False
        self.said.emit(f"card written to {path}")
        return True
