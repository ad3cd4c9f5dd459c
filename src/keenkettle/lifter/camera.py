"""A pinhole camera beside the platform.

World millimetres: x the way the athlete faces, y up from the floor, z toward the camera,
0 in the athlete's middle plane. Pixels: x right, y down, centre of the top-left pixel (0, 0).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.measure.geometry import FloatArray

DISC_Z_MM = 700.0  # outer face of the camera-side disc from the athlete's middle plane


@dataclass(frozen=True)
class Camera:
    """Where the camera stands and what it takes.

    Attributes:
        width, height: picture, pixels.
        fps: frames a second.
        px_per_mm: scale in the plane of the near disc's outer face.
        distance_mm: lens to that plane.
        yaw_deg: turned about the vertical, 0 = exactly side-on.
        roll_deg: tilted about its own axis.
        facing: "right" or "left" on the picture.
        exposure_s: shutter time; the frame's time is its middle.
        centre_x_mm: world x at the middle of the picture.
        floor_share: height of the floor on the picture from its lower edge, share.
    """

    width: int = 1280
    height: int = 720
    fps: float = 60.0
    px_per_mm: float = 0.28
    distance_mm: float = 5000.0
    yaw_deg: float = 0.0
    roll_deg: float = 0.0
    facing: str = "right"
    exposure_s: float = 1 / 250
    centre_x_mm: float = 60.0
    floor_share: float = 0.09

    @property
    def lens_mm(self) -> float:
        """Height of the level lens above the floor: it sees its own height in mid-picture."""
        floor_v = self.height * (1.0 - self.floor_share)
        return (floor_v - (self.height - 1) / 2.0) / self.px_per_mm

    def project(self, points: FloatArray) -> FloatArray:
        """Picture points, shape (..., 2), of world points, shape (..., 3)."""
        yaw, roll = np.radians(self.yaw_deg), np.radians(self.roll_deg)
        x = points[..., 0] - self.centre_x_mm
        z = points[..., 2]
        xr = x * np.cos(yaw) + z * np.sin(yaw)
        zr = -x * np.sin(yaw) + z * np.cos(yaw) - DISC_Z_MM
        scale = self.px_per_mm * self.distance_mm / (self.distance_mm - zr)
        mirror = 1.0 if self.facing == "right" else -1.0
        u = mirror * xr * scale
        v = -(points[..., 1] - self.lens_mm) * scale
        cos, sin = np.cos(roll), np.sin(roll)
        cx = (self.width - 1) / 2.0
        cy = (self.height - 1) / 2.0
        return np.stack([cx + u * cos - v * sin, cy + u * sin + v * cos], axis=-1)

    def scale_at(self, z_mm: float) -> float:
        """Pixels per millimetre at a depth, straight ahead."""
        return self.px_per_mm * self.distance_mm / (self.distance_mm - (z_mm - DISC_Z_MM))


def fitted_camera(
    width: int,
    height: int,
    fps: float,
    stature_mm: float,
    yaw_deg: float = 0.0,
    facing: str = "right",
    distance_mm: float = 5000.0,
) -> Camera:
    """A camera that holds the whole lift: from the floor to the bar overhead."""
    scale = 0.88 * height / (1.38 * stature_mm)
    return Camera(
        width, height, fps, scale, distance_mm=distance_mm, yaw_deg=yaw_deg, facing=facing
    )
