"""Joints between a coach's marks: followed both ways, then held to a plausible body.

From every mark each joint is followed forward by sparse optical flow (Lucas & Kanade 1981,
pyramids after Bouguet 2000) and from the next mark backward; the two are weighed by how
far each has drifted. Where the disc covers a joint its picture says nothing: the
uncertainty grows and limb lengths, and the hand on the bar, decide.
"""

from __future__ import annotations

import csv
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from keenkettle.film.clip import Clip
from keenkettle.film.planes import Gray
from keenkettle.film.plausible import Marks, between_marks, hold_together
from keenkettle.measure.geometry import FloatArray
from keenkettle.measure.motion import JOINTS, BarTrack, JointTrack

WINDOW_SHARE = 0.16  # side of the patch that is followed, share of the disc's diameter
CHUNK = 48  # frames held in memory for the backward pass
CLICK_SHARE = 0.012  # a click is off by about this share of the disc's diameter
DRIFT_SEEN, DRIFT_HIDDEN = 0.006, 0.06  # growth of uncertainty a frame, share of the diameter
DRIFT_PLANTED = 0.012  # a foot behind the disc mostly stays where it was
#: Columns of tracks that were handed out, by the names that marks have.
TRACK_COLUMNS = {"point": "joint", "x_px": "x", "y_px": "y"}
POOR = 0.5  # quality below which a track's point is a guess
#: Points that only ever come from marks, and those of a film from the front.
EXTRA = (
    "back", "knee_rear", "ankle_rear", "heel_rear", "toe_rear",
    *(f"{side}_{joint}" for side in ("left", "right") for joint in JOINTS[1:]),
    "bar_left", "bar_right",
)  # fmt: skip
FEET = ("ankle", "heel", "toe")
ASTRAY_SHARE = 0.02  # flow that does not come back to within this is not believed
COVER = 1.12  # a joint this near the disc's middle, in radii, is behind it or mixed with its rim


class MarksError(ValueError):
    """Joint marks cannot be used; the message names file, row and field."""


def read_marks(path: Path, frames: int, bar: bool = False) -> Marks:
    """Read joint marks from CSV with the columns frame, joint, x, y.

    Tracks as they are handed out (frame, point, x_px, y_px, quality) are read too; their points
    without a place or of poor quality are left out.

    Args:
        path: the file.
        frames: frames in the clip, to check against.
        bar: whether the bar's end may be among them.

    Raises:
        MarksError: unreadable, a column is missing, or a row cannot be right.
    """
    try:
        with path.open(newline="", encoding="utf-8-sig") as handle:
            rows = list(csv.DictReader(handle))
    except (OSError, UnicodeDecodeError, csv.Error) as err:
        raise MarksError(f"{path.name} cannot be read as CSV; save it as plain CSV text") from err
    marks: Marks = {}
    known = (*JOINTS, *EXTRA, "bar") if bar else (*JOINTS, *EXTRA)
    for i, given in enumerate(rows, start=2):
        row = {TRACK_COLUMNS.get(k, k): v for k, v in given.items()}
        if "point" in given and (not row.get("x") or _poor(row.get("quality"))):
            continue
        if any(row.get(c) in (None, "") for c in ("frame", "joint", "x", "y")):
            raise MarksError(f"{path.name} row {i}: give frame, joint, x and y in that header")
        joint = str(row["joint"]).strip()
        if joint not in known:
            raise MarksError(
                f"{path.name} row {i}: joint '{joint}' is unknown; use one of {', '.join(known)}"
            )
        try:
            frame, x, y = int(row["frame"]), float(row["x"]), float(row["y"])
        except ValueError as err:
            raise MarksError(
                f"{path.name} row {i}: frame, x and y must be numbers, "
                f"not '{row['frame']}', '{row['x']}', '{row['y']}'"
            ) from err
        if not 0 <= frame < frames:
            raise MarksError(
                f"{path.name} row {i}: frame {frame} is not in the clip (0 to {frames - 1})"
            )
        if not (np.isfinite(x) and np.isfinite(y)):
            raise MarksError(f"{path.name} row {i}: x and y must be finite pixels")
        marks.setdefault(joint, {})[frame] = (x, y)
    if not marks:
        raise MarksError(f"{path.name} holds no marks; add rows of frame, joint, x, y")
    return marks


