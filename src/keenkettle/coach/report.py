"""A review as plain data (schema keenkettle.analysis/1) and its tracks as CSV text."""

from __future__ import annotations

import csv
import io
from typing import Any

import numpy as np

from keenkettle.coach.front import is_front
from keenkettle.coach.review import RepReview, Review
from keenkettle.measure.metrics import phase_times_ms
from keenkettle.measure.sheet import RepContext

SCHEMA = "keenkettle.analysis/1"


def _n(value: float, digits: int = 3) -> float | None:
    return round(float(value), digits) if np.isfinite(value) else None


def as_document(review: Review) -> dict[str, Any]:
    """The whole review as JSON-ready data; what was not measured is None."""
    info, cal = review.info, review.calibration
    up = cal.vertical_px
    first = review.reps[0].span.lift_off if review.reps else 0
    origin = review.motion.bar[first]
    return {
        "schema": SCHEMA,
        "view": "front" if is_front(review.joints) else "side",
        "clip": {
            "path": str(info.path),
            "frames": info.frames,
            "width": info.width,
            "height": info.height,
            "duration_s": _n(info.duration_s),
            "fps_nominal": info.fps_nominal,
            "variable_rate": info.variable_rate,
            "time_scale": review.time_scale,
            "rotation": info.rotation,
        },
        "calibration": {
            "mm_per_px": _n(cal.mm_per_px, 5),
            "plate_px": _n(cal.plate_px, 2) if cal.plate_px else None,
            "plate_mm": cal.plate_mm,
            "source": cal.source,
            "tilt_deg": _n(cal.tilt_deg, 2),
            "vertical_px": [up[0], up[1]],
            "floor_y_px": _n(cal.floor_y_px, 1) if cal.floor_y_px else None,
            "camera_m": cal.camera_m,
        },
        "facing": review.facing,
        "lift": {"id": review.lift.id, "source": review.lift_source},
        "bar": [
            {
                "frame": i,
                "t_s": _n(review.times_s[i], 5),
                "x_px": _n(review.bar.xy_px[i, 0]),
                "y_px": _n(review.bar.xy_px[i, 1]),
                "x_mm": _n(review.motion.bar[i, 0] - origin[0], 2),
                "y_mm": _n(review.motion.bar[i, 1] - origin[1], 2),
                "quality": _n(review.bar.quality[i]),
            }
            for i in range(info.frames)
        ],
        "joints": _joints(review),
        "reps": [_rep(review, r) for r in review.reps],
        "warnings": list(review.warnings),
    }


def _joints(review: Review) -> dict[str, Any]:
    size = review.calibration.plate_px or 100.0
    out: dict[str, Any] = {}
    for name, track in review.joints.items():
        known = np.flatnonzero(np.isfinite(track.xy_px[:, 0]))
        out[name] = [
            {
                "frame": int(i),
                "x_px": _n(track.xy_px[i, 0], 2),
                "y_px": _n(track.xy_px[i, 1], 2),
                "quality": _n(1.0 / (1.0 + 12.0 * track.sigma_px[i] / size)),
            }
            for i in known
        ]
    return out


def _rep(review: Review, rep: RepReview) -> dict[str, Any]:
    t = review.times_s
    metrics: dict[str, Any] = {
        name: {"value": None if m.value is None else _n(m.value, 4), "unit": m.unit}
        | ({"sigma": _n(m.sigma, 4), "frame": m.at} if m.value is not None else {"why": m.why})
        for name, m in rep.metrics.items()
    }
    ctx = RepContext(rep.motion, rep.span, rep.events, review.lift.family)
    times = {k: _n(v, 1) for k, v in phase_times_ms(ctx).items()}
    metrics["phase_times"] = {"value": times, "unit": "ms"}
    return {
        "number": rep.number,
        "first_frame": int(rep.span.lift_off),
        "last_frame": int(rep.span.end),
        "events": {
            name: None if i is None else {"frame": int(i), "t_s": _n(t[i], 4)}
            for name, i in rep.events.items()
        },
        "metrics": metrics,
        "findings": [
            {
                "fault": f.fault,
                "severity": f.severity,
                "frame": f.at,
                "frame_from": f.frame_from,
                "frame_to": f.frame_to,
                "confidence": f.confidence,
                "follows": f.follows or None,
                "evidence": [
                    {
                        "metric": e.metric,
                        "label": e.label,
                        "value": _n(e.value, 4),
                        "sigma": _n(e.sigma, 4),
                        "limit": _n(e.limit, 4),
                        "unit": e.unit,
                        "relation": e.relation,
                    }
                    for e in f.evidence
                ],
                "says": f.says,
            }
            for f in rep.verdict.findings
        ],
        "good": list(rep.verdict.good),
        "judged": rep.verdict.judged,
        "not_judged": [{"fault": f, "why": why} for f, why in rep.verdict.not_judged],
    }


def tracks_csv(review: Review) -> str:
    """Bar and joint tracks as CSV text: frame, t_s, point, x_px, y_px, x_mm, y_mm, quality."""
    buffer = io.StringIO()
    out = csv.writer(buffer, lineterminator="\n")
    out.writerow(["frame", "t_s", "point", "x_px", "y_px", "x_mm", "y_mm", "quality"])
    document = as_document(review)
    for b in document["bar"]:
        row = [b["frame"], b["t_s"], "bar", b["x_px"], b["y_px"], b["x_mm"], b["y_mm"]]
        out.writerow([*row, b["quality"]])
    for name, points in document["joints"].items():
        mm = review.motion.joints.get(name)
        for p in points:
            at = [None, None] if mm is None else [_n(v, 2) for v in mm[p["frame"]]]
            t = _n(review.times_s[p["frame"]], 5)
            out.writerow([p["frame"], t, name, p["x_px"], p["y_px"], *at, p["quality"]])
    return buffer.getvalue()
