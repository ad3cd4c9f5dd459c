"""A lift moving in the athlete's own proportions: any speed, stops at its checkpoints."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from keenkettle.coach.lifts import Lift
from keenkettle.lifter.body import Body
from keenkettle.lifter.demonstrate import RATE_HZ, Demonstration, Stop
from keenkettle.lifter.recipe import Shown
from keenkettle.lifter.variants import Variant, show_variant, variants_of
from keenkettle.ui.jobs import Job, JobRunner
from keenkettle.ui.show.figure import FigureView
from keenkettle.ui.widgets import button, clear, label

TICK_MS = 16
WAIT_MS = 80
STOPS_A_ROW = 7
SHORT = {
    "set position": "set", "bar at the knee": "knee", "power position": "power",
    "bottom of the dip": "dip", "bottom of the hinge": "hinge", "extension": "extended",
}  # fmt: skip
ROOM_MM = 160.0  # above the highest point
SPEEDS = (0.0625, 0.125, 0.25, 0.5, 1.0)
SPEED_WORDS = ("1/16", "1/8", "1/4", "1/2", "full")
NOTES = (("knee", "knee"), ("hip", "hip"), ("trunk", "shoulder"))


class ShowMe(QWidget):
    """The figure with its controls."""

    def __init__(self, jobs: JobRunner) -> None:
        super().__init__()
        self.jobs = jobs
        self.shown: Demonstration | None = None
        self.place_s = 0.0
        self.lift: Lift | None = None
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self._tick)
        self._body: Body | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(WAIT_MS)
        self._later.timeout.connect(self._work_out)
        self.figure = FigureView()
        self.title = label("", "strong", wrap=True)
        self.kind = label("", "quiet", wrap=True)
        self.variant_box = QComboBox()
        self.variant_box.setAccessibleName("As which school teaches it")
        self.variant_box.setMinimumHeight(32)
        self.variant_box.activated.connect(lambda _i: self._later.start())
        self.play = button("Play", tip="Show the movement, or stop it")
        self.play.clicked.connect(self.toggle)
        self.speed = QSlider(Qt.Orientation.Horizontal)
        self.speed.setRange(0, len(SPEEDS) - 1)
        self.speed.setValue(2)
        self.speed.setFixedWidth(110)
        self.speed.setAccessibleName("Speed")
        self.speed_word = label("1/4", "quiet")
        self.speed.valueChanged.connect(lambda i: self.speed_word.setText(SPEED_WORDS[i]))
        self.scrub = QSlider(Qt.Orientation.Horizontal)
        self.scrub.setAccessibleName("Place in the movement")
        self.scrub.valueChanged.connect(self._scrubbed)
        row = QHBoxLayout()
        row.addWidget(self.play)
        row.addWidget(self.scrub, 1)
        row.addWidget(label("speed", "quiet"))
        row.addWidget(self.speed)
        row.addWidget(self.speed_word)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.stops = QGridLayout()
        self.stops.setSpacing(3)
        column.addWidget(self.title)
        column.addWidget(self.variant_box)
        column.addWidget(self.figure, 1)
        column.addLayout(self.stops)
        column.addLayout(row)
        column.addWidget(self.kind)

    def show_lift(self, lift: Lift, body: Body) -> None:
        """Show a lift in a body's proportions; the sum is done off the window's thread."""
        self.lift = lift
        self.title.setText(lift.name)
        self._body = body
        self.shown = None
        self.variant_box.clear()
        for v in variants_of(Shown(lift.family, lift.implement, lift.start, lift.ends, lift.pre)):
            self.variant_box.addItem(v.words, v)
        self.variant_box.setVisible(self.variant_box.count() > 1)
        # A moment later, so that leafing through lifts and places stays quick.
        self._later.start()

    def _work_out(self) -> None:
        lift, body, variant = self.lift, self._body, self.variant_box.currentData()
        if lift is None or body is None or not isinstance(variant, Variant):
            return
        job = Job(lambda _tell: show_variant(variant, body))
        job.done.connect(lambda made: self._take(made) if self.lift is lift else None)
        job.failed.connect(self.kind.setText)
        self.jobs.start(job)

    def _take(self, made: Demonstration) -> None:
        self.shown = made
        self.figure.stature_mm = made.body.stature
        self.figure.implement = made.implement
        self.figure.trail = made.hand if made.simulated else None
        tops = [float(xy[:, 1].max()) for xy in (made.hand, *made.joints.values())]
        self.figure.top_mm = max(tops) + ROOM_MM
        self.scrub.setRange(0, len(made.t_s) - 1)
        self.kind.setText(
            "Path and timing from the simulated lifter in this athlete's proportions."
            if made.simulated
            else "Positions to scale; timing drawn, not simulated."
        )
        clear(self.stops)
        for i, stop in enumerate(made.stops):
            b = button(SHORT.get(stop.name, stop.name), tip=_angles(stop))
            b.setStyleSheet("padding: 2px 1px; font-size: 12px;")
            b.clicked.connect(lambda _on, s=stop: self.go(s.t_s))
            self.stops.addWidget(b, i // STOPS_A_ROW, i % STOPS_A_ROW)
        self.go(made.stops[0].t_s if made.stops else 0.0)

    def go(self, t_s: float) -> None:
        """Stand still at a time."""
        self.timer.stop()
        self.play.setText("Play")
        self.place_s = t_s
        self._draw()

    def toggle(self) -> None:
        """Run or stand still."""
        if self.timer.isActive():
            self.go(self.place_s)
        elif self.shown is not None:
            self.play.setText("Stop")
            self.timer.start()

    def _tick(self) -> None:
        if self.shown is None:
            return
        self.place_s += TICK_MS / 1000.0 * SPEEDS[self.speed.value()]
        if self.place_s >= self.shown.t_s[-1]:
            self.place_s = 0.0
        self._draw()

    def _scrubbed(self, i: int) -> None:
        if self.shown is not None and round(self.place_s * RATE_HZ) != i:
            self.go(i / RATE_HZ)

    def _draw(self) -> None:
        s = self.shown
        if s is None:
            return
        i = int(np.clip(round(self.place_s * RATE_HZ), 0, len(s.t_s) - 1))
        self.scrub.blockSignals(True)
        self.scrub.setValue(i)
        self.scrub.blockSignals(False)
        near = [x for x in s.stops if abs(x.t_s - self.place_s) < 1.5 / RATE_HZ]
        notes = []
        if near and not self.timer.isActive():
            notes = [(at, f"{name} {near[0].angles[name]:.0f}°") for name, at in NOTES]
        self.figure.set_pose({n: xy[i] for n, xy in s.joints.items()}, s.hand[i], notes)

    def showEvent(self, event: QShowEvent | None) -> None:
        if self.shown is None and self.lift is not None:
            self._later.start()
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.timer.stop()
        self._later.stop()
        self.play.setText("Play")
        super().hideEvent(event)


def _angles(stop: Stop) -> str:
    return ", ".join(f"{name} {value:.0f}°" for name, value in stop.angles.items())