def _poor(quality: str | None) -> bool:
    try:
        return quality is not None and float(quality) < POOR
    except ValueError:
        return True


@dataclass
class _Pass:
    """One direction's estimate: position and uncertainty per joint and frame."""

    xy: FloatArray  # (frames, joints, 2)
    sigma: FloatArray  # (frames, joints)


def follow_joints(
    clip: Clip,
    marks: Marks,
    bar: BarTrack,
    plate_px: float,
    progress: Callable[[int, int], None] | None = None,
    hold: bool = True,
) -> dict[str, JointTrack]:
    """Follow marked joints over the frames between each joint's first and last mark.

    Before its first and after its last mark a joint is followed for half a second more,
    with growing uncertainty, and is unknown beyond.

    Args:
        clip: the film.
        marks: pixel positions by joint and frame.
        bar: the bar end's track.
        plate_px: disc diameter, pixels.
        hold: hold the joints to limb lengths and the hand to the bar; not where that is
            done later, with what the nets see.

    Returns:
        Tracks of shape (frames, 2) by joint, NaN where unknown.
    """
    names = [j for j in marks if marks[j]]
    if not names:
        return {}
    frames = clip.info.frames
    margin = max(int(0.5 * clip.info.fps_nominal), 1)
    numbers = [n for j in names for n in marks[j]]
    lo, hi = max(min(numbers) - margin, 0), min(max(numbers) + margin, frames - 1)
    ahead = _blank(frames, len(names))
    behind = _blank(frames, len(names))
    spans = _chunks(lo, hi)
    total = 2 * len(spans)
    for done, span in enumerate(spans):
        _flow(dict(clip.grays(*span)), range(*span), names, marks, bar, plate_px, ahead)
        if progress:
            progress(done + 1, total)
    for done, span in enumerate(reversed(spans)):
        order = range(span[1] - 1, span[0] - 1, -1)
        _flow(dict(clip.grays(*span)), order, names, marks, bar, plate_px, behind)
        if progress:
            progress(len(spans) + done + 1, total)
    xy, sigma = _merge(
        ahead, behind, names, marks, bar.xy_px, plate_px, clip.info.fps_nominal, margin
    )
    if hold:
        xy, sigma = hold_together(xy, sigma, names, marks, bar.xy_px, plate_px)
    return {n: JointTrack(xy[:, i], sigma[:, i]) for i, n in enumerate(names)}


def _blank(frames: int, joints: int) -> _Pass:
    return _Pass(np.full((frames, joints, 2), np.nan), np.full((frames, joints), np.inf))


def _chunks(lo: int, hi: int) -> list[tuple[int, int]]:
    """Overlapping spans (by one frame) so that flow carries across their ends."""
    return [(a, min(a + CHUNK + 1, hi + 1)) for a in range(lo, max(hi, lo + 1), CHUNK)]


def _flow(
    grays: dict[int, Gray],
    order: range,
    names: list[str],
    marks: Marks,
    bar: BarTrack,
    plate_px: float,
    out: _Pass,
) -> None:
    window = max(int(WINDOW_SHARE * plate_px) | 1, 9)
    click = CLICK_SHARE * plate_px
    last: int | None = None
    for number in order:
        gray = grays.get(number)
        if gray is None:
            continue
        if last is not None and not np.isfinite(out.xy[number, :, 0]).all():
            _carry(grays[last], gray, last, number, window, bar, plate_px, names, out)
        for i, name in enumerate(names):
            if number in marks[name]:
                out.xy[number, i] = marks[name][number]
                out.sigma[number, i] = click
        last = number


