"""What a click on the film means: the disc, a joint, a measuring line, words; and dragging."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QLineEdit

from keenkettle.club.look_up import DRAWN
from keenkettle.club.store import ClubError
from keenkettle.coach.front import has_sides
from keenkettle.measure.calibration import CalibrationError
from keenkettle.measure.smooth import TrackError
from keenkettle.ui.film import moment
from keenkettle.ui.film.presenter import JUMP, FilmPresenter
from keenkettle.ui.film.stage import Stage
from keenkettle.ui.typed import TypedError, number

MARK_ORDER = ("ear", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")
#: What a marking tool marks, one after the other on each frame.
ORDERS = {
    "joints": MARK_ORDER,
    "back": ("back",),
    "both sides": tuple(
        f"{side}_{joint}"
        for joint in ("shoulder", "elbow", "wrist", "hip", "knee", "ankle")
        for side in ("left", "right")
    ),
    "rear leg": ("knee_rear", "ankle_rear", "heel_rear", "toe_rear"),
}
WORDS = {"back": "middle of the back, on its edge"}
POINTS = {"distance": 2, "angle": 3, "text": 1, "length": 2, "upright": 2}
DISC, DRAW, TIME = "disc", "draw", "time"
ASKS = {
    "distance": "click both ends of the distance, or drag (Esc ends)",
    "angle": "click one end, the corner, the other end (Esc ends)",
    "text": "click where the words belong (Esc ends)",
    "length": "click both ends of something whose length you know (Esc ends)",
    "upright": "click both ends of something upright: a door frame, a rack (Esc ends)",
    DRAW: "draw with the button held down (Esc ends)",
    DISC: "click the disc's middle, or drag from its middle to its rim (Esc ends)",
}
#: Tools after whose clicks something is typed, and what.
TYPED = {
    "text": "words for this frame; Enter keeps them",
    "length": "how long that is, cm; Enter keeps it",
    TIME: moment.ASKS,
}
LEAST_DRAG_PX = 8.0  # on the widget: a shorter one is a click
APART_PX = 3.0  # on the widget: points of a line that is drawn by hand
WORDS_PX = 400  # of the field for what is typed
WITHIN = Qt.ShortcutContext.WidgetShortcut
GRAB_PX = 11.0  # on the widget: so near a dot it is taken hold of


def _spoken(joint: str) -> str:
    """A point's name as it is said: "left knee", "heel of the rear leg"."""
    return WORDS.get(joint, joint.replace("_rear", " of the rear leg").replace("_", " "))


