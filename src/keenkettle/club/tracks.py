"""What was read from a clip's pictures, packed for the records.

Judging from stored tracks is quick, so limits and measures can change without film.
"""

from __future__ import annotations

import io
import zlib
from dataclasses import asdict, astuple
from pathlib import Path
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from keenkettle.coach.review import Review, Tracked
from keenkettle.film.clip import ClipInfo
from keenkettle.film.far_disc import FarDisc
from keenkettle.film.rim import Ring
from keenkettle.film.view import Roll
from keenkettle.measure.motion import BarTrack, JointTrack

FORMAT = 1
_DAMAGED = (
    ValueError, KeyError, OSError, EOFError, TypeError, SyntaxError, BadZipFile, zlib.error,
)  # fmt: skip

OLD_ROLL_SD_DEG = 0.75  # of a roll that was kept without its error


class TracksError(ValueError):
    """Stored tracks cannot be used; the clip should be analysed again."""


def pack(review: Review, tracked_radius_sigma: float, found: bool) -> bytes:
    """Pack the tracks of a review."""
    info = {k: str(v) if isinstance(v, Path) else v for k, v in asdict(review.info).items()}
    arrays = {
        "times_s": review.times_s / (review.time_scale or 1.0),
        "bar_xy": review.bar.xy_px.astype(np.float32),
        "bar_quality": review.bar.quality.astype(np.float32),
        "numbers": np.array([FORMAT, review.bar.sigma_px, tracked_radius_sigma, found]),
        "ring": np.array([review.ring.x, review.ring.y, review.ring.r, review.ring.aspect]),
        "info": np.array(repr(info)),
        "grows": np.array(review.bar.grows),
        "cuts": np.array(review.bar.cuts, dtype=np.int64),
        "roll": np.array(
            [review.calibration.tilt_deg, np.degrees(review.calibration.vertical_sigma)]
        ),
    }
    if review.far is not None:
        arrays["far"] = np.array(astuple(review.far))
    if review.far_end is not None:
        arrays["far_end"] = _packed(review.far_end)
    if review.in_discs is not None:
        arrays["in_discs"] = np.array([review.in_discs])
    if review.bar.drift_px is not None:
        arrays["drift"] = review.bar.drift_px.astype(np.float32)
    if review.says:
        arrays["says"] = np.array(review.says)
    for name, track in review.joints.items():
        arrays[f"joint_{name}"] = _packed(track)
    buffer = io.BytesIO()
    np.savez_compressed(buffer, **arrays)  # type: ignore[arg-type]
    return buffer.getvalue()


def _packed(track: JointTrack) -> NDArray[np.float32]:
    """Places and errors of a track, shape (N, 3), or (N, 4) with where it is of the far side."""
    columns = [track.xy_px, track.sigma_px]
    if track.far_side is not None:
        columns.append(track.far_side.astype(float))
    return np.column_stack(columns).astype(np.float32)


def _unpacked(values: NDArray[np.float32]) -> JointTrack:
    far_side = values[:, 3] > 0.5 if values.shape[1] > 3 else None
    return JointTrack(values[:, :2].astype(float), values[:, 2].astype(float), far_side)


def unpack(data: bytes) -> tuple[Tracked, dict[str, JointTrack]]:
    """Unpack stored tracks.

    Raises:
        TracksError: they are of another format or damaged.
    """
    try:
        return _read(data)
    except SystemError:
        # Python 3.11 may say so of an array's sound header while another thread reads one too.
        return _read(data)


def _read(data: bytes) -> tuple[Tracked, dict[str, JointTrack]]:
    import ast

    try:
        with np.load(io.BytesIO(data)) as box:
            version, noise, radius_sigma, found = (float(v) for v in box["numbers"])
            if int(version) != FORMAT:
                raise TracksError("the clip was analysed by another version; analyse it again")
            raw = ast.literal_eval(str(box["info"]))
            info = ClipInfo(**{**raw, "path": Path(raw["path"])})
            ring = Ring(*(float(v) for v in box["ring"]))
            cuts = tuple(map(int, box["cuts"])) if "cuts" in box.files else ()
            drift = box["drift"].astype(float) if "drift" in box.files else None
            grows = tuple(map(float, box["grows"])) if "grows" in box.files else (0.0, np.inf)
            bar = BarTrack(
                box["bar_xy"].astype(float),
                box["bar_quality"].astype(float),
                noise,
                cuts,
                drift,
                (grows[0], grows[1]),
            )
            joints = {
                name.removeprefix("joint_"): _unpacked(box[name])
                for name in box.files
                if name.startswith("joint_")
            }
            times = box["times_s"].astype(float)
            lean = [float(v) for v in box["roll"]] if "roll" in box.files else []
            roll = Roll(lean[0], (*lean, OLD_ROLL_SD_DEG)[1]) if lean else None
            far = FarDisc(*(float(v) for v in box["far"])) if "far" in box.files else None
            far_end = _unpacked(box["far_end"]) if "far_end" in box.files else None
            in_discs = float(box["in_discs"][0]) if "in_discs" in box.files else None
            says = tuple(map(str, box["says"])) if "says" in box.files else ()
    except _DAMAGED as err:
        if isinstance(err, TracksError):
            raise
        raise TracksError("the stored analysis is damaged; analyse the clip again") from err
    tracked = Tracked(
        info, times, ring, radius_sigma, bool(found), bar, roll, far, far_end, in_discs, says=says
    )
    return tracked, joints
