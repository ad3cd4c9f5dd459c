"""How a clip was filmed, as the coach says it where the program cannot know or is wrong."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from keenkettle.club.store import ClubError
from keenkettle.coach.review import Filmed
from keenkettle.ui.film.presenter import FilmPresenter
from keenkettle.ui.typed import load_kg, number
from keenkettle.ui.widgets import DayField, button, label

DISCS_CM = (45.0, 40.0, 35.0, 32.5, 28.0, 23.0)
VIEWS = (("as the film shows", None), ("the side", "side"), ("the front or behind", "front"))
FACINGS = (("as the film shows", None), ("right", "right"), ("left", "left"))


class HowFilmed(QFrame):
    """A small page below its button. ``measures`` asks for two clicks on a known length, ``plumbs``
    for two on something upright.
    """

    told = pyqtSignal(str)
    measures = pyqtSignal()
    plumbs = pyqtSignal()
    again = pyqtSignal()  # the film itself is to be looked at again

    def __init__(self, presenter: FilmPresenter, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.presenter = presenter
        self.day = DayField()
        self.day.setAccessibleName("Day of filming")
        self.load = QLineEdit()
        self.load.setPlaceholderText("kg on the bar")
        self.load.setAccessibleName("Load on the bar, kg")
        self.disc = QComboBox()
        self.disc.setEditable(True)
        self.disc.addItems([f"{d:g}" for d in DISCS_CM])
        self.disc.setAccessibleName("Diameter of the disc, cm")
        self.rate = QLineEdit()
        self.rate.setPlaceholderText("as the file says")
        self.rate.setAccessibleName("Frames a second when it was filmed")
        self.camera = QLineEdit()
        self.camera.setPlaceholderText("not known")
        self.camera.setAccessibleName("Camera to the bar, metres")
        self.facing = QComboBox()
        for word, value in FACINGS:
            self.facing.addItem(word, value)
        self.facing.setAccessibleName("Which way the athlete faces")
        self.view = QComboBox()
        for word, value in VIEWS:
            self.view.addItem(word, value)
        self.view.setAccessibleName("Filmed from where")
        self.hands = QLineEdit()
        self.hands.setPlaceholderText("LLLRRR, one-arm")
        self.hands.setAccessibleName("Hand of each rep, L or R")
        self.dots = QCheckBox("the joints carry tape dots")
        self.length = label("", "quiet", wrap=True)
        two = button("Click a known length instead", tip="Both ends, then how long it is")
        two.clicked.connect(self._measure)
        self.plumb = label("", "quiet", wrap=True)
        upright = button("Click something upright", tip="Both ends of a door frame or a rack")
        upright.clicked.connect(self._plumb)
        self.own_plumb = QCheckBox("plumb by what was clicked")
        keep = button("Keep, and measure again", "main", height=40)
        keep.clicked.connect(self.keep)
        when = QHBoxLayout()
        when.addWidget(self.day)
        when.addWidget(self.load)
        form = QFormLayout()
        form.addRow("Filmed on, with", when)
        form.addRow("Disc, cm across", self.disc)
        form.addRow("Frames a second, truly", self.rate)
        form.addRow("Camera to the bar, m", self.camera)
        form.addRow("Faces", self.facing)
        form.addRow("Filmed from", self.view)
        form.addRow("Hand, rep by rep", self.hands)
        form.addRow(self.dots)
        column = QVBoxLayout(self)
        column.addWidget(label("How it was filmed", "title"))
        column.addLayout(form)
        column.addWidget(self.length)
        column.addWidget(two)
        column.addWidget(self.plumb)
        column.addWidget(upright)
        column.addWidget(self.own_plumb)
        column.addWidget(keep)
        for field in (self.load, self.rate, self.camera, self.hands):
            field.returnPressed.connect(self.keep)

    def ask(self, below: QWidget) -> None:
        """Show what is set for the clip in view."""
        how, clip = self.presenter.filmed, self.presenter.state.clip
        if clip is not None:
            self.day.show_day(clip.filmed_on)
            self.load.setText("" if clip.load_kg is None else f"{clip.load_kg:g}")
        self.disc.setCurrentText(f"{how.plate_mm / 10.0:g}")
        self.rate.setText("" if how.capture_fps is None else f"{how.capture_fps:g}")
        self.camera.setText("" if how.camera_m is None else f"{how.camera_m:g}")
        self.facing.setCurrentIndex(max(self.facing.findData(how.facing), 0))
        self.view.setCurrentIndex(max(self.view.findData(how.view), 0))
        self.hands.setText(how.hands)
        self.dots.setChecked(how.dots)
        self.length.setText(
            f"Measured on {how.known[0] / 10.0:g} cm; another disc measures on the disc again."
            if how.known
            else "Measured on the disc."
        )
        cal = self.presenter.state.review and self.presenter.state.review.calibration
        if cal:
            sure = f"{cal.tilt_deg:+.1f}° ± {np.degrees(cal.vertical_sigma):.1f}"
            self.plumb.setText(f"The plumb leans {sure} on the picture.")
        self.own_plumb.setVisible(how.upright is not None)
        self.own_plumb.setChecked(how.upright is not None)
        self.move(below.mapToGlobal(QPoint(0, below.height() + 4)))
        self.show()
        self.disc.setFocus()

    def read(self) -> Filmed:
        """What the page says.

        Raises:
            ValueError: a field is no number; the message names it.
        """
        disc, before = number(self.disc.currentText(), "the disc"), self.presenter.filmed
        plate_mm = before.plate_mm if disc is None else disc * 10.0
        return Filmed(
            plate_mm=plate_mm,
            capture_fps=number(self.rate.text(), "frames a second"),
            facing=self.facing.currentData(),
            camera_m=number(self.camera.text(), "the camera's distance"),
            known=before.known if plate_mm == before.plate_mm else None,
            view=self.view.currentData(),
            upright=before.upright if self.own_plumb.isChecked() else None,
            hands="".join(self.hands.text().upper().split()),
            dots=self.dots.isChecked(),
        )

    def keep(self) -> None:
        """Measure and judge again, or say what is wrong."""
        before, analysed = self.presenter.filmed, self.presenter.state.review is not None
        try:
            how, load = self.read(), load_kg(self.load.text())
            if how != before:
                self.presenter.set_filmed(how)
            facts = self.presenter.set_facts(self.day.day(), load)
        except (ClubError, ValueError) as err:
            self.told.emit(f"Not kept: {err}")
            return
        self.hide()
        if facts and how == before:
            self.told.emit("day and load are kept (Ctrl+Z takes it back)")
            return
        if (how.view, how.dots) != (before.view, before.dots) or not analysed:
            self.again.emit()
            return
        self.told.emit("measured again (Ctrl+Z takes it back)")

    def _measure(self) -> None:
        self.hide()
        self.measures.emit()

    def _plumb(self) -> None:
        self.hide()
        self.plumbs.emit()
