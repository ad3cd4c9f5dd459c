"""The lengths that a fit needs: measured ones, the rest estimated from stature.

Ratios of stature: Drillis & Contini (1966), as tabulated in Winter, *Biomechanics and Motor
Control of Human Movement*, 4th ed. (2009), fig. 4.1; shoulder breadth between the bony points
lies between the means of men (0.237) and women (0.224) in Gordon et al. (2014), the ANSUR II
survey. Winter gives no spread; ``SPREAD`` is a
working value (one standard deviation, share of the length) for adults of one stature.
All lengths are millimetres.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from keenkettle.lifter.body import Body, body_from_stature

TAPE_SIGMA_MM = 10.0  # error of one tape reading


@dataclass(frozen=True)
class Ratio:
    """Share of stature, its spread (one standard deviation, share of the length), what it is."""

    share: float
    spread: float
    what: str


RATIOS: dict[str, Ratio] = {
    "shoulder_width": Ratio(0.230, 0.05, "breadth between the bony points of the shoulders"),
    "arm": Ratio(0.186 + 0.146 + 0.054, 0.04, "shoulder joint to the middle of the grip"),
    "shoulder_height": Ratio(0.818, 0.015, "shoulder joint above the floor, standing"),
    "hip_crease": Ratio(0.530, 0.03, "crease of the hip above the floor, standing"),
    "belt_line": Ratio(0.600, 0.03, "belt line above the floor, standing"),
    "knee_height": Ratio(0.285, 0.03, "knee joint above the floor, standing"),
    "ankle_height": Ratio(0.039, 0.10, "ankle joint above the floor"),
    "hip_width": Ratio(0.191, 0.06, "breadth of the hips"),
    "foot": Ratio(0.152, 0.04, "length of the foot"),
}
#: What is accepted as a share of stature; outside it is a slip of the pen or of the unit.
BOUNDS = {
    "shoulder_width": (0.15, 0.35),
    "arm": (0.28, 0.48),
    "shoulder_height": (0.74, 0.90),
    "hip_crease": (0.42, 0.62),
    "belt_line": (0.50, 0.70),
    "knee_height": (0.22, 0.34),
    "ankle_height": (0.02, 0.07),
    "hip_width": (0.12, 0.30),
    "foot": (0.11, 0.19),
}


class LengthError(ValueError):
    """A length that cannot be of this body; the message names field, value and range."""


@dataclass(frozen=True)
class Lengths:
    """One body's lengths, mm, and one standard deviation of each, mm."""

    stature: float
    value: dict[str, float]
    sigma: dict[str, float]
    estimated: tuple[str, ...]
    body: Body = field(repr=False)

    def __getitem__(self, name: str) -> float:
        return self.value[name]


def make_lengths(stature_mm: float, measured_mm: dict[str, float] | None = None) -> Lengths:
    """All lengths of a body.

    Args:
        stature_mm: 1000 to 2300 mm.
        measured_mm: what the tape said, by the names of ``RATIOS``.

    Raises:
        BodyError: the stature cannot be.
        LengthError: a length cannot be of a body of this stature.
    """
    body = body_from_stature(stature_mm)
    measured = measured_mm or {}
    value, sigma, estimated = {}, {}, []
    for name, ratio in RATIOS.items():
        given = measured.get(name)
        if given is None:
            value[name] = ratio.share * stature_mm
            sigma[name] = ratio.spread * value[name]
            estimated.append(name)
            continue
        _check(name, given, stature_mm)
        value[name], sigma[name] = given, TAPE_SIGMA_MM
    for low, high in (("hip_crease", "shoulder_height"), ("knee_height", "hip_crease")):
        if value[low] >= value[high]:
            raise LengthError(
                f"{low} ({value[low] / 10:g} cm) is not below {high} ({value[high] / 10:g} cm); "
                "measure both again"
            )
    unknown = set(measured) - set(RATIOS)
    if unknown:
        raise LengthError(f"length '{unknown.pop()}' is unknown; use {', '.join(RATIOS)}")
    return Lengths(stature_mm, value, sigma, tuple(estimated), _scaled(body, value, measured))


def _check(name: str, given: float, stature_mm: float) -> None:
    low, high = (share * stature_mm for share in BOUNDS[name])
    if low <= given <= high:
        return
    hint = ""
    if low <= given * 2.54 <= high:
        hint = "; it looks like inches"
    elif low <= given / 2.54 <= high:
        hint = "; it looks as if it had been turned from inches twice"
    raise LengthError(
        f"{name} is {given / 10:g} cm, which a body of {stature_mm / 10:g} cm cannot have "
        f"({low / 10:.0f} to {high / 10:.0f} cm){hint}; measure it again"
    )


def _scaled(body: Body, value: dict[str, float], measured: dict[str, float]) -> Body:
    """The average body of this stature with the segments that the measured lengths imply."""
    if "arm" in measured:
        s = value["arm"] / body.arm
        body = replace(
            body,
            upper_arm=body.upper_arm * s,
            forearm=body.forearm * s,
            hand=body.hand * s,
        )
    if "ankle_height" in measured:
        body = replace(body, ankle_height=value["ankle_height"])
    if "knee_height" in measured:
        body = replace(body, shank=value["knee_height"] - body.ankle_height)
    if "hip_crease" in measured:
        # The crease lies at the height of the hip joint (the ratio of the hip joint is used).
        body = replace(body, thigh=value["hip_crease"] - body.ankle_height - body.shank)
    if "shoulder_height" in measured or "hip_crease" in measured:
        hip = body.ankle_height + body.shank + body.thigh
        body = replace(body, trunk=value["shoulder_height"] - hip)
    if "foot" in measured:
        s = value["foot"] / body.foot
        body = replace(
            body,
            foot=value["foot"],
            heel_back=body.heel_back * s,
            ball_ahead=body.ball_ahead * s,
        )
    return body
