"""The review for the athlete in words, the notes on the film, and what can be handed out."""

from __future__ import annotations

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QPlainTextEdit, QVBoxLayout, QWidget

from keenkettle.club.store import ClubError
from keenkettle.ui.film.evidence import note_text
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.widgets import button, card, clear, label

SAVE_AFTER_MS = 400
#: What can be written out: key, word on the button, what it is.
EXPORTS = (
    ("film", "Film with lines", "MP4 of the rep with path and skeleton drawn in"),
    ("sheet", "Key-frame sheet", "one PNG with all key frames"),
    ("still", "This frame", "PNG of the frame with what is drawn on it"),
    ("report", "Report", "PDF or HTML: the words, the numbers, the pictures"),
    ("data", "Numbers", "CSV of the tracks or JSON of everything measured"),
)


class WrittenView(QWidget):
    """``exports`` carries what is to be written out. What is typed is kept as it is typed."""

    exports = pyqtSignal(str)
    goes = pyqtSignal(int)
    told = pyqtSignal(str)

    def __init__(self, presenter: FilmPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Review for the athlete")
        self.text.setPlaceholderText(
            "Press “Draft it” and the confirmed findings become a few plain sentences."
        )
        self.text.setTabChangesFocus(True)
        self.text.textChanged.connect(self._typed)
        self._clip_id: int | None = None  # whose words stand there
        self._dirty = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(SAVE_AFTER_MS)
        self._later.timeout.connect(self.keep)
        self.draft_button = button("Draft it", "main", "From the confirmed findings")
        self.draft_button.clicked.connect(self.draft)
        self.blur = QCheckBox("faces made unrecognisable")
        self.blur.setMinimumHeight(32)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 8, 8)
        column.setSpacing(8)
        column.addWidget(label("For the athlete", "title"))
        column.addWidget(self.text, 1)
        column.addWidget(self.draft_button)
        self._notes = QVBoxLayout()
        column.addLayout(self._notes)
        column.addWidget(label("Hand out", "title"))
        grid = QGridLayout()
        grid.setSpacing(6)
        for i, (key, word, tip) in enumerate(EXPORTS):
            b = button(word, tip=tip)
            b.clicked.connect(lambda _on, k=key: self.exports.emit(k))
            grid.addWidget(b, i // 2, i % 2)
        grid.addWidget(self.blur, len(EXPORTS) // 2, 1)
        column.addLayout(grid)

    def show_state(self) -> None:
        """Another clip, or notes have changed."""
        self.keep()
        clip = self.presenter.state.clip
        self._clip_id = None if clip is None else clip.id
        written = self.presenter.notes.written
        if self.text.toPlainText() != written:
            self.text.blockSignals(True)
            self.text.setPlainText(written)
            self.text.blockSignals(False)
        clear(self._notes)
        review = self.presenter.state.review
        if not self.presenter.state.notes or review is None:
            return
        self._notes.addWidget(label("Notes on this film", "strong"))
        for note in self.presenter.state.notes[:6]:
            text = note_text(note, review.calibration)
            go = button(f"frame {note.first}: {text}"[:44], "link", text)
            go.clicked.connect(lambda _on, n=note: self.goes.emit(n.first))
            off = button("take off", "link", f"Take off: {text}")
            off.clicked.connect(lambda _on, n=note: self.presenter.notes.remove(n))
            grid = QGridLayout()
            grid.addWidget(go, 0, 0)
            grid.addWidget(off, 0, 1)
            grid.setColumnStretch(0, 1)
            self._notes.addWidget(card(grid))

    def draft(self) -> None:
        """Put the draft in place of what stands there; undo brings it back."""
        self.text.setPlainText(self.presenter.notes.draft())
        self.keep()

    def _typed(self) -> None:
        self._dirty = True
        self._later.start()

    def keep(self) -> None:
        """Keep what was typed, with the clip that it was typed for."""
        self._later.stop()
        dirty, self._dirty = self._dirty, False
        if dirty and self._clip_id is not None:
            try:
                self.presenter.notes.write(self._clip_id, self.text.toPlainText())
            except ClubError as err:
                self._dirty = True
                self.told.emit(str(err))
