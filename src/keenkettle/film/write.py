"""Write pictures as a film that phones and desktops play (H.264 in MP4)."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from keenkettle.files import CannotWriteError

TIME_BASE = Fraction(1, 90000)
CRF = "20"


def write_pictures(
    pictures: Iterable[tuple[float, NDArray[np.uint8]]], out: Path, fps: float
) -> int:
    """Write pictures with their times; returns how many.

    Args:
        pictures: (time in s, RGB of shape (height, width, 3)), times increasing.
        out: an .mp4 name; never left half written.
        fps: nominal frames a second.

    Raises:
        CannotWriteError: the folder cannot be written.
    """
    part = out.with_name(f".{out.name}.part.mp4")
    count = 0
    try:
        with av.open(str(part), "w", format="mp4", options={"movflags": "+faststart"}) as box:
            stream: Any = box.add_stream("libx264", rate=Fraction(fps).limit_denominator(1001))
            stream.pix_fmt, stream.time_base = "yuv420p", TIME_BASE
            stream.codec_context.time_base = TIME_BASE
            stream.options = {"crf": CRF, "preset": "veryfast"}
            for t_s, picture in pictures:
                even = picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2]
                if count == 0:
                    stream.height, stream.width = even.shape[:2]
                frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(even), format="rgb24")
                frame.pts, frame.time_base = round(t_s * TIME_BASE.denominator), TIME_BASE
                box.mux(stream.encode(frame))
                count += 1
            box.mux(stream.encode())
        part.replace(out)
    except OSError as err:
        raise CannotWriteError(
            f"{out} cannot be written ({err.strerror or err}); choose another folder or make room"
        ) from err
    finally:
        part.unlink(missing_ok=True)
    return count
