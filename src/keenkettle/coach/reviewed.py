"""What a review is asked with, and what it gives."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

from keenkettle.coach.judge import Reference, Verdict
from keenkettle.coach.lifts import Lift
from keenkettle.film.clip import ClipInfo
from keenkettle.film.far_disc import BETWEEN_MM, FarDisc
from keenkettle.film.plausible import Marks
from keenkettle.film.rim import Ring
from keenkettle.film.view import Roll
from keenkettle.measure.calibration import Calibration, CalibrationError
from keenkettle.measure.events import Events, RepSpan
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.kinds import Kind, kind_of
from keenkettle.measure.motion import BarTrack, JointTrack, Motion
from keenkettle.measure.sheet import Measures
from keenkettle.measure.tilt import BarEnds

LEAST_UPRIGHT_PX = 40.0


@dataclass(frozen=True)
class Filmed:
    """How a clip was filmed, as a coach says it; fields as in ``Request``."""

    plate_mm: float = 450.0
    capture_fps: float | None = None
    facing: str | None = None
    camera_m: float | None = None
    known: tuple[float, float, float, float, float] | None = None
    view: str | None = None
    hands: str = ""
    upright: tuple[float, float, float, float] | None = None
    dots: bool = False

    def __post_init__(self) -> None:
        """Check what no calibration looks at.

        Raises:
            CalibrationError: a rate or a distance cannot be.
        """
        if self.capture_fps is not None and not 5.0 <= self.capture_fps <= 2000.0:
            raise CalibrationError(f"{self.capture_fps:g} frames a second; give 5 to 2000")
        if self.camera_m is not None and not 0.5 <= self.camera_m <= 50.0:
            raise CalibrationError(f"the camera at {self.camera_m:g} m; give 0.5 to 50 m")
        if set(self.hands) - {"L", "R"}:
            raise CalibrationError(f"hands '{self.hands}'; give L or R for each rep, as LLRR")
        if self.upright is not None:
            x1, y1, x2, y2 = self.upright
            if abs(y2 - y1) < max(LEAST_UPRIGHT_PX, abs(x2 - x1)):
                raise CalibrationError(
                    "that line is short or does not stand; take both ends of something upright, "
                    f"as a door frame, at least {LEAST_UPRIGHT_PX:.0f} pixels long"
                )


@dataclass(frozen=True)
class Request:
    """What to review and what is already known.

    Attributes:
        clip: the file.
        lift: catalogue id, or None to guess.
        capture_fps: true frames a second where the file is slowed, or None.
        plate_mm: real diameter of the disc calibrated on.
        bar: (frame, x, y, radius or None) in pixels, clicked; None to find it.
        marks: joint marks.
        known: (length mm, x1, y1, x2, y2) to calibrate on instead of a disc.
        upright: (x1, y1, x2, y2), both ends of something upright, pixels; None to work it out.
        camera_m: camera to bar, m.
        facing: "left", "right" or None to work out.
        reference: the athlete's lengths.
        auto: find joints without marks, too, where the nets can run.
        bar_marks: where the coach put the bar end on some frames, pixels.
        events: events that the coach set, by rep number: event: frame.
        view: "side", "front" (or from behind), or None to work out.
        ends: folder for frames that are costly to decode; they are kept on the way.
        hands: L or R for each rep of a one-arm lift; a shorter pattern repeats.
        dots: the joints carry tape dots, which are looked for near the joints found or marked.
    """

    clip: Path
    lift: str | None = None
    capture_fps: float | None = None
    plate_mm: float = 450.0
    bar: tuple[int, float, float, float | None] | None = None
    marks: Marks = field(default_factory=dict)
    known: tuple[float, float, float, float, float] | None = None
    camera_m: float | None = None
    facing: str | None = None
    reference: Reference = field(default_factory=Reference)
    auto: bool = False
    view: str | None = None
    ends: Path | None = None
    hands: str = ""
    upright: tuple[float, float, float, float] | None = None
    dots: bool = False
    bar_marks: dict[int, tuple[float, float]] = field(default_factory=dict)
    events: dict[int, dict[str, int]] = field(default_factory=dict)

    @property
    def looks_with(self) -> tuple[object, ...]:
        """What the film is looked at with; all else only judges what was seen."""
        return self.view, self.dots, self.bar, self.bar_marks, self.marks


@dataclass(frozen=True)
class RepReview:
    """One rep. Indices are frame numbers; ``origin`` is where the bar is at its lift-off, mm."""

    number: int
    span: RepSpan
    events: Events
    metrics: Measures
    verdict: Verdict
    whole: Motion
    origin: FloatArray

    @cached_property
    def motion(self) -> Motion:
        """The clip's motion with its origin at the rep's lift-off."""
        return shifted(self.whole, self.origin)


@dataclass(frozen=True)
class Review:
    """The whole result."""

    info: ClipInfo
    times_s: FloatArray
    time_scale: float
    calibration: Calibration
    ring: Ring
    facing: str
    lift: Lift
    lift_source: str
    bar: BarTrack
    joints: dict[str, JointTrack]
    motion: Motion
    reps: tuple[RepReview, ...]
    warnings: tuple[str, ...]
    far: FarDisc | None = None
    far_end: JointTrack | None = None
    in_discs: float | None = None
    says: tuple[str, ...] = ()


@dataclass(frozen=True)
class Tracked:
    """What was read from the pictures; judging it again needs no film.

    ``in_discs`` is the stature of the body that was seen, in diameters of the disc; ``another``
    tells that somebody else lifts in the picture; ``says`` is what the pictures gave to be said,
    and belongs to a review's warnings whenever it is judged.
    """

    info: ClipInfo
    times_s: FloatArray
    ring: Ring
    radius_sigma: float
    found: bool
    bar: BarTrack
    roll: Roll | None = None
    far: FarDisc | None = None
    far_end: JointTrack | None = None
    in_discs: float | None = None
    another: bool = False
    says: tuple[str, ...] = ()


def both_ends(tracked: Tracked | Review, calibration: Calibration) -> BarEnds | None:
    """Both ends of the bar on a film from aside; None where the far one is not seen."""
    if tracked.far_end is None or tracked.far is None:
        return None
    far = tracked.far
    return BarEnds(
        tracked.bar.xy_px, tracked.far_end.xy_px, far.size, far.size_sd, BETWEEN_MM,
        calibration.mm_per_px,
    )  # fmt: skip


def true_times(tracked: Tracked, capture_fps: float | None) -> tuple[FloatArray, float]:
    """Times at capture, shape (N,), s, and what the file's times were multiplied by."""
    scale = tracked.info.fps_nominal / capture_fps if capture_fps else 1.0
    return tracked.times_s * scale, scale


def lift_kind(lift: Lift) -> Kind:
    """How a lift's reps are read."""
    return kind_of(lift.id, lift.family, lift.start, lift.ends)


def shifted(motion: Motion, origin: FloatArray) -> Motion:
    """The same motion seen from another origin, mm."""
    return replace(
        motion,
        bar=motion.bar - origin,
        joints={n: xy - origin for n, xy in motion.joints.items()},
    )
