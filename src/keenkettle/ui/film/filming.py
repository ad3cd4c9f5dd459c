"""Films from a camera: filmed here and now, or fetched from its card."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QVBoxLayout, QWidget

from keenkettle.film.camera import Device, Picture, devices, film
from keenkettle.ui.film.drawn import as_image
from keenkettle.ui.jobs import Job, JobRunner, Tell
from keenkettle.ui.widgets import button, label, sentence

PICTURE = (640, 360)
LARGE = "min-height: 44px"  # for chalky hands; the theme's own height outranks the button's
LET_GO_S = 5.0  # so long whoever read the camera before may take to let it go
NO_CAMERA = "No camera is connected. Plug one in, then look again."
HOW = (
    "Stand it square to the side of the platform, four to six metres off, at hip height, and see "
    "that the whole lift fits with the disc in view."
)


class FilmingDialog(QDialog):
    """Shows what the camera sees, films, and hands the file on."""

    def __init__(
        self,
        parent: QWidget,
        jobs: JobRunner,
        whose: str,
        name: Callable[[], Path],
        taken: Callable[[Path], None],
    ) -> None:
        """Films under the names that ``name`` gives; ``taken`` is told of each that is done."""
        super().__init__(parent)
        self.setWindowTitle(f"Film {whose}")
        self.jobs, self._name, self._taken = jobs, name, taken
        self._stop, self._free = threading.Event(), threading.Event()
        self._free.set()
        self._out: Path | None = None
        self._began_s = 0.0
        self.choice = QComboBox()
        self.choice.setMinimumHeight(40)
        self.choice.setAccessibleName("Camera")
        self.again = button("Look again", height=40)
        self.again.clicked.connect(self.look_again)
        self.picture = label("")
        self.picture.setFixedSize(*PICTURE)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words = label("", wrap=True)
        self.words.setMinimumHeight(40)
        self.go = button("Film", "main", "Return", 56)
        self.go.setDefault(True)
        self.go.clicked.connect(self._film_or_stop)
        self.go.setStyleSheet(LARGE)
        self.away = button("Put away", tip="Esc", height=56)
        self.away.setStyleSheet(LARGE)
        self.away.clicked.connect(self.close)
        top, foot = QHBoxLayout(), QHBoxLayout()
        top.addWidget(self.choice, 1)
        top.addWidget(self.again)
        foot.addWidget(self.go, 1)
        foot.addWidget(self.away)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 20, 20, 20)
        column.setSpacing(12)
        for part in (top, foot):
            part.setSpacing(12)
        column.addLayout(top)
        column.addWidget(self.picture)
        column.addWidget(self.words)
        column.addLayout(foot)
        self.choice.currentIndexChanged.connect(self._look)
        self.look_again()

    @property
    def filming(self) -> bool:
        """Whether a film is being made now."""
        return self._out is not None

    def look_again(self) -> None:
        """Ask the system which cameras there are."""
        found = devices()
        self.choice.blockSignals(True)
        self.choice.clear()
        for device in found:
            self.choice.addItem(device.name, device)
        self.choice.blockSignals(False)
        self.go.setEnabled(bool(found))
        self.choice.setEnabled(bool(found))
        self.picture.setText("" if found else NO_CAMERA)  # also takes the last picture off
        self._look()
        (self.go if found else self.again).setFocus()

    def _look(self) -> None:
        """Show what the chosen camera sees."""
        self._begin(None)
        self.words.setText(HOW if self.choice.count() else "")

    def _film_or_stop(self) -> None:
        if self.filming:
            self._stop.set()
            return
        try:
            self._begin(self._name())
        except OSError as err:
            self._failed(
                f"the film cannot be kept ({err.strerror}); make room and film again", None
            )
            return
        self._began_s = time.monotonic()
        self.go.setText("Stop and take it in")
        self.choice.setEnabled(False)
        self.again.setEnabled(False)

    def _begin(self, out: Path | None) -> None:
        """Read the camera anew, once whoever reads it now has let it go."""
        device: Device | None = self.choice.currentData()
        self._stop.set()
        stop, free, self._free = threading.Event(), self._free, threading.Event()
        self._stop, self._out, done = stop, out, self._free
        if device is None:
            done.set()
            return

        def work(tell: Tell) -> int:
            free.wait(LET_GO_S)

            def go_on() -> bool:
                tell("filming", 0.0)
                return not stop.is_set()

            try:
                return film(device, out, go_on, job.early.emit)
            finally:
                done.set()

        job = Job(work)
        job.early.connect(self._show)
        job.done.connect(lambda _count: self._ended(out))
        job.failed.connect(lambda text: self._failed(text, out))
        self.jobs.start(job)

    @property
    def seconds_shown(self) -> int:
        """How long the film is so far."""
        return int(time.monotonic() - self._began_s) if self.filming else 0

    def _show(self, picture: Picture) -> None:
        if self.filming:
            self.words.setText(f"Filming, {self.seconds_shown} s. Stop when the bar is down.")
        made = QPixmap.fromImage(as_image(picture))
        self.picture.setPixmap(made.scaled(
            *PICTURE, Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        ))  # fmt: skip

    def _ended(self, out: Path | None) -> None:
        if out is None:
            return
        self._rest()
        self._taken(out)
        if self.isVisible():
            self._look()

    def _failed(self, text: str, out: Path | None) -> None:
        if out == self._out:
            self._rest()
            self.words.setText(sentence(text))

    def _rest(self) -> None:
        self._out = None
        self.go.setText("Film")
        self.choice.setEnabled(True)
        self.again.setEnabled(True)

    def done(self, result: int) -> None:
        """Also with Esc: let the camera go; what was filmed is taken in."""
        self._stop.set()
        super().done(result)
