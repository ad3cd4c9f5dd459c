"""Cameras: film with one straight into a file (Linux's V4L2 devices), or find its card's films.

The file is written in pieces of a second: when the plug is pulled, what is there can be read.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.video.frame import PictureType
from numpy.typing import NDArray

from keenkettle.files import CannotWriteError
from keenkettle.film.write import TIME_BASE

Picture = NDArray[np.uint8]
LISTED, NODES = Path("/sys/class/video4linux"), Path("/dev")
IN_PIECES = {"movflags": "frag_keyframe+empty_moov+default_base_moof"}
#: What a camera is asked for, until it agrees; fast pictures first, for a bar is fast.
WISHES: tuple[dict[str, str], ...] = (
    {"input_format": "mjpeg", "video_size": "1280x720", "framerate": "60"},
    {"video_size": "1280x720", "framerate": "30"},
    {},
)
SHOWN_PX, SHOWN_EVERY_S = 640, 1.0 / 15.0  # the picture shown while filming
LEAST_FRAMES = 2


class CameraError(ValueError):
    """A camera gives no film; the message names it and says what to do."""


@dataclass(frozen=True)
class Device:
    """A camera: where it is, what it calls itself, and who reads it."""

    path: str
    name: str
    reader: str = "v4l2"


def devices(listed: Path = LISTED) -> list[Device]:
    """Cameras that are connected, in the order of their numbers."""
    nodes = [p for p in listed.glob("video*") if p.name[5:].isdigit()]
    found = []
    for node in sorted(nodes, key=lambda p: int(p.name[5:])):
        if _word(node / "index") in ("", "0"):  # a camera's further nodes carry no pictures
            found.append(Device(str(NODES / node.name), _word(node / "name") or node.name))
    return found


def film(
    device: Device, out: Path | None, go_on: Callable[[], bool], show: Callable[[Picture], None]
) -> int:
    """Film until told to stop; returns how many frames there were.

    Args:
        device: the camera.
        out: an .mp4 name, or None to look only; what was filmed before a camera is unplugged
            stays in it.
        go_on: asked after every frame.
        show: given a small picture, shape (height, width, 3), some times a second.

    Raises:
        CameraError: it cannot be opened, or gave no pictures; no file is left then.
        CannotWriteError: the folder cannot be written.
    """
    source, count, shown_s = _open(device), 0, -np.inf
    try:
        with source, _Writer(source, out) as writer:
            for frame in _frames(source):
                writer.add(frame)
                count += 1
                if time.monotonic() - shown_s >= SHOWN_EVERY_S:
                    shown_s = time.monotonic()
                    show(_small(frame))
                if not go_on():
                    break
    except OSError as err:
        _leave_nothing(out)
        raise CannotWriteError(
            f"{out} cannot be written ({err.strerror or err}); choose another folder or make room"
        ) from err
    if count < LEAST_FRAMES:
        _leave_nothing(out)
        raise CameraError(
            f"{device.name} gave no pictures; see that it is plugged in, that no other program "
            "uses it, and film again"
        )
    return count


def _leave_nothing(out: Path | None) -> None:
    if out is not None:
        out.unlink(missing_ok=True)


def _open(device: Device) -> Any:
    wishes = WISHES if device.reader == "v4l2" else ({},)
    for wish in wishes:
        try:
            return av.open(device.path, format=device.reader, options=wish)
        except (av.error.FFmpegError, OSError, ValueError) as err:
            why = err
    raise CameraError(
        f"{device.name} cannot be opened ({getattr(why, 'strerror', None) or why}); see that it is "
        "plugged in, that no other program uses it, and that you may use cameras"
    )


class _Writer:
    """Frames into a file, each at the time the camera gives it; nowhere without a name."""

    def __init__(self, source: Any, out: Path | None) -> None:
        self._rate = source.streams.video[0].average_rate or Fraction(30)
        self._box: Any = av.open(str(out), "w", format="mp4", options=IN_PIECES) if out else None
        self._stream: Any = None
        self._began, self._last = 0.0, -1

    def __enter__(self) -> _Writer:
        return self

    def __exit__(self, *exc: object) -> None:
        if self._box is None:
            return
        if self._stream is not None:
            self._box.mux(self._stream.encode())
        self._box.close()

    def add(self, frame: Any) -> None:
        if self._box is None:
            return
        t_s = float(frame.time or 0.0)
        if self._stream is None:
            self._began = t_s
            self._stream = self._box.add_stream("libx264", rate=self._rate)
            self._stream.width, self._stream.height = (
                x // 2 * 2 for x in (frame.width, frame.height)
            )
            self._stream.pix_fmt = "yuv420p"
            self._stream.codec_context.time_base = TIME_BASE
            # A second between key frames: so much is lost at most, and steps back stay quick.
            second = str(round(float(self._rate)))
            self._stream.options = {"preset": "ultrafast", "crf": "18", "g": second}
        made = frame.reformat(self._stream.width, self._stream.height, "yuv420p")
        made.pict_type = PictureType.NONE  # a camera's frames are key frames all
        # Two frames of one moment would be one for whoever reads them.
        self._last = max(round((t_s - self._began) / TIME_BASE), self._last + 1)
        made.pts, made.time_base = self._last, TIME_BASE
        self._box.mux(self._stream.encode(made))


def _frames(source: Any) -> Any:
    """Decoded frames; ends where the camera is unplugged, passes over pictures that are damaged."""
    packets = source.demux(source.streams.video[0])
    while True:
        try:
            packet = next(packets, None)
        except (av.error.FFmpegError, OSError):
            return
        if packet is None:
            return
        try:
            yield from packet.decode()
        except av.error.FFmpegError:
            continue


def _small(frame: Any) -> Picture:
    k = min(SHOWN_PX / frame.width, 1.0)
    made = frame.reformat(round(frame.width * k), round(frame.height * k), "rgb24")
    return np.asarray(made.to_ndarray(), np.uint8)


def plugged_in() -> tuple[Path, ...]:
    """Folders below which the desktop shows what is plugged in and will be pulled out again."""
    who = os.environ.get("USER", "")
    return (Path("/media") / who, Path("/run/media") / who, Path(f"/run/user/{os.getuid()}/gvfs"))


def cards(roots: Iterable[Path] | None = None) -> list[Path]:
    """Folders of pictures (DCIM) on memory cards, cameras and phones that are plugged in."""
    found: list[Path] = []
    for root in roots or plugged_in():
        for depth in ("*/DCIM", "*/*/DCIM"):  # a phone has its storage between
            with suppress(OSError):  # one that is being pulled out
                found += sorted(p for p in root.glob(depth) if p.is_dir())
    return found


def _word(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""
