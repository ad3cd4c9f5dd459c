"""The film itself with thin lines over it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from keenkettle.coach.judge import Finding
from keenkettle.coach.review import RepReview, Review
from keenkettle.ui import theme
from keenkettle.ui.film import evidence
from keenkettle.ui.film.view_box import ViewBox, fit_box, lift_area


class Stage(QWidget):
    """Shows a picture and draws on it. ``clicked`` carries picture coordinates."""

    clicked = pyqtSignal(float, float)
    stepped = pyqtSignal(int)
    box_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Film")
        self.setMinimumSize(320, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.image = QImage()
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.finding: Finding | None = None
        self.marks: dict[str, tuple[float, float]] = {}
        self.frame = 0
        self.caption = ""
        self.message = ""
        self.bare = self.whole = self.marking = False
        self.show_plumb = True

    def box(self) -> ViewBox:
        """The present mapping from picture to widget."""
        picture = QRectF(0, 0, max(self.image.width(), 16), max(self.image.height(), 9))
        area = None
        if self.review is not None and self.review.reps and not self.whole:
            picture = QRectF(0, 0, self.review.info.width, self.review.info.height)
            area = lift_area(self.review)
        return fit_box(QRectF(self.rect()), picture, area)

    def put(self, image: QImage) -> None:
        """Show another picture."""
        new_size = image.size() != self.image.size()
        self.image = image
        if new_size:
            self.box_changed.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        worn = theme.current()
        p = QPainter(self)
        p.setRenderHints(
            QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
        )
        p.fillRect(self.rect(), theme.colour(worn.stage))
        if self.image.isNull():
            p.setPen(theme.colour("#F0EBE1"))
            p.setFont(theme.text_font(18))
            where = QRectF(self.rect()).adjusted(32, 20, -32, -20)
            wrap = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            p.drawText(where, int(wrap), self.message)
            return
        box = self.box()
        p.drawImage(box.target, self.image, box.source)
        if not self.bare:
            self._draw_over(p, box)

    def _draw_over(self, p: QPainter, box: ViewBox) -> None:
        p.setClipRect(box.target)
        review, rep = self.review, self.rep
        if review is not None and self.frame < len(review.bar.xy_px):
            if rep is not None:
                if self.show_plumb:
                    evidence.plumb(p, box, review, rep)
                evidence.bar_path(p, box, review, rep, self.frame)
            evidence.skeleton(p, box, review, self.frame)
            x, y = review.bar.xy_px[self.frame]
            hidden = review.bar.quality[self.frame] < 0.5
            evidence.dot(
                p,
                box.at(float(x), float(y)),
                theme.colour("#777777") if hidden else evidence.COPPER,
                5.0,
            )
            if self.finding is not None and self.frame == self.finding.at:
                evidence.finding_lines(p, box, review, self.finding, self.frame, words=True)
        for name, (x, y) in self.marks.items() if self.marking else ():
            spot = box.at(x, y)
            evidence.dot(p, spot, theme.colour("#63C5D2"), 5.0)
            evidence.tag(p, spot + QPointF(10, -12), name, box.target)
        corner = box.target.topLeft()
        if self.caption:
            evidence.tag(p, corner + QPointF(10, 10), self.caption, box.target)
        if self.message:
            evidence.tag(p, corner + QPointF(10, 40), self.message, box.target)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and not self.image.isNull():
            x, y = self.box().back(event.position())
            self.clicked.emit(x, y)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.stepped.emit(-1 if event.angleDelta().y() > 0 else 1)

    def resizeEvent(self, event: object) -> None:
        self.box_changed.emit()
