"""Headless commands: fit, choose, ladder, import, export. Each prints JSON or plain lines."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

from keenkettle.club import look_up
from keenkettle.club.commands import History
from keenkettle.club.csv_people import CsvError, TakePeople, names_in, read_people, says_of
from keenkettle.club.record import RecordError, TakeRecord, read_record, write_record
from keenkettle.club.store import DATABASE, Store, default_folder
from keenkettle.coach.choosing import Choices, Question, choose
from keenkettle.coach.gates import gate_text
from keenkettle.coach.ladders import Ladder, all_ladders, bail_out_first, find_ladder, read_ladder
from keenkettle.coach.lifts import GOALS
from keenkettle.coach.person import PersonError, person_from, stature_mm
from keenkettle.coach.tables import read_text
from keenkettle.fit.grip import Grip, Trial, fit_grip
from keenkettle.fit.lengths import Lengths, make_lengths
from keenkettle.fit.set_position import (
    ANKLE_DEG,
    HIP_DEG,
    Limits,
    SetFit,
    fit_set_position,
    whole_cm,
)

CM_PER_INCH = 2.54
LENGTH_FLAGS = (
    "shoulder_width", "arm", "shoulder_height", "hip_crease", "belt_line", "knee_height",
)  # fmt: skip
OK = 0


def add_commands(commands: Any) -> None:
    """Add the parsers of these commands."""
    fit = commands.add_parser("fit", help="fit the bar to a body").add_subparsers(
        dest="what", required=True
    )
    grip = fit.add_parser("grip", help="grip widths")
    start = fit.add_parser("start", help="set position")
    for p in (grip, start):
        p.add_argument("--stature", type=float, required=True)
        for name in LENGTH_FLAGS:
            p.add_argument("--" + name.replace("_", "-"), type=float)
        p.add_argument("--units", choices=["cm", "in"], default="cm")
        p.add_argument("--json", action="store_true")
    grip.add_argument("--trial-grip", type=float)
    grip.add_argument("--trial-bar-height", type=float)
    grip.set_defaults(run=_grip)
    start.add_argument("--lift", choices=["clean", "snatch"], required=True)
    start.add_argument("--grip", type=float, help="between the middles of the hands")
    start.add_argument("--ankle-deg", type=float, default=ANKLE_DEG)
    start.add_argument("--hip-deg", type=float, default=HIP_DEG)
    start.add_argument("--disc-mm", type=float, default=450.0)
    start.set_defaults(run=_start)
    c = commands.add_parser("choose", help="rank lifts for an athlete and a goal")
    c.add_argument("--athlete", type=Path, required=True)
    c.add_argument("--goal", choices=GOALS, required=True)
    c.add_argument("--phase", default="")
    c.add_argument("--json", action="store_true")
    c.set_defaults(run=_choose)
    x = commands.add_parser("export", help="write an athlete's whole record")
    x.add_argument("athlete", help="the name, or as much of it as tells")
    x.add_argument("--out", type=Path, required=True)
    x.add_argument("--data", type=Path, default=None, help="another data folder")
    x.add_argument("--json", action="store_true")
    x.set_defaults(run=_export)
    i = commands.add_parser("import", help="take athletes in from a CSV file or a record")
    i.add_argument("file", type=Path)
    i.add_argument("--dry-run", action="store_true")
    i.add_argument("--data", type=Path, default=None, help="another data folder")
    i.add_argument("--json", action="store_true")
    i.set_defaults(run=_import)
    ladder = commands.add_parser("ladder", help="list, show or check ladders").add_subparsers(
        dest="what", required=True
    )
    lister = ladder.add_parser("list")
    show = ladder.add_parser("show")
    show.add_argument("id")
    check = ladder.add_parser("check")
    check.add_argument("file", type=Path)
    runs = {lister: _ladder_list, show: _ladder_show, check: _ladder_check}
    for p, run in runs.items():
        p.add_argument("--json", action="store_true")
        p.set_defaults(run=run)


def _print(args: argparse.Namespace, data: dict[str, Any], plain: Callable[[], list[str]]) -> int:
    print(json.dumps(data) if args.json else "\n".join(plain()))
    return OK


# --- fit ------------------------------------------------------------------------


def _lengths(args: argparse.Namespace) -> Lengths:
    unit = CM_PER_INCH if args.units == "in" else 1.0
    stature = stature_mm({"stature_cm": args.stature * unit})
    assert stature is not None
    measured = {
        n: getattr(args, n) * unit * 10.0 for n in LENGTH_FLAGS if getattr(args, n) is not None
    }
    return make_lengths(stature, measured)


def _grip_dict(grip: Grip) -> dict[str, Any]:
    return {
        "grip_cm": round(grip.grip / 10, 1),
        "sigma_cm": round(grip.sigma / 10, 1),
        "overhead_clearance_cm": round(grip.overhead / 10, 1),
        "wrist_from_vertical_deg": round(grip.wrist_deg, 1),
        "on_bar": grip.on_bar,
        "reaches": grip.reaches,
    }


def _grip(args: argparse.Namespace) -> int:
    lengths = _lengths(args)
    trial = None
    if (args.trial_grip is None) != (args.trial_bar_height is None):
        raise PersonError("give --trial-grip and --trial-bar-height together")
    if args.trial_grip is not None:
        unit = 10.0 * (CM_PER_INCH if args.units == "in" else 1.0)
        trial = Trial(args.trial_grip * unit, args.trial_bar_height * unit)
    fit = fit_grip(lengths, trial)
    data = {
        "snatch": {
            "hip_crease": _grip_dict(fit.hip_crease),
            "belt_line": _grip_dict(fit.belt_line) if fit.belt_line else None,
        },
        "clean": {"grip_cm": round(fit.clean / 10, 1)},
        "jerk": {"grip_cm": round(fit.jerk / 10, 1)},
        "measured": fit.measured,
        "start_to_try_cm": round(fit.start_to_try / 10, 1),
        "estimated": [n for n in LENGTH_FLAGS if n in lengths.estimated],
        "warnings": list(fit.warnings),
    }
    return _print(
        args,
        data,
        lambda: [
            f"snatch {fit.hip_crease.grip / 10:.0f} cm, give or take "
            f"{fit.hip_crease.sigma / 10:.0f}"
            if fit.measured
            else f"snatch: try {fit.start_to_try / 10:.0f} cm and measure",
            f"clean {fit.clean / 10:.0f} cm, jerk {fit.jerk / 10:.0f} cm",
            *fit.warnings,
        ],
    )


def _start(args: argparse.Namespace) -> int:
    lengths = _lengths(args)
    unit = 10.0 * (CM_PER_INCH if args.units == "in" else 1.0)
    fitted = fit_grip(lengths)
    own = fitted.clean
    if args.lift == "snatch":
        own = fitted.hip_crease.grip if fitted.measured else fitted.start_to_try
    grip = own if args.grip is None else args.grip * unit
    limits = Limits(args.ankle_deg, args.hip_deg, args.disc_mm)
    fit = fit_set_position(lengths, grip, limits)
    return _print(args, _start_dict(fit, grip, lengths), lambda: _start_lines(fit))


def _start_dict(fit: SetFit, grip: float, lengths: Lengths) -> dict[str, Any]:
    pose = fit.pose
    gains = (fit.gain_ankle_deg, fit.gain_hip_deg)
    ankle, hip = (None if g is None else round(g, 1) for g in gains)
    return {
        "reachable": fit.reachable,
        "raise_cm": whole_cm(fit.raise_mm),
        "least_raise_cm": None if fit.least_raise_mm is None else round(fit.least_raise_mm / 10, 1),
        "binding": list(fit.binding),
        "pose": {n: [round(float(v) / 10, 2) for v in xy] for n, xy in pose.points.items()},
        "pose_raise_cm": round(fit.pose_raise_mm / 10, 1),
        "angles": {
            "ankle": round(pose.ankle_deg, 1),
            "knee": round(pose.knee_deg, 1),
            "hip": round(pose.hip_deg, 1),
            "trunk": round(pose.trunk_deg, 1),
        },
        "gain": {"ankle_deg": ankle, "hip_deg": hip},
        "grip_cm": round(grip / 10, 1),
        "estimated": [n for n in LENGTH_FLAGS if n in lengths.estimated],
    }


def _start_lines(fit: SetFit) -> list[str]:
    if fit.reachable:
        return ["the floor start is within reach"]
    if fit.raise_mm is None:
        return ["the set position is out of reach from discs too: start from the hang"]
    lines = [f"raise the bar by {fit.raise_mm / 10:.0f} cm; in the way: {', '.join(fit.binding)}"]
    if fit.gain_hip_deg is not None:
        lines.append(f"{fit.gain_hip_deg:.0f} degrees more hip flexion would do the same")
    if fit.gain_ankle_deg is not None:
        lines.append(f"{fit.gain_ankle_deg:.0f} degrees more ankle range would do the same")
    return lines


# --- choose ----------------------------------------------------------------------


def _choose(args: argparse.Namespace) -> int:
    try:
        data = json.loads(args.athlete.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as err:
        raise PersonError(f"{args.athlete} cannot be read; give the athlete's JSON file") from err
    except json.JSONDecodeError as err:
        raise PersonError(f"{args.athlete} line {err.lineno}: not valid JSON: {err.msg}") from err
    if not isinstance(data, dict):
        raise PersonError(f"{args.athlete} should hold one JSON object about the athlete")
    try:
        person = person_from(data)
    except PersonError as err:
        raise PersonError(f"{args.athlete}: {err}") from err
    choices = choose(person, Question(args.goal, args.phase))
    return _print(args, _choices_dict(choices), lambda: _choices_lines(choices))


def _choices_dict(choices: Choices) -> dict[str, Any]:
    return {
        "ranked": [
            {
                "lift": c.lift.id,
                "score": c.score,
                "for": list(c.reasons_for),
                "against": list(c.reasons_against),
            }
            for c in choices.ranked
        ],
        "closed": [
            {
                "lift": c.lift.id,
                "because": "; ".join(x.because for x in c.closures),
                "opens_with": "; ".join(x.opens_with for x in c.closures),
                "instead": list(c.instead),
            }
            for c in choices.closed
        ],
        "advice": list(choices.advice),
    }


def _choices_lines(choices: Choices) -> list[str]:
    lines = [f"{c.score:5.1f}  {c.lift.name}: {c.reasons_for[0]}" for c in choices.ranked[:12]]
    lines += [f"closed: {c.lift.name}: {c.closures[0].because}" for c in choices.closed[:12]]
    return [*choices.advice, *lines]


# --- athletes from a file ---------------------------------------------------------


def _import(args: argparse.Namespace) -> int:
    """Good rows are taken in together; bad ones are told by line and left out."""
    if args.file.suffix.lower() == ".zip":
        return _import_record(args)
    if args.file.suffix.lower() != ".csv":
        raise CsvError(
            f"{args.file.name} is no CSV file; give one with a column 'name', or a record's ZIP"
        )
    store = Store(args.data or default_folder(demo=False))
    try:
        reading = read_people(args.file, names_in(store), date.today())
        if not args.dry_run and reading.good:
            History(store).run(TakePeople(reading.good))
    finally:
        store.close()
    data = {
        "taken": 0 if args.dry_run else len(reading.good),
        "good": len(reading.good),
        "bad": [{"line": b.line, "says": b.says} for b in reading.bad],
    }
    return _print(args, data, lambda: [says_of(reading)])


def _import_record(args: argparse.Namespace) -> int:
    """One athlete's whole record, all or nothing."""
    store = Store(args.data or default_folder(demo=False))
    try:
        record = read_record(args.file, names_in(store))
        if not args.dry_run:
            History(store).run(TakeRecord(record, store.clips_folder))
    finally:
        store.close()
    name, films = str(record.athlete["name"]), len(record.films)
    data = {"taken": 0 if args.dry_run else 1, "athlete": name, "films": films}
    what = "could be" if args.dry_run else "is"
    return _print(args, data, lambda: [f"{name} {what} taken in, with {films} films"])