class StageTools(QObject):
    """Holds the tool in hand. ``told`` says something; ``again`` asks for a new analysis."""

    told = pyqtSignal(str)
    again = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self, presenter: FilmPresenter, stage: Stage) -> None:
        super().__init__()
        self.presenter, self.stage = presenter, stage
        self.tool = ""  # "", DISC, DRAW, TIME, one of ORDERS, of POINTS
        self.joint = MARK_ORDER[0]
        self.points: list[tuple[float, float]] = []
        self.held = ""  # the joint or "bar" that is dragged
        self.words = QLineEdit(stage)
        self.words.setAccessibleName("Words on this frame")
        self.words.hide()
        self.words.returnPressed.connect(self._keep_words)
        # The window's keys rest while something is typed.
        leave = QShortcut(QKeySequence("Esc"), self.words, context=WITHIN)
        leave.activated.connect(self._leave_words)
        stage.clicked.connect(self._clicked)
        stage.dragged.connect(self._dragged)
        stage.let_go.connect(self._let_go)

    # --- taking and putting down ---------------------------------------------------

    def take(self, tool: str) -> None:
        """Take a tool in hand; the same once more puts it down."""
        review = self.presenter.state.review
        if review is None and tool != DISC:
            return
        if tool == "joints" and review is not None and has_sides(review.joints):
            tool = "both sides"
        was = self.tool
        self.put_down()
        if was != tool:
            self.tool = tool
            self.stage.message = ASKS.get(tool, self.stage.message)
            self.stage.by_hand = tool == DRAW
            if tool in ORDERS:
                self.joint = ORDERS[tool][0] if self.joint not in ORDERS[tool] else self.joint
                self._say_joint()
            elif tool == TIME:
                self._ask_words(10, 40)
            elif tool == DISC:
                self.stage.ring = self.presenter.disc_here()
        elif tool in ORDERS:
            self.again.emit()
        self.changed.emit()

    def mark_or_done(self) -> None:
        """Take the joints in hand, or be done with what is being marked."""
        self.take(self.tool if self.tool in ORDERS else "joints")

    def put_down(self) -> bool:
        """Nothing in hand; returns whether something was."""
        had = bool(self.tool or self.words.isVisible())
        self.tool, self.points, self.held = "", [], ""
        self.stage.pending, self.stage.by_hand, self.stage.ring = [], False, None
        self.words.hide()
        self.stage.message = self.presenter.state.problem
        return had

    def _say_joint(self) -> None:
        name, last = _spoken(self.joint), _spoken(ORDERS[self.tool][-1])
        after = f"after the {last}: " if len(ORDERS[self.tool]) > 1 else "then "
        done = "J" if self.tool in ("joints", "both sides") else "Done"
        self.stage.message = f"click the {name} ({after}{JUMP} frames on; {done} when done)"

    def frame_changed(self) -> None:
        """Another frame is in view."""
        if self.tool == DISC and not self.points:
            self.stage.ring = self.presenter.disc_here()

    # --- clicks ------------------------------------------------------------------------

    def _clicked(self, x: float, y: float) -> None:
        if self.tool == DISC:
            self.points = [(x, y)]
        elif self.tool in ORDERS:
            self._mark(x, y)
        elif self.tool in POINTS:
            self._point(x, y)
        elif self.tool == DRAW:
            self.stage.pending = [(x, y)]
        elif self.tool == TIME:
            self.put_down()
        else:
            self.stage.setFocus(Qt.FocusReason.MouseFocusReason)  # keys are the film's again
            self.held = self._near(x, y)

    def _mark(self, x: float, y: float) -> None:
        if not self._safely(lambda: self.presenter.mark(self.joint, x, y)):
            return
        order = ORDERS[self.tool]
        here = order.index(self.joint)
        self.joint = order[(here + 1) % len(order)]
        if here == len(order) - 1:
            self.presenter.step(JUMP)
        self._say_joint()
        self.changed.emit()

    def _point(self, x: float, y: float) -> None:
        self.points.append((x, y))
        self.stage.pending = list(self.points)
        if len(self.points) < POINTS[self.tool]:
            self.stage.update()
        elif self.tool in TYPED:
            spot = self.stage.box().at(x, y).toPoint()
            self._ask_words(spot.x(), spot.y())
        else:
            points, self.points = self.points, []
            if self.tool == "upright":
                self._keep_upright(points)
            else:
                self._keep_line(self.tool, points)

    def _keep_line(self, kind: str, points: list[tuple[float, float]]) -> None:
        self.stage.pending = []
        self._safely(lambda: self.presenter.notes.add(kind, points))

    def _ask_words(self, x: int, y: int) -> None:
        """Ask for what the tool in hand needs typed, about here on the stage."""
        self.words.setText("")
        self.words.setPlaceholderText(TYPED[self.tool])
        self.words.resize(WORDS_PX, 36)
        self.words.move(
            min(x, max(self.stage.width() - WORDS_PX - 8, 0)),
            min(y, max(self.stage.height() - 44, 0)),
        )
        self.words.show()
        self.words.setFocus(Qt.FocusReason.OtherFocusReason)

    def _keep_words(self) -> None:
        text, points, tool = self.words.text().strip(), self.points, self.tool
        self.put_down()
        self.stage.setFocus()
        if text and tool == "length":
            self._keep_length(text, points)
        elif text and tool == TIME:
            self._go_to(text)
        elif text:
            self._safely(lambda: self.presenter.notes.add("text", points, text))
        self.changed.emit()

    def _leave_words(self) -> None:
        self.put_down()
        self.stage.setFocus()
        self.changed.emit()

    def _keep_length(self, text: str, points: list[tuple[float, float]]) -> None:
        """Measure on a length of so many centimetres between two points."""
        try:
            mm = (number(text, "the length") or 0.0) * 10.0
        except TypedError as err:
            self.told.emit(f"Not kept: {err}")
            return
        how = replace(self.presenter.filmed, known=(mm, *points[0], *points[1]))
        if self._safely(lambda: self.presenter.set_filmed(how)):
            self.told.emit(f"measured on a length of {mm / 10.0:g} cm (Ctrl+Z takes it back)")

    def _keep_upright(self, ends: list[tuple[float, float]]) -> None:
        """Take the plumb from something upright between two points."""
        self.put_down()
        how = self.presenter.filmed
        if self._safely(
            lambda: self.presenter.set_filmed(replace(how, upright=(*ends[0], *ends[1])))
        ):
            self.told.emit("plumb by that line (Ctrl+Z takes it back)")
        self.changed.emit()

    def _go_to(self, text: str) -> None:
        rep = self.presenter.rep
        start = rep.span.lift_off if rep is not None else None
        try:
            self.presenter.go(moment.frame_at(text, self.presenter.times_s, start))
        except TypedError as err:
            self.told.emit(str(err))

    # --- dragging ----------------------------------------------------------------------

    def _near(self, x: float, y: float) -> str:
        """The joint or the bar's end under a point, empty where there is none."""
        review, frame = self.presenter.state.review, self.presenter.state.frame
        if review is None or frame >= len(review.bar.xy_px):
            return ""
        spots = {n: t.xy_px[frame] for n, t in review.joints.items()}
        spots["bar"] = review.bar.xy_px[frame]
        scale = self.stage.box().scale
        off = {n: float(np.hypot(*(at - (x, y)))) * scale for n, at in spots.items()
               if np.isfinite(at).all()}  # fmt: skip
        near = min(off, key=lambda n: off[n], default="")
        return near if near and off[near] <= GRAB_PX else ""

    def _dragged(self, x: float, y: float) -> None:
        if self.held:
            self.stage.pending = [(x, y)]
            self.stage.message = f"{self.held}: let go where it is"
        elif self.tool == DISC and self.points:
            self.stage.ring = (*self.points[0], self._from_press(x, y))
        elif self._stretches():
            self.stage.pending = [*self.points, (x, y)]
        elif self.tool == DRAW and self._far_enough(x, y):
            self.stage.pending.append((x, y))
        self.stage.update()

    def _dragged_to(self, x: float, y: float) -> bool:
        """Whether it is a drag from where it was pressed to here, and no click."""
        return self._from_press(x, y) * self.stage.box().scale >= LEAST_DRAG_PX

    def _from_press(self, x: float, y: float) -> float:
        return float(np.hypot(x - self.points[0][0], y - self.points[0][1]))

    def _show_disc(self, x: float, y: float) -> None:
        """The disc is where it was pressed; let go away from there, so large."""
        middle, r, sized = self.points[0], self._from_press(x, y), self._dragged_to(x, y)
        self.put_down()
        if self._safely(lambda: self.presenter.show_disc(*middle, r if sized else None)):
            self.told.emit("the disc you showed is followed (Ctrl+Z takes it back)")
            self.again.emit()
        self.changed.emit()

    def _stretches(self) -> bool:
        """Whether one end of a line is laid and the other follows the mouse."""
        return POINTS.get(self.tool) == 2 and len(self.points) == 1

    def _far_enough(self, x: float, y: float) -> bool:
        """Whether a drawn line goes on to here: a hand that rests gives no points."""
        last = self.stage.pending[-1]
        return float(np.hypot(x - last[0], y - last[1])) * self.stage.box().scale >= APART_PX

    def _let_go(self, x: float, y: float, moved: bool) -> None:
        held, self.held = self.held, ""
        if self.tool == DISC and self.points:
            self._show_disc(x, y)
        if self._stretches() and self._dragged_to(x, y):
            self._point(x, y)
        if self.tool == DRAW and len(self.stage.pending) > 1:
            self._keep_line(DRAWN, self.stage.pending)
        if not held:
            return
        self.stage.pending = []
        self.stage.message = self.presenter.state.problem
        if moved and self._safely(lambda: self.presenter.mark(held, x, y)):
            self.again.emit()
        self.stage.update()

    def _safely(self, act: Callable[[], None]) -> bool:
        try:
            act()
        except (ClubError, CalibrationError, TrackError) as err:
            self.told.emit(str(err))
            return False
        return True
