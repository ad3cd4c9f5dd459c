"""A second renderer, of solids in a lit room, that shares nothing but the motion with the first.

Bodies of rounded solids with cloth, bumper discs with thickness, sleeves that stick out, a room
with textures, a camera with pitch, sway, lens distortion, rolling exposure in steps and a sensor's
noise. Needs VTK, which the application does not: ``pip install --no-deps -r
benchmarks/second.lock``, and Debian's libosmesa6.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.company import Part, bystander, walker
from benchmarks.scene import DISC_R, Colour, Phone, Scene, points_at
from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.measure.geometry import FloatArray

Picture = NDArray[np.uint8]

HUB_R, SLEEVE_R, BAR_R = 92.0, 25.0, 14.0
SLEEVE_FROM, SLEEVE_TO = 655.0, 1080.0
DRIFT_HZ = 0.4  # an exposure that is set anew all the time


def _vtk() -> Any:
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkOSOpenGLRenderWindow")
    import vtk

    return vtk


def _turned(profile: list[tuple[float, float]], corners: int = 24) -> Any:
    """A solid of revolution about y; ``profile``: (height, radius) from below to above."""
    vtk = _vtk()
    points, cells = vtk.vtkPoints(), vtk.vtkCellArray()
    for h, r in profile:
        for a in np.linspace(0, 2 * np.pi, corners, endpoint=False):
            points.InsertNextPoint(r * np.cos(a), h, r * np.sin(a))
    for i in range(len(profile) - 1):
        for j in range(corners):
            k = (j + 1) % corners
            low, high = i * corners, (i + 1) * corners
            cells.InsertNextCell(4)
            for n in (low + j, low + k, high + k, high + j):
                cells.InsertCellPoint(n)
    data = vtk.vtkPolyData()
    data.SetPoints(points)
    data.SetPolys(cells)
    normals = vtk.vtkPolyDataNormals()
    normals.SetInputData(data)
    normals.SetFeatureAngle(50.0)
    normals.ConsistencyOn()
    normals.AutoOrientNormalsOn()
    normals.Update()
    return normals.GetOutput()


def _limb_shape(low: float, belly: float, at: float, high: float) -> Any:
    """A limb of length 1 with round ends; radii as shares of its own length."""
    ends = np.linspace(0, np.pi / 2, 5)
    profile = [(-low * np.cos(a), low * np.sin(a)) for a in ends]
    for u in np.linspace(0, 1, 9)[1:-1]:
        base = low + (high - low) * u
        bulge = (belly - (low + (high - low) * at)) * np.exp(-(((u - at) / 0.3) ** 2))
        profile.append((float(u), float(base + bulge)))
    profile += [(1.0 + high * np.cos(a), high * np.sin(a)) for a in ends[::-1]]
    return _turned([(float(h), max(float(r), 1e-4)) for h, r in profile])


@dataclass(frozen=True)
class Lifter:
    """Somebody who lifts: limbs as (actor, from, to, shares of the way), the bar's parts with where
    they sit along it, mm; where they stand (3,), mm, and how late they begin, s.
    """

    limbs: list[Any]
    bar: list[tuple[Any, float]]
    away: FloatArray
    late_s: float


class Stage:
    """The scene as VTK has it; ``frame`` draws one instant."""

    def __init__(self, sim: SimMotion, scene: Scene, phone: Phone) -> None:
        vtk = _vtk()
        self.sim, self.scene, self.phone = sim, scene, phone
        self.window = vtk.vtkRenderWindow()
        self.window.SetOffScreenRendering(1)
        self.window.SetMultiSamples(0)
        # Drawn wider than the picture: what lens distortion pulls in must be there.
        self.margin = 1.0 + (0.08 if phone.k1 else 0.0)
        self.size = tuple(2 * round(self.margin * n / 2) for n in (phone.width, phone.height))
        self.window.SetSize(*self.size)
        self.view = vtk.vtkRenderer()
        self.view.SetBackground(*(0.8 * c * scene.light for c in scene.wall))
        self.view.UseFXAAOn()
        self.window.AddRenderer(self.view)
        rng = np.random.default_rng(scene.seed)
        self._lamps(rng)
        self._room(rng)
        self.lifters = [self._lifter(scene, rng)]
        others: list[Part] = []
        if scene.bystander is not None:
            others += bystander(*scene.bystander, scene.skin, rng)
        if scene.walker is not None:
            others += walker(*scene.walker, scene.skin, rng)
        self.others = [(self._of(part), part.ends) for part in others]
        if scene.second is not None:
            x, z, late_s, colour = scene.second
            discs = ((DISC_R, 60.0, colour),)
            clothes = replace(scene, discs=discs, shirt=scene.shorts, shorts=scene.shirt, ring=None)
            self.lifters.append(self._lifter(clothes, rng, (x, z, late_s)))
        for x, z in scene.spares:
            spare = self._add(_disc_shape(DISC_R, 60.0), tuple(rng.uniform(0.05, 0.5, 3)))
            spare.RotateX(90)
            spare.SetPosition(x, DISC_R, z)

    def _add(self, data: Any, colour: Colour, shine: float = 0.1) -> Any:
        vtk = _vtk()
        mapper = vtk.vtkPolyDataMapper()
        mapper.SetInputData(data)
        actor = vtk.vtkActor()
        actor.SetMapper(mapper)
        look = actor.GetProperty()
        look.SetColor(*colour)
        look.SetInterpolationToPhong()
        look.SetAmbient(0.42)
        look.SetDiffuse(0.62)
        look.SetSpecular(shine)
        look.SetSpecularPower(18)
        self.view.AddActor(actor)
        return actor

    def _lamps(self, rng: np.random.Generator) -> None:
        vtk = _vtk()
        for x, y, z, power in ((-2500, 4200, 3500, 0.75), (3000, 3800, 1500, 0.45)):
            lamp = vtk.vtkLight()
            lamp.SetLightTypeToSceneLight()
            lamp.SetPosition(x + rng.normal(0, 800), y, z + rng.normal(0, 500))
            lamp.SetFocalPoint(0, 900, 0)
            lamp.SetIntensity(power * self.scene.light)
            self.view.AddLight(lamp)

    def _sheet(self, origin: Colour, a: Colour, b: Colour, texture: Picture) -> None:
        """A textured rectangle from a corner along two edges."""
        vtk = _vtk()
        from vtk.util.numpy_support import numpy_to_vtk

        plane = vtk.vtkPlaneSource()
        plane.SetOrigin(*origin)
        plane.SetPoint1(*a)
        plane.SetPoint2(*b)
        plane.Update()
        image = vtk.vtkImageData()
        h, w = texture.shape[:2]
        image.SetDimensions(w, h, 1)
        flat = np.ascontiguousarray(texture.reshape(-1, 3))
        image.GetPointData().SetScalars(numpy_to_vtk(flat, deep=True))
        cloth = vtk.vtkTexture()
        cloth.SetInputData(image)
        cloth.InterpolateOn()
        cloth.MipmapOn()
        actor = self._add(plane.GetOutput(), (1.0, 1.0, 1.0), 0.0)
        actor.GetProperty().SetAmbient(0.75 * self.scene.light)
        actor.GetProperty().SetDiffuse(0.3)
        actor.SetTexture(cloth)

    def _room(self, rng: np.random.Generator) -> None:
        vtk, scene = _vtk(), self.scene
        wall = _wall(scene, rng)
        floor = 255 * np.array(scene.floor) + rng.normal(0, 9, (600, 900, 1))
        flecks = rng.random((600, 900)) > 0.985
        floor[flecks] += rng.normal(0, 45, (int(flecks.sum()), 3))
        floor = cv2.GaussianBlur(np.clip(floor, 0, 255).astype(np.uint8), (0, 0), 0.8)
        far = -2600.0
        self._sheet((-5000, 0, far), (5000, 0, far), (-5000, 3600, far), wall)
        self._sheet((-5000, 0, 5000), (5000, 0, 5000), (-5000, 0, far), floor)
        for x in rng.uniform(-2400, 2400, 3):  # uprights of a rack, and discs that lean there
            self._post(float(x), far + float(rng.uniform(200, 700)))
        if scene.post is not None:
            self._post(*scene.post)
        for _ in range(int(rng.integers(0, 4))):
            spare = self._add(_disc_shape(DISC_R, 60.0), tuple(rng.uniform(0.05, 0.5, 3)))
            spare.RotateX(84)
            spare.SetPosition(float(rng.uniform(-2200, 2200)), DISC_R, far + 120)
        shade = vtk.vtkDiskSource()  # the soft dark patch under a person
        shade.SetInnerRadius(0)
        shade.SetOuterRadius(430)
        shade.SetCircumferentialResolution(40)
        shade.Update()
        patch = self._add(shade.GetOutput(), (0.0, 0.0, 0.0))
        patch.RotateX(90)
        patch.SetPosition(0, 3, 0)
        patch.GetProperty().SetOpacity(0.25)

    def _post(self, x: float, z: float) -> None:
        post = _vtk().vtkCubeSource()
        post.SetXLength(75)
        post.SetYLength(2300)
        post.SetZLength(75)
        post.SetCenter(x, 1150, z)
        post.Update()
        self._add(post.GetOutput(), (0.16, 0.16, 0.18))

    def _of(self, part: Part) -> Any:
        """Somebody's limb."""
        a, b = part.ends(0.0)
        share = part.radius_mm / float(np.linalg.norm(b - a))
        return self._add(_limb_shape(share, share, 0.5, 0.85 * share), part.colour)

    def _lifter(
        self, scene: Scene, rng: np.random.Generator, away: tuple[float, float, float] = (0, 0, 0)
    ) -> Lifter:
        """Somebody who lifts, clad and loaded as in a scene, at world (x, z), so much later, s."""
        self.limbs: list[Any] = []
        for far in ("", "far_"):
            self._side(far, scene)
        self._middle(scene)
        return Lifter(self.limbs, self._bar(rng, scene), np.array([away[0], 0.0, away[1]]), away[2])

    def _limb(self, a: str, b: str, shape: tuple[float, float, float, float], colour: Colour,
              part: tuple[float, float] = (0.0, 1.0)) -> None:  # fmt: skip
        """A limb from one point to another; radii in shares of stature."""
        p = points_at(self.sim, 0.05, False)
        span = float(np.linalg.norm(p[b] - p[a])) * (part[1] - part[0])
        unit = self.sim.body.stature * self.scene.girth / max(span, 1.0)
        low, belly, at, high = shape
        data = _limb_shape(low * unit, belly * unit, at, high * unit)
        self.limbs.append((self._add(data, colour), a, b, *part))

    def _side(self, far: str, s: Scene) -> None:
        leg = s.shorts if s.trousers else s.skin
        arm = s.shirt if s.long_sleeves else s.skin
        self._limb(far + "hip", far + "knee", (0.050, 0.056, 0.25, 0.034), leg)
        self._limb(far + "hip", far + "knee", (0.054, 0.060, 0.35, 0.050), s.shorts, (0.0, 0.55))
        self._limb(far + "knee", far + "ankle", (0.033, 0.037, 0.3, 0.021), leg)
        cuff = leg if s.trousers else s.sleeve
        self._limb(far + "knee", far + "ankle", (0.037, 0.037, 0.5, 0.036), cuff, (-0.1, 0.1))
        self._limb(far + "ankle", far + "toe", (0.026, 0.025, 0.5, 0.020), s.shoe)
        self._limb(far + "heel", far + "toe", (0.022, 0.021, 0.5, 0.018), s.shoe)
        self._limb(far + "shoulder", far + "elbow", (0.033, 0.033, 0.4, 0.024), arm)
        self._limb(far + "shoulder", far + "elbow", (0.037, 0.037, 0.4, 0.034), s.shirt, (0.0, 0.4))
        self._limb(far + "elbow", far + "wrist", (0.024, 0.026, 0.25, 0.017), arm)
        self._limb(far + "wrist", far + "grip", (0.019, 0.022, 0.5, 0.022), s.skin)

    def _middle(self, s: Scene) -> None:
        self._limb("mid_hip", "mid_shoulder", (0.060, 0.064, 0.7, 0.045), s.shirt, (0.0, 0.97))
        self._limb("mid_hip", "mid_shoulder", (0.066, 0.066, 0.3, 0.060), s.shorts, (-0.05, 0.16))
        self._limb("mid_shoulder", "mid_ear", (0.036, 0.034, 0.5, 0.032), s.skin)
        self._limb("mid_ear", "crown", (0.042, 0.050, 0.5, 0.046), s.skin)
        self._limb("mid_ear", "crown", (0.049, 0.054, 0.6, 0.049), s.hair, (0.55, 1.0))
        self._limb("mid_ear", "nose", (0.03, 0.024, 0.5, 0.009), s.skin)

    def _bar(self, rng: np.random.Generator, scene: Scene) -> list[tuple[Any, float]]:
        """Bar, sleeves, discs and their words, each with where it sits along the bar, mm."""
        vtk = _vtk()
        out: list[tuple[Any, float]] = []

        def rod(radius: float, a: float, b: float, colour: Colour) -> None:
            tube = vtk.vtkCylinderSource()
            tube.SetRadius(radius)
            tube.SetHeight(b - a)
            tube.SetCenter(0, (a + b) / 2, 0)
            tube.SetResolution(32)
            tube.Update()
            out.append((self._add(tube.GetOutput(), colour, 0.5), 0.0))

        rod(BAR_R, -SLEEVE_FROM, SLEEVE_FROM, (0.6, 0.6, 0.62))
        for sign in (-1, 1):
            rod(SLEEVE_R, *sorted((sign * SLEEVE_FROM, sign * SLEEVE_TO)), (0.66, 0.66, 0.68))
            z = SLEEVE_FROM
            for radius, thick, colour in scene.discs:
                actor = self._add(_disc_shape(radius, thick), colour, 0.15)
                out.append((actor, sign * (z + thick / 2.0)))
                if sign > 0:
                    out += self._band(z + thick, radius, scene.ring)
                    out += self._letters(z + thick, radius, rng)
                z += thick
        return out

    def _band(self, z: float, radius: float, colour: Colour | None) -> list[tuple[Any, float]]:
        """A flat coloured ring on the face."""
        if colour is None:
            return []
        ring = _turned([(0.0, 0.76 * radius), (0.6, 0.76 * radius), (0.6, 0.88 * radius)], 72)
        return [(self._add(ring, colour, 0.15), z)]

    def _letters(
        self, z: float, radius: float, rng: np.random.Generator
    ) -> list[tuple[Any, float]]:
        """Blocks like a maker's words on the face; they turn with the disc."""
        vtk = _vtk()
        out: list[tuple[Any, float]] = []
        for start in (0.2, 3.4):
            for k in range(int(rng.integers(4, 8))):
                block = vtk.vtkCubeSource()
                block.SetXLength(float(rng.uniform(10, 26)))
                block.SetZLength(float(rng.uniform(24, 40)))
                block.SetYLength(1.5)
                a = start + 0.2 * k
                r = 0.68 * radius
                block.SetCenter(r * np.cos(a), 0.8, r * np.sin(a))
                block.Update()
                out.append((self._add(block.GetOutput(), (0.85, 0.84, 0.8)), z))
        return out

    def _pose(self, t: float) -> None:
        for lifter in self.lifters:
            self._posed(lifter, t)
        for actor, ends in self.others:
            actor.SetUserMatrix(_matrix(*ends(t), 1.3))

    def _posed(self, lifter: Lifter, t: float) -> None:
        p = points_at(
            self.sim, t - lifter.late_s, self.phone.facing == "left", self.scene.rear_near
        )
        p = {name: at + lifter.away for name, at in p.items()}
        broad = {"mid_hip": 1.75}
        for actor, a, b, from_share, to_share in lifter.limbs:
            q = p[a] + from_share * (p[b] - p[a])
            r = p[a] + to_share * (p[b] - p[a])
            actor.SetUserMatrix(_matrix(q, r, broad.get(a, 1.0)))
        bar, spin = p["bar"], 50.0 * np.sin(2.1 * t)
        vtk = _vtk()
        for actor, along in lifter.bar:
            turn = vtk.vtkTransform()
            turn.Translate(*bar)
            turn.RotateX(90)  # its own axis, y, comes to lie along z
            turn.RotateY(spin)
            turn.Translate(0, along, 0)
            actor.SetUserTransform(turn)

    def frame(self, t: float) -> FloatArray:
        """The picture (height, width, 3) at one instant, 0 to 1, before the sensor."""
        vtk = _vtk()
        from vtk.util.numpy_support import vtk_to_numpy

        self._pose(t)
        at, axes = self.phone.place(t)
        camera = self.view.GetActiveCamera()
        camera.SetPosition(*at)
        camera.SetFocalPoint(*(at + 1000.0 * axes[2]))
        camera.SetViewUp(*(-axes[1]))
        high = self.size[1] / (2.0 * self.phone.lens_px)
        camera.SetViewAngle(2.0 * np.degrees(np.arctan(high)))
        camera.SetClippingRange(300.0, 20000.0)
        self.window.Render()
        data = vtk.vtkUnsignedCharArray()
        w, h = self.size
        self.window.GetPixelData(0, 0, w - 1, h - 1, 1, data, 0)
        img = vtk_to_numpy(data).reshape(h, w, 3)[::-1].astype(np.float32) / 255.0
        return self._bent(img)

    def _bent(self, img: FloatArray) -> FloatArray:
        phone = self.phone
        if not phone.k1:
            return img
        h, w = phone.height, phone.width
        ys, xs = np.mgrid[:h, :w].astype(np.float32)
        x = (xs - (w - 1) / 2.0) / phone.lens_px
        y = (ys - (h - 1) / 2.0) / phone.lens_px
        r2 = x**2 + y**2
        k = np.ones_like(r2)
        for _ in range(6):  # the undistorted radius, by iteration
            k = 1.0 / (1.0 + phone.k1 * r2 * k**2)
        mx = (x * k * phone.lens_px + (self.size[0] - 1) / 2.0).astype(np.float32)
        my = (y * k * phone.lens_px + (self.size[1] - 1) / 2.0).astype(np.float32)
        return np.asarray(cv2.remap(img, mx, my, cv2.INTER_LINEAR))


