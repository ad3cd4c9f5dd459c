"""Pictures of a film with what is drawn on it, made away from the window: for handing out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QBuffer, QIODevice, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter

from keenkettle.club.look_up import Note
from keenkettle.coach.judge import Finding
from keenkettle.coach.review import RepReview, Review
from keenkettle.files import write_whole
from keenkettle.film.clip import Clip
from keenkettle.film.faces import blur_faces
from keenkettle.film.pose_net import NoNetError, PoseNet
from keenkettle.film.write import write_pictures
from keenkettle.ui import theme
from keenkettle.ui.film import evidence, laid
from keenkettle.ui.film.cut_out import paint_cut_out
from keenkettle.ui.film.key_frames import key_frames, paint_key_frame
from keenkettle.ui.film.view_box import ViewBox
from keenkettle.ui.jobs import Tell

BEFORE_S, AFTER_S = 0.4, 0.6
HEADS_EVERY = 3  # frames between looks for faces; each is kept until the next look
TILE = (300, 420)
CUT_OUT_PX = 440


@dataclass
class Drawing:
    """What is drawn: one rep of a clip with the coach's notes, faces hidden where asked."""

    review: Review
    rep: RepReview
    notes: list[Note]
    blur: bool = False
    finding: Finding | None = None
    laid: set[str] = field(default_factory=set)
    _net: PoseNet | None = field(default=None, repr=False)
    _heads: list[tuple[float, float, float]] = field(default_factory=list)

    def clean(self, rgb: NDArray[np.uint8], frame: int, look: bool = True) -> NDArray[np.uint8]:
        """The picture, faces hidden where asked.

        Raises:
            NoNetError: faces are to be hidden, and neither net nor ear can tell where they are.
        """
        if not self.blur:
            return rgb
        ear = self.review.joints.get("ear")
        spot = None if ear is None else ear.xy_px[frame]
        if look:
            try:
                self._net = self._net or PoseNet()
                self._heads = self._net.heads(rgb)
            except NoNetError as err:
                if spot is None or not np.isfinite(spot).all():
                    raise NoNetError(
                        f"faces cannot be found on this machine, so frame {frame} would show them; "
                        "nothing was written: hand it out without hiding faces, or not at all"
                    ) from err
        return blur_faces(rgb, spot, self.review.calibration.mm_per_px, self._heads)

    def picture(self, rgb: NDArray[np.uint8], frame: int, look: bool = True) -> QImage:
        """The whole frame with path, skeleton, notes and time."""
        image = as_image(self.clean(rgb, frame, look))
        box = ViewBox(QRectF(image.rect()), QRectF(image.rect()))
        p = QPainter(image)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        laid.draw(p, box, self.review, self.rep, frame, self.laid)
        evidence.bar_path(p, box, self.review, self.rep, frame)
        evidence.skeleton(p, box, self.review, frame)
        x, y = self.review.bar.xy_px[frame]
        evidence.dot(p, box.at(float(x), float(y)), evidence.COPPER, 5.0)
        here = [n for n in self.notes if n.first <= frame <= n.last]
        evidence.notes(p, box, here, [], self.review.calibration)
        if self.finding is not None and frame == self.finding.at:
            evidence.finding_lines(p, box, self.review, self.finding, frame, words=True)
        t = self.review.times_s[frame] - self.review.times_s[self.rep.span.lift_off]
        v = float(self.rep.motion.bar_v[frame, 1])
        evidence.tag(p, box.at(8, 8), f"{t:+.3f} s   bar {v:+.2f} m/s up", box.target)
        p.end()
        return image


def as_image(rgb: NDArray[np.uint8]) -> QImage:
    """A picture of shape (height, width, 3) for Qt, with its own memory."""
    whole = np.ascontiguousarray(rgb)
    h, w = whole.shape[:2]
    made = QImage(whole.data, w, h, whole.strides[0], QImage.Format.Format_RGB888)
    return made.convertToFormat(QImage.Format.Format_RGB32)


