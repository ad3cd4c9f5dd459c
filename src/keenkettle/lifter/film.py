"""Write a simulated rep as a film with its truth."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from keenkettle.lifter.camera import Camera
from keenkettle.lifter.motion import SimMotion
from keenkettle.lifter.render import JOINT_Z, Look, implement_mm, implement_z, render_frames
from keenkettle.lifter.truth import truth_of
from keenkettle.measure.geometry import FloatArray

TIME_BASE = Fraction(1, 90000)


@dataclass(frozen=True)
class Encoding:
    """How the film is compressed: ``gop`` frames between key frames, B-frames, quality."""

    codec: str = "libx264"
    gop: int = 60
    b_frames: int = 2
    crf: int = 23
    bit_rate: int | None = None


def frame_times(sim: SimMotion, camera: Camera, jitter: float = 0.0, seed: int = 0) -> FloatArray:
    """Times of the frames, s; ``jitter`` is the share of a frame by which they vary."""
    times = np.arange(0.0, sim.t_s[-1], 1.0 / camera.fps)
    rng = np.random.default_rng(seed)
    moved = times + rng.uniform(-0.5, 0.5, len(times)) * jitter / camera.fps
    moved[0] = 0.0
    # Files count time in ticks: the film shows exactly the moment its time stamp names.
    ticks = np.round(moved * TIME_BASE.denominator)
    return np.asarray(ticks / TIME_BASE.denominator)


def write_film(
    sim: SimMotion,
    camera: Camera,
    look: Look,
    out: Path,
    encoding: Encoding | None = None,
    jitter: float = 0.0,
    progress: Callable[[int, int], None] | None = None,
) -> FloatArray:
    """Write the rep as a video file.

    Returns:
        Frame times, shape (N,), s.

    Raises:
        OSError: the file cannot be written.
    """
    how = encoding or Encoding()
    times = frame_times(sim, camera, jitter, look.seed)
    # mp4 needs the whole of its index; a half-written file is never left under the name.
    part = out.with_name(f".{out.name}.part{out.suffix}")
    try:
        with av.open(str(part), "w", options={"movflags": "+faststart"}) as box:
            rate = Fraction(camera.fps).limit_denominator(1001)
            stream: Any = box.add_stream(how.codec, rate=rate)
            stream.width, stream.height = camera.width, camera.height
            stream.pix_fmt = "yuv420p"
            stream.time_base = TIME_BASE
            stream.codec_context.time_base = TIME_BASE
            stream.codec_context.gop_size = how.gop
            stream.codec_context.max_b_frames = how.b_frames
            if how.bit_rate:
                stream.bit_rate = how.bit_rate
            elif how.codec == "libx264":
                stream.options = {"crf": str(how.crf), "preset": "fast"}
            for i, picture in enumerate(render_frames(sim, camera, look, times)):
                frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
                frame.pts = round(float(times[i]) * TIME_BASE.denominator)
                frame.time_base = TIME_BASE
                box.mux(stream.encode(frame))
                if progress:
                    progress(i + 1, len(times))
            box.mux(stream.encode())
        part.replace(out)
    finally:
        part.unlink(missing_ok=True)
    return times


def picture_truth(sim: SimMotion, camera: Camera, times_s: FloatArray) -> dict[str, FloatArray]:
    """Where the bar end and the joints really are on each picture, shape (N, 2), pixels."""
    out = {}
    for name, xy in {"bar": sim.bar, **sim.joints}.items():
        at = np.stack([np.interp(times_s, sim.t_s, xy[:, i]) for i in (0, 1)], axis=-1)
        z = implement_z(sim) if name == "bar" else JOINT_Z[name.removesuffix("_rear")]
        out[name] = camera.project(np.column_stack([at, np.full(len(at), z)]))
    return out


def truth_document(sim: SimMotion, camera: Camera, times_s: FloatArray) -> dict[str, Any]:
    """The truth of a film as plain data: events by frame, metrics, joints and bar by frame."""
    truth = truth_of(sim)
    pictures = picture_truth(sim, camera, times_s)
    bar_mm = np.stack([np.interp(times_s, sim.t_s, sim.bar[:, i]) for i in (0, 1)], -1)
    begins = ("lift_off", "dip_start", "descent_start")
    start = next((t for n in begins if (t := truth.event_s.get(n)) is not None), 0.0)
    origin = np.array([np.interp(start, sim.t_s, sim.bar[:, i]) for i in (0, 1)])
    events: dict[str, Any] = {}
    for name, t in truth.event_s.items():
        if t is None:
            events[name] = None
        else:
            near = int(np.searchsorted(times_s, t, side="right")) - 1
            if name not in begins:
                near = int(np.argmin(np.abs(times_s - t)))
            events[name] = {"frame": near, "t_s": round(t, 4)}
    return {
        "schema": "keenkettle.truth/1",
        "lift": sim.lift,
        "start": sim.shown.start,
        "stature_cm": sim.body.stature / 10.0,
        "faults": sim.faults,
        "facing": camera.facing,
        "mm_per_px": 1.0 / camera.px_per_mm,
        "plate_px": 2.0 * implement_mm(sim) * camera.scale_at(implement_z(sim)),
        "camera_m": camera.distance_mm / 1000.0,
        "events": events,
        "metrics": {
            k: {"value": None if m.value is None else round(m.value, 4), "unit": m.unit}
            for k, m in truth.metrics.items()
        },
        "frames": [
            {
                "frame": i,
                "t_s": round(float(t), 5),
                "bar_px": pictures["bar"][i].round(3).tolist(),
                "bar_mm": (bar_mm[i] - origin).round(2).tolist(),
                "joints_px": {
                    n: xy[i].round(2).tolist() for n, xy in pictures.items() if n != "bar"
                },
            }
            for i, t in enumerate(times_s)
        ],
    }


def write_truth(document: dict[str, Any], out: Path) -> None:
    """Write a truth document as JSON.

    Raises:
        OSError: the file cannot be written.
    """
    out.write_text(json.dumps(document), encoding="utf-8")