def _matrix(a: FloatArray, b: FloatArray, broad: float) -> Any:
    """Takes the unit limb along y to the limb from a to b; ``broad`` widens it across (z)."""
    vtk = _vtk()
    y = b - a
    length = max(float(np.linalg.norm(y)), 1.0)
    z = np.array([0.0, 0.0, 1.0]) - y * (y[2] / length**2)
    z = z / np.linalg.norm(z) if np.linalg.norm(z) > 1e-3 else np.array([1.0, 0.0, 0.0])
    x = np.cross(y / length, z)
    m = vtk.vtkMatrix4x4()
    for i in range(3):
        m.SetElement(i, 0, float(length * x[i]))
        m.SetElement(i, 1, float(y[i]))
        m.SetElement(i, 2, float(length * broad * z[i]))
        m.SetElement(i, 3, float(a[i]))
    return m


def _disc_shape(radius: float, thick: float) -> Any:
    """A bumper disc about y: rounded rim, sunk face, raised hub."""
    half, edge = thick / 2.0, min(9.0, thick / 4.0)
    outer = [(-half + edge * (1 - np.sin(a)), radius - edge * (1 - np.cos(a)))
             for a in np.linspace(np.pi / 2, 0, 4)]  # fmt: skip
    lower = [(-half, 1e-3), (-half, HUB_R), (-half + 6, HUB_R + 4), (-half + 6, radius * 0.86),
             (-half, radius * 0.88)]  # fmt: skip
    profile = lower + outer
    profile += [(-h, r) for h, r in reversed(profile)]
    return _turned(profile, 72)


