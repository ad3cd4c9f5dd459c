"""One finding: its picture, its number against its limit, and the answers."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPixmap
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout

from keenkettle.coach.cautions import fault_caution
from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import CLOSE, Evidence, Finding, show_value
from keenkettle.coach.review import Review
from keenkettle.ui import theme
from keenkettle.ui.film.cut_out import paint_cut_out
from keenkettle.ui.film.gauge import Gauge
from keenkettle.ui.widgets import button, label

THUMB_PX = 84
WEIGHT = {"note": "worth a word", "fix": "calls for a drill", "stop": "stop the set"}
ANSWERS = (
    ("confirmed", "Mend this", "Confirm (Enter)"),
    ("dismissed", "Not so", "Dismiss (Backspace)"),
    ("later", "Later", "Leave open (L)"),
)
OWN_ANSWERS = (ANSWERS[0], ("dismissed", "Take off", "It was not so (Backspace)"))


def how_sure(confidence: float) -> str:
    """Words for the probability that the limit is really crossed."""
    if confidence >= 0.97:
        return "measured clearly"
    return "probably" if confidence >= CLOSE else "close to the limit"


class FindingCard(QFrame):
    """A card; clicking it goes to the frame. ``answered`` carries the answer."""

    picked = pyqtSignal()
    answered = pyqtSignal(str)

    def __init__(self, finding: Finding, review: Review, answer: str, chosen: bool) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setProperty("chosen", chosen)
        self.finding, self.review = finding, review
        fault = all_faults()[finding.fault]
        self.setAccessibleName(finding.says)
        self.setToolTip(f"{fault.sees} {fault.why}")
        self.picture = QLabel()
        self.picture.setFixedSize(THUMB_PX, THUMB_PX)
        self.picture.setStyleSheet("background: #555; border-radius: 4px;")
        head = QHBoxLayout()
        head.addWidget(label(fault.title, "strong"), 1)
        head.addWidget(label(f"frame {finding.at}", "quiet"))
        text = QVBoxLayout()
        text.setSpacing(1)
        text.addLayout(head)
        if finding.evidence:
            self._measured(text, finding.evidence[0])
        else:
            text.addWidget(label(fault.sees, "quiet", wrap=True))
            text.addStretch(1)
        weight = WEIGHT[finding.severity]
        if finding.follows:
            weight = f"follows: {all_faults()[finding.follows].title.lower()}"
        sure = how_sure(finding.confidence) if finding.evidence else "seen by you, not measured"
        status = QHBoxLayout()
        status.addWidget(label(weight, "accent"), 1)
        status.addWidget(label(sure, "quiet"))
        top = QHBoxLayout()
        top.setSpacing(10)
        top.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        top.addLayout(text, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(10, 8, 10, 8)
        outer.setSpacing(5)
        outer.addLayout(top)
        outer.addLayout(status)
        if ruling := fault_caution(finding.fault):
            outer.addWidget(label(ruling, "quiet", wrap=True))
        outer.addLayout(self._answers(answer))

    def _measured(self, column: QVBoxLayout, e: Evidence) -> None:
        """The number, where it lies, and its limit."""
        number = label(show_value(e.value, e.unit))
        number.setFont(theme.big_font(24))
        number.setStyleSheet("font-size: 24px;")
        row = QHBoxLayout()
        row.addWidget(Gauge(e), 1)
        row.addWidget(number)
        word = "up to" if e.relation == "above" else "at least"
        error = show_value(e.sigma, e.unit)
        limits = label(f"± {error}, wants {word} {show_value(e.limit, e.unit)}", "quiet")
        limits.setAlignment(Qt.AlignmentFlag.AlignRight)
        column.addWidget(label(e.label, "quiet"))
        column.addLayout(row)
        column.addWidget(limits)

    def _answers(self, answer: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        for word, text, tip in ANSWERS if self.finding.evidence else OWN_ANSWERS:
            b = button(text + (" ✓" if word == answer else ""), tip=tip)
            b.setCheckable(True)
            b.setChecked(word == answer)
            b.setAccessibleName(f"{text}: {self.finding.says}")
            # The kept value is passed as a default: the loop's variable moves on.
            b.clicked.connect(lambda _on, w=word: self.answered.emit(w))
            row.addWidget(b, 1)
        return row

    def put_picture(self, image: QImage) -> None:
        """Show the frame, cropped and drawn on."""
        size = THUMB_PX * 2
        canvas = QPixmap(size, size)
        p = QPainter(canvas)
        p.setRenderHints(
            QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
        )
        paint_cut_out(p, size, image, self.review, self.finding)
        p.end()
        canvas.setDevicePixelRatio(2.0)
        self.picture.setPixmap(canvas)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit()