def _carry(
    before: Gray,
    now: Gray,
    last: int,
    number: int,
    window: int,
    bar: BarTrack,
    plate_px: float,
    names: list[str],
    out: _Pass,
) -> None:
    """Move the joints of one frame to the next by optical flow."""
    known = np.flatnonzero(np.isfinite(out.xy[last, :, 0]))
    if len(known) == 0:
        return
    points = out.xy[last, known].astype(np.float32).reshape(-1, 1, 2)
    moved, astray = _there_and_back(before, now, points, window)
    away = np.linalg.norm(out.xy[last, known] - bar.xy_px[last], axis=1)
    hidden = (away < COVER * plate_px / 2.0) | (astray > ASTRAY_SHARE * plate_px)
    step = np.where(hidden[:, None], 0.0, moved - out.xy[last, known])
    blind = np.array([DRIFT_PLANTED if names[i] in FEET else DRIFT_HIDDEN for i in known])
    growth = np.where(hidden, blind, DRIFT_SEEN) * plate_px
    growth = growth + 0.06 * np.linalg.norm(step, axis=1)
    fresh = ~np.isfinite(out.xy[number, known, 0])
    target = known[fresh]
    out.xy[number, target] = out.xy[last, target] + step[fresh]
    # What is not seen goes on as it went, so its error grows with time, not with its root.
    own = out.sigma[last, target]
    out.sigma[number, target] = np.where(
        hidden[fresh], own + growth[fresh], np.hypot(own, growth[fresh])
    )


def _there_and_back(
    before: Gray, now: Gray, points: NDArray[np.float32], window: int
) -> tuple[FloatArray, FloatArray]:
    """Follow points to the next frame; how far off they come when followed back, pixels."""
    pictures = (np.ascontiguousarray(before), np.ascontiguousarray(now))
    how = {"winSize": (window, window), "maxLevel": 3}
    moved, ok, _ = cv2.calcOpticalFlowPyrLK(*pictures, points, None, **how)  # type: ignore[call-overload]
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(*pictures[::-1], moved, None, **how)  # type: ignore[call-overload]
    astray = np.linalg.norm((back - points).reshape(-1, 2), axis=1)
    lost = (ok.reshape(-1) == 0) | (ok2.reshape(-1) == 0)
    return np.asarray(moved.reshape(-1, 2), float), np.where(lost, np.inf, astray)


def _merge(
    ahead: _Pass,
    behind: _Pass,
    names: list[str],
    marks: Marks,
    bar_px: FloatArray,
    plate_px: float,
    fps: float,
    margin: int,
) -> tuple[FloatArray, FloatArray]:
    """Weigh both directions; behind the disc, the curve through the marks as well."""
    wa = np.where(np.isfinite(ahead.xy[..., 0]), 1.0 / ahead.sigma**2, 0.0)
    wb = np.where(np.isfinite(behind.xy[..., 0]), 1.0 / behind.sigma**2, 0.0)
    nearer = np.where((wa >= wb)[..., None], ahead.xy, behind.xy)
    away = np.linalg.norm(nearer - bar_px[:, None], axis=-1)
    curve, wc = np.zeros_like(ahead.xy), np.zeros_like(wa)
    for i, name in enumerate(names):
        curve[:, i], sigma_curve = between_marks(marks[name], len(wa), plate_px, fps)
        wc[:, i] = np.where(away[:, i] < COVER * plate_px / 2.0, 1.0 / sigma_curve**2, 0.0)
    weight = wa + wb + wc
    with np.errstate(invalid="ignore", divide="ignore"):
        xy = (
            np.nan_to_num(ahead.xy) * wa[..., None]
            + np.nan_to_num(behind.xy) * wb[..., None]
            + curve * wc[..., None]
        ) / weight[..., None]
        sigma = 1.0 / np.sqrt(weight)
    both = (wa > 0) & (wb > 0)
    gap = np.linalg.norm(ahead.xy - behind.xy, axis=-1)
    share = np.minimum(wa, wb) / np.maximum(weight, 1e-12)
    sigma = np.where(both, np.hypot(sigma, 0.5 * gap * share), sigma)
    for i, name in enumerate(names):
        first, last = min(marks[name]), max(marks[name])
        xy[: max(first - margin, 0), i] = np.nan
        xy[last + margin + 1 :, i] = np.nan
    sigma[~np.isfinite(xy[..., 0])] = np.inf
    return xy, np.minimum(sigma, 2.0 * plate_px)