def _wall(scene: Scene, rng: np.random.Generator) -> Picture:
    """What the wall behind looks like, seen flat: 10 m by 3.6 m."""
    h, w = 720, 2000
    wall = 255 * np.ones((h, w, 1)) * np.array(scene.wall)
    if scene.pattern == "brick":
        for row in range(0, h, 15):
            wall[row : row + 2] *= 0.72
            for x in range((row // 15 % 2) * 24, w, 48):
                wall[row : row + 15, x : x + 2] *= 0.72
                wall[row + 2 : row + 15, x + 2 : x + 48] *= rng.uniform(0.86, 1.1)
    elif scene.pattern == "panels":
        for x in range(0, w, 250):
            wall[:, x : x + 5] *= 0.6
            wall[: h // 2, x + 40 : x + 210] *= rng.uniform(0.9, 1.25)
        wall[-60:] *= 0.7
    for _ in range(int(rng.integers(2, 6))):  # posters, shelves, a window
        x, y = int(rng.integers(0, w - 200)), int(rng.integers(40, h - 250))
        ww, hh = int(rng.integers(40, 190)), int(rng.integers(30, 170))
        wall[y : y + hh, x : x + ww] = 255 * rng.uniform(0.1, 1.0, 3)
    wall += rng.normal(0, 5, (h, w, 1))
    # VTK counts rows from below.
    return np.ascontiguousarray(np.clip(wall, 0, 255).astype(np.uint8)[::-1])


def film(sim: SimMotion, scene: Scene, phone: Phone, times_s: FloatArray) -> Iterator[Picture]:
    """Film the rep.

    Args:
        sim: the motion.
        scene, phone: who, where and how.
        times_s: (N,), middle of each exposure.

    Yields:
        RGB pictures of shape (height, width, 3), uint8.
    """
    stage = Stage(sim, scene, phone)
    rng = np.random.default_rng(scene.seed + 1)
    speed = np.linalg.norm(np.gradient(sim.bar, 1.0 / RATE_HZ, axis=0), axis=1)
    near_px_mm = phone.lens_px / (abs(phone.at[2]) - 700.0)
    for t in times_s:
        fast = float(speed[min(int(t * RATE_HZ), len(speed) - 1)])
        blur_px = fast * phone.exposure_s * near_px_mm
        parts = int(np.clip(np.ceil(blur_px / 2.5), 1, 6))
        steps = ((np.arange(parts) + 0.5) / parts - 0.5) * phone.exposure_s
        # Light adds up on the sensor before the curve of the picture is applied.
        light = np.mean([stage.frame(float(t + s)) ** 2.2 for s in steps], axis=0)
        light = light * (1.0 + phone.drift * np.sin(DRIFT_HZ * 2.0 * np.pi * float(t)))
        grain = rng.standard_normal(light.shape[:2], dtype=np.float32)[..., None]
        seen = 255.0 * light ** (1 / 2.2)
        yield np.clip(seen + grain * phone.noise * (1.2 - 0.4 * seen / 255.0), 0, 255).astype(
            np.uint8
        )
