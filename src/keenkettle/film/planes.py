"""Grey and colour of a decoded picture: its luma, or a mixture with its colour differences."""

from __future__ import annotations

from typing import NamedTuple

import av
import cv2
import numpy as np
from numpy.typing import NDArray

Gray = NDArray[np.uint8]
PLANAR = {"yuv420p", "yuvj420p", "yuv422p", "yuvj422p", "yuv444p", "yuvj444p"}  # of 8 bits


class Tone(NamedTuple):
    """How much of luma and of both colour differences is looked at, the grey added to it, and the
    noise of one sample of that and of luma, grey levels, where it is known.
    """

    luma: float
    blue: float
    red: float
    grey: float
    noise: float | None = None
    grain: float | None = None


LUMA = Tone(1.0, 0.0, 0.0, 0.0)


def luma_of(frame: av.VideoFrame) -> Gray:
    """Luma, shape (height, width)."""
    if frame.format.name in PLANAR | {"nv12", "gray"}:
        plane = frame.planes[0]
        flat = np.frombuffer(memoryview(plane), np.uint8)
        return np.asarray(flat.reshape(-1, plane.line_size)[: frame.height, : frame.width])
    return np.asarray(frame.to_ndarray(format="gray"), np.uint8)


def toned_of(frame: av.VideoFrame, tone: Tone) -> Gray:
    """A mixture of luma and colour, shape (height, width), for discs that stand out by their colour
    only; luma where there are no colour planes.
    """
    found = None if tone == LUMA else planes_of(frame)
    if found is None:
        return luma_of(frame)
    y, u, v = found
    out = tone.blue * u.astype(np.float32) + tone.red * v.astype(np.float32)
    out += tone.luma * y.astype(np.float32) + np.float32(tone.grey)
    return np.asarray(np.clip(out, 0.0, 255.0), np.uint8)


def planes_of(frame: av.VideoFrame) -> tuple[Gray, Gray, Gray] | None:
    """Luma and both colour differences at the luma's size; None where it has no colour planes."""
    if frame.format.name not in PLANAR:
        return None
    luma = luma_of(frame)
    size = (luma.shape[1], luma.shape[0])
    colour = []
    for plane in frame.planes[1:3]:
        flat = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)
        part = flat[: plane.height, : plane.width]
        colour.append(np.asarray(cv2.resize(part, size), np.uint8))
    return luma, colour[0], colour[1]


def reduced(gray: Gray, size: tuple[int, int]) -> Gray:
    """A picture (height, width) made smaller, to so many columns and rows, first by halves: that
    is many times faster than at once by an odd factor.
    """
    half = gray.shape[1] // 2, gray.shape[0] // 2
    if size[0] <= half[0] and size[1] <= half[1]:
        whole = gray[: 2 * half[1], : 2 * half[0]]
        halved = np.asarray(cv2.resize(whole, half, interpolation=cv2.INTER_AREA), np.uint8)
        return reduced(halved, size)
    return np.asarray(cv2.resize(gray, size, interpolation=cv2.INTER_AREA), np.uint8)
