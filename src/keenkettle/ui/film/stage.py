"""The film itself with thin lines over it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from keenkettle.club.look_up import Note
from keenkettle.coach.judge import Finding
from keenkettle.coach.review import RepReview, Review
from keenkettle.measure.geometry import FloatArray
from keenkettle.ui import theme
from keenkettle.ui.film import evidence, laid
from keenkettle.ui.film.evidence import Ghost
from keenkettle.ui.film.view_box import ViewBox, area_like, fit_box, lift_area


class Stage(QWidget):
    """Shows a picture and draws on it. ``clicked`` and the like carry picture coordinates."""

    clicked = pyqtSignal(float, float)
    dragged = pyqtSignal(float, float)
    let_go = pyqtSignal(float, float, bool)  # and whether it was moved
    stepped = pyqtSignal(int)
    box_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Film")
        self.setMinimumSize(320, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.image = QImage()
        self.small: QImage | None = None  # shown until the frame itself is there
        self.review: Review | None = None
        self.rep: RepReview | None = None
        self.finding: Finding | None = None
        self.marks: dict[str, tuple[float, float]] = {}
        self.frame = 0
        self.caption = ""
        self.message = ""
        self.bare = self.whole = self.marking = False
        self.laid: set[str] = set()  # of laid.SAYS
        self.notes: list[Note] = []
        self.pending: list[tuple[float, float]] = []  # clicked so far with a tool
        self.by_hand = False  # those are a line that is being drawn
        self.ring: tuple[float, float, float] | None = None  # of the disc: middle and radius
        self.ghost: Ghost | None = None  # the other clip, laid over this one
        self.usual: tuple[FloatArray, FloatArray] | None = None  # own usual path and its spread
        self.like: Stage | None = None  # shows as much as this one, at its scale
        self.mirrored = False
        self._pressed: QPointF | None = None

    def box(self) -> ViewBox:
        """The present mapping from picture to widget."""
        picture = QRectF(0, 0, max(self.image.width(), 16), max(self.image.height(), 9))
        area = None
        if self.review is not None and self.review.reps and not self.whole:
            picture = QRectF(0, 0, self.review.info.width, self.review.info.height)
            area = lift_area(self.review)
            if self.like is not None and self.like.review is not None and self.rep is not None:
                area = area_like(self.review, self.rep, self.like.review, self.like.box())
        return fit_box(QRectF(self.rect()), picture, area, keep_inside=self.like is None)

    def put(self, image: QImage) -> None:
        """Show another picture."""
        new_size = image.size() != self.image.size()
        self.image, self.small = image, None
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
        if self.mirrored:
            p.translate(self.width(), 0)
            p.scale(-1, 1)
        shown = self.image if self.small is None else self.small
        k, from_ = shown.width() / self.image.width(), box.source
        source = QRectF(k * from_.x(), k * from_.y(), k * from_.width(), k * from_.height())
        p.drawImage(box.target, shown, source)
        if self.ghost is not None and self.review is not None:
            evidence.ghost(p, box, self.ghost)
        if self.usual is not None:
            evidence.band(p, box, *self.usual)
        if not self.bare:
            self._draw_over(p, box)

    def _draw_over(self, p: QPainter, box: ViewBox) -> None:
        p.setClipRect(box.target)
        review, rep = self.review, self.rep
        if review is not None and self.frame < len(review.bar.xy_px):
            if rep is not None:
                laid.draw(p, box, review, rep, self.frame, self.laid)
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
        if review is not None:
            evidence.notes(p, box, self.notes, self.pending, review.calibration, self.by_hand)
        if self.ring is not None:
            evidence.ring(p, box, *self.ring)
        p.resetTransform()
        corner = box.target.topLeft()
        if self.caption:
            evidence.tag(p, corner + QPointF(10, 10), self.caption, box.target)
        if self.message:
            evidence.tag(p, corner + QPointF(10, 40), self.message, box.target)

    def _at(self, event: QMouseEvent) -> tuple[float, float]:
        spot = event.position()
        if self.mirrored:
            spot = QPointF(self.width() - spot.x(), spot.y())
        return self.box().back(spot)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and not self.image.isNull():
            self._pressed = event.position()
            self.clicked.emit(*self._at(event))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._pressed is not None:
            self.dragged.emit(*self._at(event))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._pressed is not None:
            way = event.position() - self._pressed
            self._pressed = None
            self.let_go.emit(*self._at(event), way.manhattanLength() > 3)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.stepped.emit(-1 if event.angleDelta().y() > 0 else 1)

    def resizeEvent(self, event: object) -> None:
        self.box_changed.emit()