def as_array(image: QImage) -> NDArray[np.uint8]:
    """The other way: shape (height, width, 3)."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    data = plain.constBits()
    assert data is not None
    flat = np.frombuffer(data.asarray(plain.sizeInBytes()), np.uint8)
    rows = flat.reshape(plain.height(), plain.bytesPerLine())
    return np.array(rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3))


def png_of(image: QImage) -> bytes:
    """A picture as PNG."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data().data())


def write_film(drawing: Drawing, out: Path, tell: Tell) -> None:
    """The rep as a film with lines, at the clip's own times.

    Raises:
        CannotWriteError, ClipError, NoNetError: said in one sentence each.
    """
    review, rep = drawing.review, drawing.rep
    t = review.times_s
    first = int(np.searchsorted(t, t[rep.span.lift_off] - BEFORE_S))
    last = int(np.searchsorted(t, t[rep.span.end] + AFTER_S, side="right")) - 1

    def pictures() -> Iterator[tuple[float, NDArray[np.uint8]]]:
        with Clip(review.info.path) as clip:
            for n, rgb in clip.rgbs(list(range(first, last + 1))):
                tell("writing the film", (n - first) / max(last - first, 1))
                image = drawing.picture(rgb, n, look=(n - first) % HEADS_EVERY == 0)
                yield float(t[n] - t[first]), as_array(image)

    write_pictures(pictures(), out, min(review.info.fps_nominal / review.time_scale, 240.0))


def sheet(drawing: Drawing, tell: Tell) -> QImage:
    """All key frames side by side with their words, times and speeds."""
    keys = key_frames(drawing.rep)
    review, rep = drawing.review, drawing.rep
    w, h = TILE
    made = QImage(w * max(len(keys), 1), h + 56, QImage.Format.Format_RGB32)
    made.fill(theme.colour(theme.CHALK.ground))
    p = QPainter(made)
    p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
    with Clip(review.info.path) as clip:
        shown = dict(clip.rgbs([i for _, i in keys]))
    for k, (word, i) in enumerate(keys):
        tell("drawing the key frames", k / len(keys))
        target = QRectF(k * w + 2, 2, w - 4, h - 4)
        if i in shown:
            image = as_image(drawing.clean(shown[i], i))
            paint_key_frame(p, target, image, review, rep, i)
        t = review.times_s[i] - review.times_s[rep.span.lift_off]
        p.setPen(theme.colour(theme.CHALK.ink))
        p.setFont(theme.text_font(18, strong=True))
        foot = QRectF(k * w + 8, h, w - 16, 26)
        p.drawText(foot, Qt.AlignmentFlag.AlignLeft, word)
        p.setFont(theme.text_font(14))
        v = float(rep.motion.bar_v[i, 1])
        p.drawText(foot.translated(0, 26), Qt.AlignmentFlag.AlignLeft, f"{t:+.3f} s   {v:+.2f} m/s")
    p.end()
    return made


def cut_outs(drawing: Drawing, findings: list[Finding]) -> list[QImage]:
    """Each finding's frame, cut to where it is seen, with the evidence drawn on it.

    Raises:
        ClipError, NoNetError: said in one sentence each.
    """
    made = []
    with Clip(drawing.review.info.path) as clip:
        shown = dict(clip.rgbs(sorted({f.at for f in findings})))
    for f in findings:
        image = QImage(CUT_OUT_PX, CUT_OUT_PX, QImage.Format.Format_RGB32)
        p = QPainter(image)
        p.setRenderHints(
            QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
        )
        whole = as_image(drawing.clean(shown[f.at], f.at))
        paint_cut_out(p, CUT_OUT_PX, whole, drawing.review, f, words=True)
        p.end()
        made.append(image)
    return made


def still(drawing: Drawing, frame: int) -> QImage:
    """One frame with what is drawn on it."""
    with Clip(drawing.review.info.path) as clip:
        return drawing.picture(clip.rgb(frame), frame)


def write_png(image: QImage, out: Path) -> None:
    """Write a picture whole or not at all.

    Raises:
        CannotWriteError: the folder cannot be written.
    """
    write_whole(out, png_of(image))
