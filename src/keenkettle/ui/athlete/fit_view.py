"""The fit: grip widths and the set position, drawn with the athlete's own lengths."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QRegion
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keenkettle.club.people import Facts, limits_of
from keenkettle.club.tables import Athlete
from keenkettle.files import CannotWriteError
from keenkettle.fit.grip import (
    GripError,
    GripFit,
    Trial,
    arm_from_trial,
    bar_height_for,
    fit_grip,
    overhead_clearance,
    wrist_angle,
)
from keenkettle.fit.lengths import LengthError, Lengths, make_lengths
from keenkettle.fit.set_position import (
    ANKLE_DEG,
    HIP_DEG,
    SetFit,
    SetPositionError,
    dorsiflexion_deg,
    fit_set_position,
)
from keenkettle.ui import theme
from keenkettle.ui.athlete.grip_view import GripView
from keenkettle.ui.paper import A5_MM, INK, write_page
from keenkettle.ui.show.figure import FigureView
from keenkettle.ui.typed import TypedError, number
from keenkettle.ui.widgets import button, label, sentence

MOST_WALL_CM, MOST_STANCE_CM = 25.0, 120.0
UNEVEN_MM = 15.0  # knee to wall, left and right: more is worth a word; a working value
RANGE_SIGMAS = 1.64  # the range holds the answer nine times in ten


class FitView(QWidget):
    """``changed`` carries facts to keep; ``said`` a line for the foot."""

    changed = pyqtSignal(object)
    said = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.athlete: Athlete | None = None
        self.facts = Facts()
        self.lengths: Lengths | None = None
        self.fit: GripFit | None = None
        self.set: SetFit | None = None
        self._build()

    def _build(self) -> None:
        self.which = QComboBox()
        self.which.addItems(["snatch", "clean", "jerk"])
        self.which.setAccessibleName("Grip of")
        self.which.currentIndexChanged.connect(lambda _i: self._solve(move=True))
        self.up = button("Overhead", tip="Bar on the thighs or overhead")
        self.up.setCheckable(True)
        self.up.clicked.connect(self._turn)
        self.grip = GripView()
        self.grip.dragged.connect(lambda _mm: self._say_grip())
        self.answer = label("", "title", wrap=True)
        self.where = label("", wrap=True)
        self.warn = label("", "warn", wrap=True)
        self.trial_grip, self.trial_bar = self._field("hands, cm"), self._field("bar height, cm")
        tried = button("Use this trial", tip="Standing tall, arms long, any grip")
        tried.clicked.connect(self._try)
        keep = button("Settle this grip", "main")
        keep.clicked.connect(self._settle)
        trial = QHBoxLayout()
        trial.addWidget(label("One trial, standing tall:", "quiet"))
        for w in (self.trial_grip, self.trial_bar, tried):
            trial.addWidget(w)
        head = QHBoxLayout()
        for w in (self.which, self.up):
            head.addWidget(w)
        head.addStretch(1)
        head.addWidget(keep)
        left = QVBoxLayout()
        left.addLayout(head)
        left.addWidget(self.grip, 1)
        for w in (self.answer, self.where, self.warn):
            left.addWidget(w)
        left.addLayout(trial)
        self.figure = FigureView()
        self.set_answer = label("", "title", wrap=True)
        self.set_why = label("", wrap=True)
        self.ankle, self.hip = self._field("ankle, °"), self._field("hip, °")
        for field in (self.ankle, self.hip):
            field.editingFinished.connect(self._ranges)
        ranges = QHBoxLayout()
        for text, field in (("Ankle range", self.ankle), ("Hip range", self.hip)):
            ranges.addWidget(label(text, "quiet"))
            ranges.addWidget(field)
        walls = QHBoxLayout()
        walls.addWidget(label("Knee to wall, cm", "quiet"))
        self.walls = {side: self._field(side) for side in ("left", "right")}
        stances = QHBoxLayout()
        stances.addWidget(label("Heels apart, cm", "quiet"))
        self.stances = {which: self._field(which) for which in ("pull", "landing")}
        for row, fields in ((walls, self.walls), (stances, self.stances)):
            for field in fields.values():
                field.editingFinished.connect(self._ranges)
                row.addWidget(field)
        self.stance = label("", "quiet", wrap=True)
        card = button("Print the fit card (PDF)")
        card.clicked.connect(self.ask_pdf)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(label("Set position", "strong"))
        right.addWidget(self.figure, 1)
        for w in (self.set_answer, self.set_why):
            right.addWidget(w)
        right.addLayout(ranges)
        right.addLayout(walls)
        right.addLayout(stances)
        right.addWidget(self.stance)
        right.addWidget(card)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(20)
        whole.addLayout(left, 3)
        whole.addLayout(right, 2)

    def _field(self, hint: str) -> QLineEdit:
        made = QLineEdit()
        made.setPlaceholderText(hint)
        made.setAccessibleName(hint)
        made.setMaximumWidth(130)
        made.setMinimumHeight(32)
        return made

    # --- showing ---------------------------------------------------------------------------

    def hold(self, athlete: Athlete | None, facts: Facts) -> None:
        """Show an athlete's fit."""
        self.athlete, self.facts = athlete, facts
        self.lengths = None
        self.setEnabled(athlete is not None and athlete.stature_mm is not None)
        if athlete is None or athlete.stature_mm is None:
            self.answer.setText("Measure the stature first (Meeting).")
            return
        self.ankle.setText("" if facts.ankle_deg is None else f"{facts.ankle_deg:g}")
        self.hip.setText("" if facts.hip_deg is None else f"{facts.hip_deg:g}")
        for kept, fields in ((facts.wall_mm, self.walls), (facts.stance_mm, self.stances)):
            for name, field in fields.items():
                field.setText(f"{kept[name] / 10:g}" if name in kept else "")
        try:
            self.lengths = make_lengths(athlete.stature_mm, facts.lengths_mm)
        except LengthError as err:
            self.answer.setText(str(err))
            return
        self._solve(move=True)

    def _turn(self) -> None:
        self.grip.overhead = self.up.isChecked()
        self.grip.update()

    def _arm(self) -> float:
        assert self.lengths is not None
        if self.facts.trial is not None:
            return arm_from_trial(self.lengths, self.facts.trial)
        return self.lengths["arm"]

    def _solve(self, move: bool) -> None:
        if self.lengths is None:
            return
        try:
            self.fit = fit_grip(self.lengths, self.facts.trial)
            arm = self._arm()
        except GripError as err:
            self.warn.setText(str(err))
            return
        lift = self.which.currentText()
        crease = self.fit.hip_crease
        asked = None
        grip = {"clean": self.fit.clean, "jerk": self.fit.jerk}.get(lift, self.fit.start_to_try)
        if lift == "snatch" and self.fit.measured:
            spread = RANGE_SIGMAS * crease.sigma
            asked = (crease.grip - spread, crease.grip + spread)
            grip = crease.grip
        if move:
            grip = self.facts.grips_mm.get(lift, grip)
        self.grip.set_grip(self.lengths, arm, grip, asked)
        self._say_grip()
        self._say_set()

    def _say_grip(self) -> None:
        fit, n, lift = self.fit, self.lengths, self.which.currentText()
        if fit is None or n is None:
            return
        if lift != "snatch":
            width = fit.clean if lift == "clean" else fit.jerk
            self.answer.setText(f"{lift.capitalize()}: about {width / 10:.0f} cm")
            self.warn.setText("")
        elif fit.measured:
            spread = RANGE_SIGMAS * fit.hip_crease.sigma / 10
            self.answer.setText(
                f"Snatch, bar in the hip crease: {fit.hip_crease.grip / 10:.0f} cm, "
                f"give or take {spread:.0f}"
            )
            self.warn.setText(" ".join(map(sentence, fit.warnings)))
        else:
            self.answer.setText(f"No answer yet: try {fit.start_to_try / 10:.0f} cm and measure")
            self.warn.setText(" ".join(map(sentence, fit.warnings)))
        arm, grip = self._arm(), self.grip.grip_mm
        bar = bar_height_for(n, arm, grip) - n["hip_crease"]
        side = "above" if bar >= 0 else "below"
        self.where.setText(
            f"Hands {grip / 10:.0f} cm apart: bar {abs(bar) / 10:.1f} cm {side} the crease, "
            f"{overhead_clearance(n, arm, grip) / 10:.0f} cm over the head, arms "
            f"{wrist_angle(n, arm, grip):.0f}° from the vertical."
        )

    def _say_set(self) -> None:
        n = self.lengths
        if n is None or self.fit is None:
            return
        lift = "snatch" if self.which.currentText() == "snatch" else "clean"
        grip = self.grip.grip_mm if lift == "snatch" else self.fit.clean
        self.set = fit_set_position(n, grip, limits_of(self.facts))
        s, pose = self.set, self.set.pose
        points = {k: v for k, v in pose.points.items() if k != "bar"}
        b = n.body
        points["heel"] = points["ankle"] * 0.0 + (-b.heel_back, 12.0)
        points["toe"] = points["ankle"] * 0.0 + (b.foot - b.heel_back, 12.0)
        points["wrist"] = pose.points["bar"]
        points["elbow"] = (points["shoulder"] + pose.points["bar"]) / 2.0
        points["ear"] = points["shoulder"] + (b.ear * 0.55, b.ear * 0.8)
        self.figure.stature_mm = n.stature
        self.figure.raised_mm = s.pose_raise_mm
        self.figure.top_mm = 0.85 * n.stature
        self.figure.set_pose(
            points, pose.points["bar"],
            [("knee", f"knee {pose.knee_deg:.0f}°"), ("hip", f"hip {pose.hip_deg:.0f}°"),
             ("shoulder", f"trunk {pose.trunk_deg:.0f}°")],
        )  # fmt: skip
        self.set_answer.setText(_set_words(s, lift))
        self.set_why.setText(_set_reason(s))
        self.stance.setText(_stance_words(self.facts, n))

    # --- changing ----------------------------------------------------------------------------

    def _ranges(self) -> None:
        try:
            ankle = number(self.ankle.text(), "ankle range")
            hip = number(self.hip.text(), "hip range")
            facts = replace(
                self.facts,
                ankle_deg=ankle,
                hip_deg=hip,
                wall_mm=_centimetres(self.walls, "knee to wall", MOST_WALL_CM),
                stance_mm=_centimetres(self.stances, "heels apart", MOST_STANCE_CM),
            )
            limits_of(facts)
        except (SetPositionError, TypedError) as err:
            self.said.emit(f"Not kept: {err}")
            return
        if facts != self.facts:
            self.changed.emit(facts)

    def _try(self) -> None:
        if self.lengths is None:
            return
        try:
            grip, bar = (float(f.text().replace(",", ".")) * 10.0
                         for f in (self.trial_grip, self.trial_bar))  # fmt: skip
            trial = Trial(grip, bar)
            arm_from_trial(self.lengths, trial)
        except GripError as err:
            self.said.emit(str(err))
            return
        except ValueError:
            self.said.emit(
                "Give both numbers of the trial in cm: hands apart, bar above the floor."
            )
            return
        self.changed.emit(replace(self.facts, trial=trial))

    def _settle(self) -> None:
        lift = self.which.currentText()
        if lift == "snatch" and self.fit is not None and not self.fit.measured:
            self.said.emit("No grip is settled from estimates alone: make one trial first.")
            return
        grips = {**self.facts.grips_mm, lift: round(self.grip.grip_mm, 0)}
        self.changed.emit(replace(self.facts, grips_mm=grips))

    def ask_pdf(self) -> None:
        """Ask where to, then print the fit."""
        if self.athlete is None:
            return
        name = str(Path.home() / f"{self.athlete.name} fit.pdf")
        path, _ = QFileDialog.getSaveFileName(self, "Print the fit card to", name, "PDF (*.pdf)")
        if path:
            self.print_to(Path(path))

    def print_to(self, path: Path) -> bool:
        """Print both drawings and their words on one page."""
        if self.athlete is None or self.lengths is None:
            return False
        try:
            with theme.on_paper():
                write_page(path, f"{self.athlete.name}: fit", A5_MM, self._paint_page)
        except CannotWriteError as err:
            self.said.emit(str(err))
            return False
        self.said.emit(f"fit card written to {path}")
        return True

    def _paint_page(self, p: QPainter, page: QRectF) -> None:
        assert self.athlete is not None
        k = page.width() / 420.0
        room = page.adjusted(24 * k, 20 * k, -24 * k, -20 * k)
        p.setPen(QColor(INK))
        texts = [(self.athlete.name, 24)]
        texts += [
            (view.text(), 11)
            for view in (self.answer, self.where, self.set_answer, self.set_why, self.stance)
        ]
        for text, size in texts:
            font = theme.big_font(1) if size > 12 else theme.text_font(1)
            font.setPixelSize(round(size * k))
            p.setFont(font)
            flags = int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
            need = p.boundingRect(room, flags, text)
            p.drawText(room, flags, text)
            room.setTop(need.bottom() + 5 * k)
        half = room.height() / 2.0 - 4 * k
        for view, y in ((self.grip, room.top()), (self.figure, room.bottom() - half)):
            scale = min(room.width() / max(view.width(), 1), half / max(view.height(), 1))
            p.save()
            p.translate(room.center().x() - view.width() * scale / 2.0, y)
            p.scale(scale, scale)
            view.render(p, QPoint(), QRegion(), QWidget.RenderFlag.DrawChildren)
            p.restore()


