"""Headless commands on the same code as the windows."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, NoReturn

from keenkettle import __version__
from keenkettle.club.csv_people import CsvError
from keenkettle.club.record import RecordError
from keenkettle.club.store import ClubError
from keenkettle.coach.choosing import ChoiceError
from keenkettle.coach.judge import Reference
from keenkettle.coach.lifts import UnknownLiftError, find_lift
from keenkettle.coach.person import PersonError
from keenkettle.coach.report import as_document, tracks_csv
from keenkettle.coach.review import Filmed, Request, review_clip
from keenkettle.coach.tables import KnowledgeError
from keenkettle.files import CannotWriteError, write_whole
from keenkettle.film.clip import Clip, ClipError
from keenkettle.film.disc import DiscNotFoundError
from keenkettle.film.follow import BarLostError
from keenkettle.film.joints import MarksError, read_marks
from keenkettle.film.plausible import Marks
from keenkettle.film.pose_net import NoNetError
from keenkettle.fit.grip import GripError
from keenkettle.fit.lengths import LengthError
from keenkettle.fit.set_position import SetPositionError
from keenkettle.headless import add_commands
from keenkettle.lifter.body import BodyError
from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.drawn import simulate
from keenkettle.lifter.film import truth_document, write_film
from keenkettle.lifter.recipe import RecipeError, Shown
from keenkettle.lifter.render import Look
from keenkettle.measure.calibration import CalibrationError
from keenkettle.measure.smooth import TrackError

OK, BAD_ARGUMENTS, UNREADABLE, NO_BAR = 0, 2, 3, 4


class BadArgumentError(ValueError):
    """An argument cannot be used; the message names it."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """Say what is wrong in one line and end with the contract's status."""
        print(f"keenkettle: {message}; see 'keenkettle --help'", file=sys.stderr)
        raise SystemExit(BAD_ARGUMENTS)


def main(argv: list[str] | None = None) -> int:
    """Run one command; returns the exit status."""
    args = _parser().parse_args(argv)
    run: Callable[[argparse.Namespace], int] = args.run
    try:
        return run(args)
    except ClipError as err:
        return _say(err, UNREADABLE)
    except (DiscNotFoundError, BarLostError) as err:
        return _say(err, NO_BAR)
    except (
        BadArgumentError, UnknownLiftError, MarksError, CalibrationError, TrackError, RecipeError,
        BodyError, CannotWriteError, KnowledgeError, PersonError, LengthError, GripError,
        SetPositionError, ChoiceError, CsvError, ClubError, RecordError, NoNetError,
    ) as err:  # fmt: skip
        return _say(err, BAD_ARGUMENTS)
    except BrokenPipeError:
        # The reader has seen enough; what is left must not be flushed into a closed pipe.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return OK
    except KeyboardInterrupt:
        return _say(ValueError("stopped; nothing was written"), 130)