def _export(args: argparse.Namespace) -> int:
    """An athlete's whole record as a ZIP."""
    if args.out.suffix.lower() != ".zip":
        raise RecordError(f"{args.out.name}: a record is a ZIP; give a name that ends in .zip")
    folder = args.data or default_folder(demo=False)
    if not (folder / DATABASE).exists():
        raise RecordError(f"there is no club in {folder}; give its folder with --data")
    store = Store(folder)
    try:
        everybody = {a.name: a.id for a in look_up.athletes(store)}
        asked = args.athlete.strip().lower()
        named = [n for n in everybody if n.lower() == asked] or [
            n for n in everybody if asked in n.lower()
        ]
        if len(named) != 1:
            many = f"{', '.join(sorted(named))}; say which" if named else "nobody in this club"
            raise RecordError(f"'{args.athlete}' is {many}")
        missing = write_record(store, everybody[named[0]], args.out, lambda _stage, _share: None)
    finally:
        store.close()
    data = {"athlete": named[0], "file": str(args.out), "missing_films": missing}
    lines = [f"{named[0]} is written to {args.out}; it can be read by whoever has it"]
    lines += [f"not there: {name}" for name in missing]
    return _print(args, data, lambda: lines)


# --- ladders ----------------------------------------------------------------------


def _ladder_dict(ladder: Ladder) -> dict[str, Any]:
    return {
        "id": ladder.id,
        "name": ladder.name,
        "family": ladder.family,
        "summary": ladder.summary,
        "rungs": [
            {"number": i + 1, "title": r.title, "lifts": list(r.lifts),
             "gate": [gate_text(g) for g in r.gate], "dose": r.dose, "load": r.load}
            for i, r in enumerate(ladder.rungs)
        ],
    }  # fmt: skip


def _ladder_list(args: argparse.Namespace) -> int:
    rows = [
        {"id": x.id, "name": x.name, "family": x.family, "rungs": len(x.rungs)}
        for x in all_ladders().values()
    ]
    lines = [f"{r['id']}: {r['name']}, {r['rungs']} rungs" for r in rows]
    return _print(args, {"ladders": rows}, lambda: lines)


def _ladder_show(args: argparse.Namespace) -> int:
    ladder = find_ladder(args.id)
    lines = [f"{ladder.name}: {ladder.summary}"]
    lines += [f"{i + 1}. {r.title}: {r.teaches}" for i, r in enumerate(ladder.rungs)]
    return _print(args, _ladder_dict(ladder), lambda: lines)


def _ladder_check(args: argparse.Namespace) -> int:
    ladder = read_ladder(read_text(args.file), args.file.name)
    safe = bail_out_first(ladder)
    said = [] if safe else ["bail-out practice should come before the first loaded catch"]
    data = {"ok": safe, "id": ladder.id, "rungs": len(ladder.rungs), "warnings": said}
    return _print(args, data, lambda: [f"{ladder.id}: {len(ladder.rungs)} rungs", *said])