def _centimetres(fields: dict[str, QLineEdit], what: str, most: float) -> dict[str, float]:
    """What is typed, mm; empty fields are left out.

    Raises:
        TypedError: one is no number, or cannot be.
    """
    made = {}
    for name, field in fields.items():
        value = number(field.text(), f"{what}, {name}")
        if value is None:
            continue
        if not 0.0 <= value <= most:
            raise TypedError(f"{what}, {name}, is {value:g} cm; give 0 to {most:g} cm")
        made[name] = 10.0 * value
    return made


def _stance_words(facts: Facts, n: Lengths) -> str:
    """Where the feet go: as recorded, else what to try."""
    pull, landing = (facts.stance_mm.get(which) for which in ("pull", "landing"))
    said = [
        f"Pull: heels {pull / 10:g} cm apart."
        if pull is not None
        else f"Pull: feet as for a jump, try about {0.75 * n['hip_width'] / 10:.0f} cm.",
        f"Landing marks: heels {landing / 10:g} cm apart, as for the squat."
        if landing is not None
        else f"Landing: the squat stance, try about {n['shoulder_width'] / 10:.0f} cm.",
    ]
    walls = facts.wall_mm
    if walls:
        sides = ", ".join(f"{s} {dorsiflexion_deg(mm):.0f}°" for s, mm in walls.items())
        stiff = ": the stiffer side counts" if len(walls) > 1 else ""
        said.append(f"From knee to wall: {sides}{stiff}.")
        if len(walls) > 1 and abs(walls["left"] - walls["right"]) >= UNEVEN_MM:
            said.append("The ankles differ clearly.")
    unknown = [
        f"{name} {value:g}°"
        for name, value, known in (
            ("ankle", ANKLE_DEG, facts.ankle_range_deg), ("hip", HIP_DEG, facts.hip_deg)
        )
        if known is None
    ]  # fmt: skip
    if unknown:
        said.append(f"Not measured, taken as usual: {' and '.join(unknown)}.")
    return " ".join(said)


def _set_words(s: SetFit, lift: str) -> str:
    if s.reachable:
        return f"The floor is within reach for the {lift}"
    if s.raise_mm is None:
        return f"The {lift}'s set is out of reach from discs too: start from the hang"
    return f"Raise the bar {s.raise_mm / 10:.0f} cm for the {lift} (drawn so)"


def _set_reason(s: SetFit) -> str:
    if s.reachable:
        return "Flat back, heels down, straight arms: a pose within all ranges is drawn."
    said = [f"In the way: {' and '.join(s.binding)}."]
    if s.least_raise_mm is not None:
        said.append(f"The least raise is {s.least_raise_mm / 10:.1f} cm.")
    if s.gain_hip_deg is not None:
        said.append(f"{s.gain_hip_deg:.0f}° more at the hip would do the same.")
    if s.gain_ankle_deg is not None:
        said.append(f"{s.gain_ankle_deg:.0f}° more at the ankle would do the same.")
    return " ".join(said)
