"""Grip width from the body, for snatch, clean and jerk. Millimetres and degrees.

Standing tall with straight arms and the bar in the fold of the hip, the bar lies ``d`` below
and ``f`` ahead of the shoulder joints; what is left of the arm's length goes to the side:

    h = sqrt(L^2 - d^2 - f^2),  grip = w + 2 h

with ``w`` between the shoulder joints. The answer is touchy, so tape errors are carried
through and the grip comes with its standard deviation.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import asin, degrees, sqrt

from keenkettle.fit.lengths import Lengths

AHEAD_MM = 110.0  # how far the bar rests ahead of the shoulder joint, standing
AHEAD_SIGMA_MM = 10.0
JOINTS_INSIDE_MM = 40.0  # shoulder joints are closer together than the bony points by this
SHRUG_MM = 50.0  # overhead the shoulder rises 4 to 6 cm
RING_MARKS_MM = 910.0  # between the ring marks of a bar
SLEEVES_MM = 1310.0  # between the sleeves' inner ends, 20 kg bar
HAND_MM = 100.0
WIDEST_MM = SLEEVES_MM - HAND_MM  # middle to middle of the hands
THUMB_MM = 60.0  # thumb's length, working value
FINGER_MM = 20.0
WRIST_WARN_DEG = 50.0
LEAST_CLEARANCE_MM = 150.0


class GripError(ValueError):
    """A trial that cannot be; the message says what to measure again."""


@dataclass(frozen=True)
class Trial:
    """One try: hands ``grip`` apart, bar ``bar_height`` above the floor, standing tall; mm."""

    grip: float
    bar_height: float


@dataclass(frozen=True)
class Grip:
    """One school's answer. mm; ``sigma`` is one standard deviation of ``grip``.

    Attributes:
        reaches: whether straight arms can bring the bar to that height.
        overhead: bar over the crown with arms overhead.
        wrist_deg: forearm from the vertical overhead.
        on_bar: whether the hands fit inside the sleeves.
    """

    grip: float
    sigma: float
    reaches: bool
    overhead: float
    wrist_deg: float
    on_bar: bool


@dataclass(frozen=True)
class GripFit:
    """Grips of the lifts, and what is to be said beside them."""

    hip_crease: Grip
    belt_line: Grip | None
    clean: float
    jerk: float
    start_to_try: float
    measured: bool
    warnings: tuple[str, ...]


def joint_width(lengths: Lengths) -> float:
    """Between the shoulder joints, mm."""
    return lengths["shoulder_width"] - JOINTS_INSIDE_MM


def arm_from_trial(lengths: Lengths, trial: Trial) -> float:
    """Arm length that a trial implies, mm.

    Raises:
        GripError: the trial cannot be of this body.
    """
    if not joint_width(lengths) <= trial.grip <= SLEEVES_MM:
        raise GripError(
            f"the trial's grip is {trial.grip / 10:g} cm; give "
            f"{joint_width(lengths) / 10:.0f} to {SLEEVES_MM / 10:.0f} cm between the hands"
        )
    drop = lengths["shoulder_height"] - trial.bar_height
    arm = sqrt(drop**2 + AHEAD_MM**2 + ((trial.grip - joint_width(lengths)) / 2.0) ** 2)
    low, high = 0.28 * lengths.stature, 0.48 * lengths.stature
    if drop <= 0 or not low <= arm <= high:
        raise GripError(
            f"with the bar at {trial.bar_height / 10:g} cm and the hands {trial.grip / 10:g} cm "
            f"apart the arm would be {arm / 10:.0f} cm; measure the bar's height again"
        )
    return arm


def bar_height_for(lengths: Lengths, arm_mm: float, grip_mm: float) -> float:
    """Height of the bar, mm, standing tall with straight arms and this grip."""
    side = (grip_mm - joint_width(lengths)) / 2.0
    return lengths["shoulder_height"] - sqrt(max(arm_mm**2 - AHEAD_MM**2 - side**2, 0.0))


def overhead_clearance(lengths: Lengths, arm_mm: float, grip_mm: float) -> float:
    """Bar over the crown, mm, with straight arms overhead at this grip."""
    side = (grip_mm - joint_width(lengths)) / 2.0
    up = sqrt(max(arm_mm**2 - side**2, 0.0))
    return lengths["shoulder_height"] + SHRUG_MM + up - lengths.stature


def wrist_angle(lengths: Lengths, arm_mm: float, grip_mm: float) -> float:
    """Angle of the arm from the vertical overhead, degrees."""
    side = (grip_mm - joint_width(lengths)) / 2.0
    return degrees(asin(min(max(side / arm_mm, 0.0), 1.0)))


def snatch_grip(lengths: Lengths, target: str, trial: Trial | None = None) -> Grip:
    """Grip that brings the bar to a body height, standing tall.

    Args:
        lengths: the body.
        target: "hip_crease" or "belt_line".
        trial: a try that fixes the arm's length.

    Raises:
        GripError: the trial cannot be.
    """
    arm = lengths["arm"] if trial is None else arm_from_trial(lengths, trial)
    drop = lengths["shoulder_height"] - lengths[target]
    room = arm**2 - drop**2 - AHEAD_MM**2
    reaches = room >= 0
    side = sqrt(max(room, 0.0))
    grip = joint_width(lengths) + 2.0 * side
    sigma = _sigma(lengths, target, trial, arm, drop, max(side, 20.0))
    return Grip(
        grip=grip,
        sigma=sigma,
        reaches=reaches,
        overhead=overhead_clearance(lengths, arm, grip),
        wrist_deg=wrist_angle(lengths, arm, grip),
        on_bar=grip <= WIDEST_MM,
    )


def _sigma(
    lengths: Lengths, target: str, trial: Trial | None, arm: float, drop: float, side: float
) -> float:
    s = lengths.sigma
    if trial is None:
        parts = [
            2.0 * arm / side * s["arm"],
            2.0 * drop / side * s["shoulder_height"],
            2.0 * drop / side * s[target],
            2.0 * AHEAD_MM / side * AHEAD_SIGMA_MM,
            s["shoulder_width"],
        ]
        return sqrt(sum(p * p for p in parts))
    # With a trial only the difference of two heights counts; arm and f drop out of it.
    drop0 = lengths["shoulder_height"] - trial.bar_height
    side0 = (trial.grip - joint_width(lengths)) / 2.0
    parts = [
        2.0 * (drop0 - drop) / side * s["shoulder_height"],
        2.0 * drop / side * s[target],
        2.0 * drop0 / side * 5.0,  # bar height by tape, 5 mm
        (1.0 - side0 / side) * s["shoulder_width"],
    ]
    return sqrt(sum(p * p for p in parts))


def fit_grip(lengths: Lengths, trial: Trial | None = None) -> GripFit:
    """Grips for snatch, clean and jerk.

    Raises:
        GripError: the trial cannot be.
    """
    crease = snatch_grip(lengths, "hip_crease", trial)
    belt = snatch_grip(lengths, "belt_line", trial)
    clean = lengths["shoulder_width"] + 2.0 * THUMB_MM
    needed = ("shoulder_width", "arm", "shoulder_height", "hip_crease")
    guessed = [n for n in needed if n in lengths.estimated]
    if trial is not None and "arm" in guessed:
        guessed.remove("arm")
    start = joint_width(lengths) + 2.0 * lengths.body.upper_arm
    return GripFit(
        hip_crease=crease,
        belt_line=belt if "belt_line" not in lengths.estimated else None,
        clean=clean,
        jerk=clean + 2.0 * FINGER_MM,
        start_to_try=min(start, WIDEST_MM),
        measured=not guessed,
        warnings=tuple(_warnings(crease, start, guessed)),
    )


def _warnings(crease: Grip, start: float, guessed: list[str]) -> list[str]:
    said = []
    if guessed:
        said.append(
            f"{', '.join(guessed)} not measured: no grip is prescribed; try {start / 10:.0f} cm "
            "(elbow to elbow), stand tall, measure the bar's height and enter it as a trial"
        )
    if not crease.reaches:
        said.append(
            "straight arms do not bring the bar to the hip crease; the nearest is the "
            "narrowest grip"
        )
    if not crease.on_bar:
        said.append(
            f"hands would be {crease.grip / 10:.0f} cm apart; the widest that fits a bar is "
            f"{WIDEST_MM / 10:.0f} cm"
        )
    if crease.wrist_deg > WRIST_WARN_DEG:
        said.append(
            f"arms stand {crease.wrist_deg:.0f} degrees from the vertical overhead; beyond "
            f"{WRIST_WARN_DEG:.0f} the wrists suffer: take the grip in a little"
        )
    if crease.overhead < LEAST_CLEARANCE_MM:
        said.append(
            f"the bar would be only {crease.overhead / 10:.0f} cm over the head; 15 is the least"
        )
    return said
