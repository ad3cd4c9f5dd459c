"""The key frames of a rep as small pictures, drawn on; a click goes there."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QWidget

from keenkettle.coach.review import RepReview, Review
from keenkettle.ui import theme
from keenkettle.ui.film import evidence
from keenkettle.ui.film.graph import HEIGHT_PX
from keenkettle.ui.film.view_box import fit_box, lift_area

#: Events shown, with the word for each.
KEY_EVENTS = {
    "descent_start": "start", "lift_off": "set", "knee_pass": "knee", "power_position": "power",
    "extension": "extension", "peak_height": "peak", "catch": "catch", "dip_start": "stand",
    "dip_bottom": "dip", "drive_end": "drive", "feet_land": "feet down", "lockout": "lockout",
    "bottom": "bottom", "standing": "up", "recovered": "recovered",
}  # fmt: skip


def key_frames(rep: RepReview | None) -> list[tuple[str, int]]:
    """Word and frame of each key frame, in order of time; of those on one frame the last word."""
    if rep is None:
        return []
    found = {rep.events[n]: word for n, word in KEY_EVENTS.items() if rep.events.get(n) is not None}
    return sorted(
        ((word, int(i)) for i, word in found.items() if i is not None), key=lambda k: k[1]
    )


def paint_key_frame(
    p: QPainter, target: QRectF, image: QImage, review: Review, rep: RepReview, frame: int
) -> None:
    """One picture, cut to the lift, with path and skeleton."""
    whole = QRectF(0, 0, review.info.width, review.info.height)
    area = lift_area(review)
    wanted = area.width() * 0.62
    x = float(review.bar.xy_px[frame, 0])
    area = QRectF(x - wanted / 2, area.top(), wanted, area.height())
    box = fit_box(target, whole, area)
    p.save()
    p.setClipRect(target)
    p.drawImage(box.target, image, box.source)
    evidence.bar_path(p, box, review, rep, frame)
    evidence.skeleton(p, box, review, frame)
    p.restore()


class KeyFrames(QWidget):
    """Pictures come in one by one as they are decoded, and are drawn once."""

    picked = pyqtSignal(int)
    wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT_PX)
        self.setAccessibleName("Key frames; click to go there")
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.frame = 0
        self.drawn: dict[int, QPixmap] = {}

    def forget(self) -> None:
        """Another rep, or drawn otherwise: the pictures are asked for anew."""
        self.drawn.clear()
        self.update()

    @property
    def complete(self) -> bool:
        """Whether every picture has come."""
        return all(i in self.drawn for _, i in key_frames(self.rep))

    def put_picture(self, frame: int, image: QImage) -> None:
        """A picture has come."""
        if self.review is None or self.rep is None:
            return
        for _, i, box in self._boxes():
            if i == frame:
                canvas = QPixmap(round(box.width() * 2), round(box.height() * 2))
                p = QPainter(canvas)
                p.setRenderHints(
                    QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
                )
                paint_key_frame(p, QRectF(canvas.rect()), image, self.review, self.rep, i)
                p.end()
                self.drawn[frame] = canvas
                self.update()

    def _boxes(self) -> list[tuple[str, int, QRectF]]:
        keys = key_frames(self.rep)
        w = (self.width() - 4.0 * (len(keys) - 1)) / max(len(keys), 1)
        return [(word, i, QRectF(k * (w + 4.0), 0.5, w, self.height() - 1.0))
                for k, (word, i) in enumerate(keys)]  # fmt: skip

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn = theme.current()
        p = QPainter(self)
        p.setRenderHints(
            QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
        )
        for word, i, box in self._boxes():
            p.fillRect(box, theme.colour(worn.stage))
            if i in self.drawn:
                p.drawPixmap(box, self.drawn[i], QRectF(self.drawn[i].rect()))
            evidence.tag(p, box.topLeft(), word, box)
            if i == self.frame:
                p.setPen(QPen(theme.colour(worn.accent), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(box.adjusted(1, 1, -1, -1))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.forget()
        self.wanted.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for _, i, box in self._boxes():
            if event is not None and box.contains(event.position()):
                self.picked.emit(i)
