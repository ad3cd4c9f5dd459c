"""Pixels to millimetres from a disc or another known length."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.geometry import BoolArray, FloatArray

PLATE_MM = 450.0  # diameter of a competition disc
#: How far each joint of the camera side lies behind the disc's outer face, mm: the face is
#: about 0.70 m from the athlete's middle (sleeves start 0.655 m out), joints are 0.07 to
#: 0.27 m out toward the camera.
JOINT_DEPTH_MM = {
    "ear": 630.0, "shoulder": 520.0, "elbow": 450.0, "wrist": 430.0, "hip": 605.0,
    "knee": 575.0, "ankle": 575.0, "heel": 580.0, "toe": 550.0,
}  # fmt: skip
MIDDLING_DEPTH_MM, MIDDLE_DEPTH_MM = 560.0, 700.0  # of a joint; of the athlete's middle
UNKNOWN_YAW_DEG = 6.0  # a camera "from the side" is turned by about this much
#: Where a camera stands that nobody has said anything of; 3 to 9 m are usual, in reciprocals.
USUAL_CAMERA_M, UNKNOWN_CAMERA = 4.7, 0.33  # and how far that may be off, share


class CalibrationError(ValueError):
    """A calibration cannot be made; the message names the value and what to give."""


@dataclass(frozen=True)
class Calibration:
    """Scale in the disc's plane and the vertical on the picture.

    Attributes:
        mm_per_px: scale of the disc's plane.
        plate_px: disc diameter on the picture, or None where a length was given.
        plate_mm: real diameter.
        source: "found" or "given".
        vertical_px: unit vector of the upward vertical in pixels (x right, y down).
        vertical_sigma: standard deviation of that, radians.
        scale_error: relative standard deviation of the scale.
        camera_error: how far that may be off, share.
        camera_m: camera to bar, where known; joints are then scaled for their depth about
            the middle of the picture, ``centre_px``.
        side_px_per_mm: sideways shift of what lies behind the disc's plane, by its depth,
            with its standard deviation, from a camera not quite side-on.
        floor_y_px: picture row of the floor under the disc, where known.
        forward_stretch: what forward distances look shortened by, from a turned camera.
        horizon_px: how far below the middle of the picture the horizon lies, pixels: a camera
            that looks upward shows what is higher up smaller.
        scale_row_px: picture row at which the disc was measured, where the horizon is known.
        scale_col_px: picture column at which it was measured, where the turn is known.
        turn_sine: of the camera's turn; positive where what goes right comes nearer.
    """

    mm_per_px: float
    plate_px: float | None
    plate_mm: float
    source: str
    vertical_px: tuple[float, float] = (0.0, -1.0)
    vertical_sigma: float = 0.0
    scale_error: float = 0.005
    camera_m: float | None = None
    camera_error: float = 0.05
    floor_y_px: float | None = None
    centre_px: tuple[float, float] = (0.0, 0.0)
    side_px_per_mm: float = 0.0
    side_sigma_px_per_mm: float | None = None
    forward_stretch: float = 1.0
    horizon_px: float = 0.0
    scale_row_px: float = 0.0
    scale_col_px: float = 0.0
    turn_sine: float = 0.0

    @property
    def lens_px(self) -> float:
        """Focal length, pixels; at a usual distance where the camera's is not known."""
        return 1000.0 * (self.camera_m or USUAL_CAMERA_M) / self.mm_per_px

    def levelled(self, xy_px: FloatArray) -> FloatArray:
        """Where a level camera at the same place would show what is seen at points (..., 2).

        A turn of the camera about its lens maps its picture whatever is on it (Hartley &
        Zisserman 2004, ch. 8.4). The scale stays that of the row where the disc was measured.
        """
        if self.horizon_px == 0.0:
            return np.asarray(xy_px, float)
        f, (cx, cy) = self.lens_px, self.centre_px
        pitch = np.arctan2(self.horizon_px, f)
        cos, sin = float(np.cos(pitch)), float(np.sin(pitch))
        up = cy - xy_px[..., 1]
        ahead = cos - up * sin / f
        keeps = (cos - (cy - self.scale_row_px) * sin / f) ** 2
        x = cx + keeps * (xy_px[..., 0] - cx) / ahead
        y = cy - keeps * (up * cos + f * sin) / ahead
        return np.stack([x, y], axis=-1)

    def as_seen(self, level_px: FloatArray) -> FloatArray:
        """Where this camera shows what a level one would show at points (..., 2)."""
        if self.horizon_px == 0.0:
            return np.asarray(level_px, float)
        f, (cx, cy) = self.lens_px, self.centre_px
        pitch = np.arctan2(self.horizon_px, f)
        cos, sin = float(np.cos(pitch)), float(np.sin(pitch))
        keeps = (cos - (cy - self.scale_row_px) * sin / f) ** 2
        up = (cy - level_px[..., 1]) / keeps
        ahead = cos + up * sin / f
        x = cx + (level_px[..., 0] - cx) / keeps / ahead
        return np.stack([x, cy - (up * cos - f * sin) / ahead], axis=-1)

    @property
    def tilt_deg(self) -> float:
        """Roll of the camera: the vertical's lean to the right on the picture, degrees."""
        return float(np.degrees(np.arctan2(self.vertical_px[0], -self.vertical_px[1])))

    def to_mm(self, xy_px: FloatArray, origin_px: FloatArray, facing: str) -> FloatArray:
        """World millimetres of points in the disc's plane.

        From a turned camera what goes forward comes nearer, or goes away, and looks larger, or
        smaller: the plane is mapped by a homography (Hartley & Zisserman 2004, ch. 8.1).

        Args:
            xy_px: shape (..., 2), pixels, y down.
            origin_px: shape (2,), where the world's origin lies.
            facing: "left" or "right".
        """
        world = self._on_plane(xy_px) - self._on_plane(np.asarray(origin_px, float))
        if facing == "left":
            world[..., 0] *= -1.0
        return np.asarray(world)

    def _on_plane(self, xy_px: FloatArray) -> FloatArray:
        """Millimetres right and up on the disc's plane, of points (..., 2)."""
        up = np.array(self.vertical_px)
        right = np.array([-up[1], up[0]])
        off = self.levelled(xy_px) - np.array(self.centre_px)
        x, y = off @ right, off @ up
        measured = self.scale_col_px - self.centre_px[0] if self.turn_sine else 0.0
        nearer = self.turn_sine / self.lens_px
        across = self.mm_per_px * (x - measured) / (1.0 / self.forward_stretch + x * nearer)
        return np.stack([across, y * (self.mm_per_px - across * nearer)], axis=-1)

    def in_disc_plane(
        self, xy_px: FloatArray, joint: str, far_side: BoolArray | None = None
    ) -> FloatArray:
        """Where a joint's picture would be if it lay in the disc's plane, pixels.

        Things further away shrink toward the middle of the picture, and are shifted sideways
        where the camera is not quite side-on. Both are undone; a camera whose place is not known
        is taken to stand where cameras usually do.

        Args:
            xy_px: shape (N, 2), pixels.
            joint: its name, as in JOINT_DEPTH_MM; "_rear" makes no difference.
            far_side: shape (N,), where it is the joint of the side away from the camera.
        """
        near = JOINT_DEPTH_MM.get(joint.removesuffix("_rear"), MIDDLING_DEPTH_MM)
        depth: FloatArray = np.array([near])
        if far_side is not None:
            depth = np.where(far_side, 2.0 * MIDDLE_DEPTH_MM - near, near)
        centre = np.array(self.centre_px)
        distance_mm = 1000.0 * (self.camera_m or USUAL_CAMERA_M)
        level = centre + (self.levelled(xy_px) - centre) * (1.0 + depth / distance_mm)[:, None]
        level[..., 0] -= self.side_px_per_mm * depth
        return self.as_seen(level)

    @property
    def depth_sigma(self) -> float:
        """Relative error of a joint's height over the middle of the picture, from its depth."""
        error = UNKNOWN_CAMERA if self.camera_m is None else self.camera_error
        return MIDDLING_DEPTH_MM / (1000.0 * (self.camera_m or USUAL_CAMERA_M)) * error

    @property
    def side_sigma_mm(self) -> float:
        """What is left of the sideways error between a joint and the bar, mm.

        A camera that is not known to be side-on is taken to be so within UNKNOWN_YAW_DEG.
        """
        if self.side_sigma_px_per_mm is None:
            return 580.0 * float(np.sin(np.radians(UNKNOWN_YAW_DEG)))
        return 580.0 * self.side_sigma_px_per_mm * self.mm_per_px