def _say(err: Exception, status: int) -> int:
    print(f"keenkettle: {' '.join(str(err).split())}", file=sys.stderr)
    return status


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="keenkettle", description=__doc__)
    parser.add_argument("--version", action="version", version=f"keenkettle {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    a = commands.add_parser("analyse", help="measure and judge a lift clip")
    a.add_argument("clip", type=Path)
    a.add_argument("--lift")
    a.add_argument("--capture-fps", type=float)
    a.add_argument("--plate-mm", type=float, default=450.0)
    a.add_argument("--bar", help="F:X,Y[,R]")
    a.add_argument("--joints", type=Path)
    a.add_argument("--markers", action="store_true")
    a.add_argument("--bar-only", action="store_true", help="do not look for joints")
    a.add_argument("--athlete", type=Path)
    a.add_argument("--camera-m", type=float)
    a.add_argument("--known-mm", help="L:X1,Y1,X2,Y2")
    a.add_argument("--upright", help="X1,Y1,X2,Y2: both ends of something upright")
    a.add_argument("--facing", choices=["left", "right"])
    a.add_argument("--hands", default="", help="L or R for each rep of a one-arm lift, as LLRR")
    a.add_argument("--view", choices=["side", "front"], help="where the camera stood")
    a.add_argument("--out", default=None)
    a.add_argument("--track-csv", type=Path)
    a.add_argument("--quiet", action="store_true")
    a.set_defaults(run=_analyse)
    add_commands(commands)
    s = commands.add_parser("simulate", help="write a simulated lift and its truth")
    s.add_argument("--lift", required=True)
    s.add_argument("--stature", type=float, default=175.0)
    s.add_argument("--fault", action="append", default=[], metavar="ID=SIZE")
    s.add_argument("--fps", type=float, default=60.0)
    s.add_argument("--size", default="1280x720")
    s.add_argument("--yaw", type=float, default=0.0)
    s.add_argument("--facing", choices=["left", "right"], default="right")
    s.add_argument("--seed", type=int, default=1)
    s.add_argument("--out", type=Path, required=True)
    s.add_argument("--truth", type=Path)
    s.add_argument("--json", action="store_true")
    s.add_argument("--quiet", action="store_true")
    s.set_defaults(run=_simulate)
    return parser


# --- analyse -----------------------------------------------------------------


def _numbers(text: str, flag: str, form: str, counts: tuple[int, ...]) -> list[float]:
    try:
        head, _, tail = text.partition(":")
        numbers = [float(head), *(float(v) for v in tail.split(","))]
    except ValueError as err:
        raise BadArgumentError(f"{flag} is '{text}'; write it as {form}") from err
    if len(numbers) not in counts:
        raise BadArgumentError(f"{flag} is '{text}'; write it as {form}")
    return numbers


def _line(text: str, flag: str) -> tuple[float, float, float, float]:
    try:
        x1, y1, x2, y2 = (float(v) for v in text.split(","))
    except ValueError as err:
        raise BadArgumentError(f"{flag} is '{text}'; write it as X1,Y1,X2,Y2") from err
    return x1, y1, x2, y2


def _reference(path: Path | None) -> Reference:
    if path is None:
        return Reference()
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as err:
        raise BadArgumentError(f"{path} cannot be read; give the athlete's JSON file") from err
    except json.JSONDecodeError as err:
        raise BadArgumentError(f"{path} line {err.lineno}: not valid JSON: {err.msg}") from err
    if not isinstance(data, dict):
        raise BadArgumentError(f"{path} should hold one JSON object about the athlete")

    def mm(field: str, factor: float, lo: float, hi: float) -> float | None:
        """A length of the athlete in mm, or None where it is not given."""
        value = data.get(field)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int | float) or not lo <= value <= hi:
            raise BadArgumentError(f"{path}: {field} is {value!r}; give {lo:g} to {hi:g}")
        return float(value) * factor

    return Reference(
        stature_mm=mm("stature_cm", 10.0, 100, 230),
        touching_mm=mm("touching_mm", 1.0, 40, 250),
        arm_mm=mm("arm_cm", 10.0, 30, 110),
    )


def _request(args: argparse.Namespace) -> Request:
    bar = known = upright = None
    if args.bar:
        v = _numbers(args.bar, "--bar", "F:X,Y or F:X,Y,R", (3, 4))
        bar = (int(v[0]), v[1], v[2], v[3] if len(v) == 4 else None)
    if args.known_mm:
        k = _numbers(args.known_mm, "--known-mm", "L:X1,Y1,X2,Y2", (5,))
        known = (k[0], k[1], k[2], k[3], k[4])
    if args.upright:
        upright = Filmed(upright=_line(args.upright, "--upright")).upright
    for flag, value in (("--capture-fps", args.capture_fps), ("--camera-m", args.camera_m)):
        if value is not None and value <= 0:
            raise BadArgumentError(f"{flag} is {value:g}; give a number above 0")
    marks: Marks = {}
    if args.joints:
        with Clip(args.clip) as clip:
            marks = read_marks(args.joints, clip.info.frames)
    return Request(
        clip=args.clip,
        lift=args.lift,
        capture_fps=args.capture_fps,
        plate_mm=args.plate_mm,
        bar=bar,
        marks=marks,
        known=known,
        camera_m=args.camera_m,
        facing=args.facing,
        view=args.view,
        hands=Filmed(hands=args.hands.upper()).hands,
        upright=upright,
        reference=_reference(args.athlete),
        auto=not args.bar_only,
        dots=args.markers,
    )


