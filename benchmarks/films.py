"""Films with known truth, made once into a folder that is not kept in the repository."""

from __future__ import annotations

import json
import multiprocessing
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.film import Encoding, truth_document, write_film, write_truth
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import Recipe
from keenkettle.lifter.render import Look

FOLDER = Path(__file__).parent.parent / ".bench"


@dataclass(frozen=True)
class Film:
    """One film of the matrix."""

    name: str
    lift: str
    stature_mm: float = 1750.0
    faults: dict[str, float] = field(default_factory=dict)
    yaw_deg: float = 0.0
    facing: str = "right"
    fps: float = 60.0
    jitter: float = 0.0
    look: Look = field(default_factory=Look)
    distance_mm: float = 5000.0


def make(film: Film) -> tuple[Path, dict[str, Any]]:
    """Film it where it is not there yet; returns the clip and its truth."""
    FOLDER.mkdir(exist_ok=True)
    clip, truth = FOLDER / f"{film.name}.mp4", FOLDER / f"{film.name}.json"
    if not truth.exists():
        sim = build_motion(Recipe(film.lift, film.stature_mm, film.faults))
        camera = fitted_camera(
            1280, 720, film.fps, film.stature_mm, film.yaw_deg, film.facing, film.distance_mm
        )
        times = write_film(sim, camera, film.look, clip, jitter=film.jitter)
        write_truth(truth_document(sim, camera, times), truth)
    return clip, json.loads(truth.read_text())


def make_all(films: list[Film]) -> None:
    """Film what is missing, on both cores."""
    # A forked child of a process with threads may hang.
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn")) as pool:
        list(pool.map(make, films))


def long_film(name: str, width: int, height: int, fps: int, seconds: float, mbit: float) -> Path:
    """A long film at a phone's size and bit rate, from a small one played to and fro."""
    FOLDER.mkdir(exist_ok=True)
    out = FOLDER / f"{name}.mp4"
    if out.exists():
        return out
    source, _ = make(Film("plain-power-clean", "power-clean"))
    with av.open(str(source)) as box:
        pictures = [f.to_ndarray(format="rgb24") for f in box.decode(video=0)]
    order = [*range(len(pictures)), *range(len(pictures) - 1, -1, -1)]
    rng = np.random.default_rng(2)
    grain = [rng.normal(0, 5, (height, width, 1)).astype(np.float32) for _ in range(5)]
    part = out.with_suffix(".part.mp4")
    with av.open(str(part), "w") as box:
        stream: Any = box.add_stream("libx264", rate=fps)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.bit_rate = int(mbit * 1e6)
        stream.codec_context.gop_size = fps
        stream.options = {"preset": "veryfast"}
        for i in range(round(seconds * fps)):
            picture = cv2.resize(pictures[order[i * 60 // fps % len(order)]], (width, height))
            noisy = np.clip(picture + grain[i % 5], 0, 255).astype(np.uint8)
            box.mux(stream.encode(av.VideoFrame.from_ndarray(noisy, format="rgb24")))
        box.mux(stream.encode())
    part.replace(out)
    return out


def gop_film(frames: int = 300) -> Path:
    """A small film with B-frames and key frames 250 apart."""
    FOLDER.mkdir(exist_ok=True)
    out = FOLDER / "gop250.mp4"
    if not out.exists():
        sim = build_motion(Recipe("power-clean"))
        camera = fitted_camera(480, 270, frames / sim.t_s[-1], 1750.0)
        write_film(sim, camera, Look(), out, Encoding(gop=250, b_frames=3))
    return out