def check_diameter(plate_mm: float) -> None:
    """Whether a disc can be so wide.

    Raises:
        CalibrationError: it cannot.
    """
    if not 50.0 <= plate_mm <= 600.0:
        raise CalibrationError(
            f"disc diameter is {plate_mm:g} mm; give the real diameter, 50 to 600 mm"
        )


def from_disc(
    radius_px: float,
    radius_sigma_px: float,
    plate_mm: float = PLATE_MM,
    source: str = "found",
    camera_m: float | None = None,
    floor_y_px: float | None = None,
) -> Calibration:
    """Calibrate on a disc.

    Args:
        radius_px: radius of the disc's outline, its longest axis, pixels.
        radius_sigma_px: standard deviation of that radius.
        plate_mm: real diameter, 50 to 600 mm.

    Raises:
        CalibrationError: radius or diameter cannot be.
    """
    check_diameter(plate_mm)
    if radius_px < 3.0:
        raise CalibrationError(f"disc radius is {radius_px:.1f} px; film closer, 3 px is too small")
    return Calibration(
        mm_per_px=plate_mm / (2.0 * radius_px),
        plate_px=2.0 * radius_px,
        plate_mm=plate_mm,
        source=source,
        scale_error=max(radius_sigma_px / radius_px, 0.002),
        camera_m=camera_m,
        floor_y_px=floor_y_px,
    )


def from_length(
    length_mm: float, a_px: FloatArray, b_px: FloatArray, camera_m: float | None = None
) -> Calibration:
    """Calibrate on a known length between two picture points.

    Raises:
        CalibrationError: the length is not positive or the points coincide.
    """
    px = float(np.hypot(*(b_px - a_px)))
    if length_mm <= 0 or px < 5.0:
        raise CalibrationError(
            f"a known length of {length_mm:g} mm over {px:.1f} px cannot calibrate; "
            "mark two points at least 5 px apart and give their distance in mm"
        )
    return Calibration(
        length_mm / px, None, PLATE_MM, "given", scale_error=1.0 / px, camera_m=camera_m
    )