def _meter(quiet: bool) -> Callable[[str, float], None]:
    if quiet or not sys.stderr.isatty():
        return lambda _stage, _share: None

    def show(stage: str, share: float) -> None:
        print(f"\r{share:4.0%} {stage:<28}", end="", file=sys.stderr, flush=True)
        if share >= 1.0:
            print(file=sys.stderr)

    return show


def _analyse(args: argparse.Namespace) -> int:
    for target in (args.out, args.track_csv):
        if target not in (None, "-"):
            folder = Path(target).parent
            if not folder.is_dir():
                raise CannotWriteError(f"{target} cannot be written: there is no folder {folder}")
    review = review_clip(_request(args), _meter(args.quiet))
    document: dict[str, Any] = as_document(review)
    text = json.dumps(document)
    if args.track_csv:
        write_whole(args.track_csv, tracks_csv(review).encode())
    if args.out == "-":
        print(text)
    elif args.out:
        write_whole(Path(args.out), text.encode())
    else:
        _print_summary(document)
    return OK


def _print_summary(document: dict[str, Any]) -> None:
    lift = document["lift"]
    print(f"{lift['id']} ({lift['source']}), {len(document['reps'])} rep(s)")
    for rep in document["reps"]:
        speed = rep["metrics"]["bar_peak_velocity"]
        known = speed["value"] is not None
        peak = f"{speed['value']:.2f} m/s ± {speed['sigma']:.2f}" if known else "not measured"
        print(f"rep {rep['number']}: peak {peak}")
        for f in rep["findings"]:
            print(f"  {f['severity']}: {f['says']} (frame {f['frame']})")
        for text in rep["good"]:
            print(f"  keep: {text}")
        print(f"  not judged: {len(rep['not_judged'])}")
    for text in document["warnings"]:
        print(f"note: {text}")


# --- simulate ------------------------------------------------------------------


def _simulate(args: argparse.Namespace) -> int:
    faults: dict[str, float] = {}
    for text in args.fault:
        name, _, size = text.partition("=")
        try:
            faults[name] = float(size or 1.0)
        except ValueError as err:
            raise BadArgumentError(f"--fault is '{text}'; write it as fault=1.5") from err
    try:
        width, height = (int(v) for v in args.size.split("x"))
    except ValueError as err:
        raise BadArgumentError(f"--size is '{args.size}'; write it as 1280x720") from err
    if not (160 <= width <= 4096 and 120 <= height <= 2304) or width % 2 or height % 2:
        raise BadArgumentError("--size must be even numbers, 160x120 to 4096x2304")
    if not 10 <= args.fps <= 240:
        raise BadArgumentError(f"--fps is {args.fps:g}; give 10 to 240")
    lift = find_lift(args.lift)
    axes = Shown(lift.family, lift.implement, lift.start, lift.ends, lift.pre)
    sim = simulate(lift.id, axes, args.stature * 10.0, faults)
    camera = fitted_camera(
        width, height, args.fps, args.stature * 10.0, yaw_deg=args.yaw, facing=args.facing
    )
    meter = _meter(args.quiet)
    try:
        times = write_film(
            sim,
            camera,
            Look(seed=args.seed),
            args.out,
            progress=lambda i, n: meter("filming", i / n),
        )
    except (OSError, ValueError) as err:
        raise CannotWriteError(
            f"{args.out} cannot be written ({err}); choose another folder or an .mp4 name"
        ) from err
    document = truth_document(sim, camera, times)
    if args.truth:
        write_whole(args.truth, json.dumps(document).encode())
    if args.json:
        print(json.dumps({k: v for k, v in document.items() if k != "frames"}))
    return OK


if __name__ == "__main__":
    sys.exit(main())
