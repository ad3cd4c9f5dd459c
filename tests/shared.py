"""Things that tests share: small films with known truth, made once for a run."""

from __future__ import annotations

import os
import tempfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import av
import numpy as np

from keenkettle.coach.lifts import find_lift
from keenkettle.film.clip import Clip
from keenkettle.film.plausible import Marks
from keenkettle.lifter.camera import Camera, fitted_camera
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.film import Encoding, frame_times, picture_truth, write_film
from keenkettle.lifter.motion import SimMotion, build_motion
from keenkettle.lifter.recipe import SHAPES, Recipe, Shown
from keenkettle.lifter.render import Look
from keenkettle.lifter.truth import Truth, truth_of
from keenkettle.measure.geometry import FloatArray

_folder = tempfile.TemporaryDirectory(prefix="kettle-tests-")
#: Where films lie that every process of a run uses.
FILMS = "KETTLE_TEST_FILMS"
SIZE = (640, 360)


@dataclass(frozen=True)
class TestFilm:
    """A small film and its truth."""

    __test__ = False
    path: Path
    sim: SimMotion
    camera: Camera
    times_s: FloatArray
    truth: Truth

    @property
    def pictures(self) -> dict[str, FloatArray]:
        """True pixels of the bar end and the joints by frame."""
        return picture_truth(self.sim, self.camera, self.times_s)

    def marks(self, every: int, noise_px: float = 0.8) -> Marks:
        """Marks as a coach would click them."""
        rng = np.random.default_rng(7)
        marks: Marks = {}
        for name, xy in self.pictures.items():
            if name != "bar":
                for n in [0, *range(12, len(xy), every), len(xy) - 1]:
                    x, y = xy[n] + rng.normal(0, noise_px, 2)
                    marks.setdefault(name, {})[n] = (float(x), float(y))
        return marks


@cache
def film(
    lift: str = "power-clean",
    fault: str = "",
    size: float = 1.3,
    fps: float = 30.0,
    facing: str = "right",
) -> TestFilm:
    """Make (once) a small film of a simulated lift."""
    sim = build_motion(Recipe(lift, 1750.0, {fault: size} if fault else {}))
    camera = fitted_camera(*SIZE, fps, 1750.0, facing=facing)
    name = f"{lift}-{fault}-{fps}-{facing}.mp4"
    path = Path(os.environ.get(FILMS, _folder.name)) / name
    look = Look()
    if path.exists():
        times = frame_times(sim, camera, 0.0, look.seed)
    else:
        part = path.with_name(f"{os.getpid()}-{name}")
        times = write_film(sim, camera, look, part, Encoding(gop=250, crf=20))
        part.replace(path)
    return TestFilm(path, sim, camera, times, truth_of(sim))


def still_film() -> bytes:
    """The first moments of the small film, in which nothing is lifted yet."""
    out = scratch() / "still.mp4"
    with Clip(film().path) as clip, av.open(str(out), "w") as box:
        stream = box.add_stream("libx264", rate=30)
        stream.width, stream.height, stream.pix_fmt = clip.info.width, clip.info.height, "yuv420p"
        for _, picture in clip.rgbs(list(range(16))):
            box.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        box.mux(stream.encode())
    return out.read_bytes()


def scratch() -> Path:
    """A new empty folder, removed at the end of the run."""
    return Path(tempfile.mkdtemp(dir=_folder.name))


def moved(lift: str) -> SimMotion:
    """Any lift of the catalogue by somebody of usual stature, without faults."""
    if lift in SHAPES:
        return build_motion(Recipe(lift))
    found = find_lift(lift)
    axes = Shown(found.family, found.implement, found.start, found.ends)
    return simulate(lift, axes, 1750.0, {})
