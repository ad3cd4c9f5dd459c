"""The people of the demo club, made up: what is known of them, their films, their sessions."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from keenkettle.lifter.front import SideFaults

CLUB = "Tern Quay Barbell"
_ALL_PASS = dict.fromkeys(
    ("rack", "front_squat", "overhead", "overhead_squat_quarter", "set_position", "hinge",
     "landing", "bail_out"), "pass",
)  # fmt: skip


@dataclass(frozen=True)
class DemoClip:
    """A simulated clip: file key, lift, faults, load, days ago, and how it is filmed.

    ``efforts``: release speed of each rep against the usual, for a set; one rep where empty.
    ``front``: faults of sides of a film from the front, None for one from the side.
    """

    key: str
    lift: str
    faults: dict[str, float]
    load_kg: float
    days_ago: int
    facing: str = "right"
    yaw_deg: float = 3.0
    look: int = 0
    efforts: tuple[float, ...] = ()
    front: SideFaults | None = None


@dataclass(frozen=True)
class DemoPast:
    """A clip whose film was not kept: what it measured is still in the records."""

    lift: str
    load_kg: float
    days_ago: int
    measures: dict[str, float]


def _past(*rows: tuple[int, float, float, float, float, float, float]) -> tuple[DemoPast, ...]:
    """Power cleans: days ago, load, speed, hip and elbow angle, trunk drop, bar height."""
    names = (
        "bar_peak_velocity", "hip_extension", "elbow_before_extension", "trunk_drop",
        "bar_peak_height",
    )  # fmt: skip
    return tuple(
        DemoPast("power-clean", load, ago, dict(zip(names, values, strict=True)))
        for ago, load, *values in rows
    )


@dataclass(frozen=True)
class DemoAthlete:
    """One member of the demo club."""

    name: str
    sport: str
    rung: str
    caution: str
    stature_mm: float
    facts: dict[str, Any]
    clips: tuple[DemoClip, ...] = ()
    sessions: dict[int, str] = field(default_factory=dict)
    tried: tuple[tuple[str, str, str, int, str], ...] = ()
    past: tuple[DemoPast, ...] = ()
    age: float = 25.0
    trained: float = 3.0
    days: tuple[int, ...] = (0, 3)
    ladder: str = ""
    steps: tuple[tuple[int, int, str, str], ...] = ()  # rung, days ago, act, reason
    seen: tuple[tuple[str, int, float], ...] = ()  # gate key, days ago, value


MEMBERS: tuple[DemoAthlete, ...] = (
    DemoAthlete(
        "Sunniva Dale",
        "bobsleigh push",
        "Floor first, rung 7 of 9, power clean",
        "",
        1720.0,
        {
            "goal": "power",
            "mass_kg": 74.0,
            "sessions_per_week": 3,
            "lengths_mm": {
                "arm": 610.0,
                "shoulder_width": 390.0,
                "shoulder_height": 1410.0,
                "hip_crease": 905.0,
            },
            "clearances": {**_ALL_PASS, "overhead_squat": "partly"},
            "equipment": ["blocks", "band"],
            "bests_kg": {"power-clean": 70.0, "clean": 77.5, "front-squat": 95.0, "jerk": 65.0},
        },
        (
            DemoClip(
                "sunniva-3",
                "power-clean",
                {"unfinished-extension": 1.25, "bar-away-from-hip": 0.9},
                55.0,
                2,
            ),
            DemoClip(
                "sunniva-2",
                "power-clean",
                {"hips-rise-first": 1.2, "unfinished-extension": 1.0},
                52.5,
                20,
                yaw_deg=-4.0,
            ),
        ),
        {
            -16: "lift to the knee and hold 4x3 (3 s hold) @ 45kg\npower clean 5x2 @ 50kg\n"
            "front squat 4x4 @ 70kg\n",
            -2: "power clean 5x2 @ 55kg\nclean pull 3x3 @ 75kg\nfront squat 3x5 @ 72.5kg\n",
            3: "power clean 5x2 @ 55kg\nfront squat 4x4 @ 75kg\n",
        },
        (
            (
                "lift-to-knee-hold",
                "hips-rise-first",
                "Worked if: trunk tips forward by 8° or less on 3 clips running.",
                18,
                "yes",
            ),
            (
                "held-finish-pull",
                "unfinished-extension",
                "Worked if: hip angle at its straightest 170° or more on 3 clips running.",
                40,
                "no",
            ),
        ),
        past=_past(
            (96, 45.0, 2.31, 164.0, 171.0, 12.5, 962.0),
            (75, 47.5, 2.36, 161.0, 170.0, 14.2, 975.0),
            (61, 47.5, 2.40, 163.0, 172.0, 11.8, 988.0),
            (47, 50.0, 2.38, 162.0, 169.0, 13.6, 981.0),
            (33, 50.0, 2.43, 164.0, 168.0, 12.1, 997.0),
            (26, 52.5, 2.45, 160.0, 166.0, 13.3, 1004.0),
            (14, 52.5, 2.52, 163.0, 164.0, 5.2, 1011.0),
            (9, 52.5, 2.55, 161.0, 161.0, 3.8, 1016.0),
            (6, 55.0, 2.58, 162.0, 158.0, 4.4, 1019.0),
        ),
        age=24.0,
        days=(0, 2, 4),
        ladder="floor-first-clean",
        steps=(
            (4, 150, "set", "came with a sound set position"),
            (5, 120, "advance", "gate met in two sessions"),
            (6, 95, "advance", "gate met in two sessions"),
            (7, 80, "advance", "front squat five weeks, lands well"),
        ),
        seen=(
            ("side-weeks:front-squat", 75, 1.0),
            ("side-weeks:front-squat", 68, 1.0),
            ("side-weeks:front-squat", 61, 1.0),
            ("side-weeks:front-squat", 54, 1.0),
            ("load:power-clean", 8, 42.5),
        ),
    ),
    DemoAthlete(
        "Anselm Brook",
        "goalkeeper, handball",
        "Hinge to hang, rung 3 of 4, high pull",
        "Floor start out of reach: raised discs 10 cm or hang.",
        1940.0,
        {
            "goal": "power",
            "mass_kg": 92.0,
            "sessions_per_week": 2,
            "ankle_deg": 24.0,
            "hip_deg": 117.0,
            "lengths_mm": {
                "arm": 690.0,
                "shoulder_width": 425.0,
                "shoulder_height": 1592.0,
                "hip_crease": 1020.0,
            },
            "clearances": {**_ALL_PASS, "set_position": "not_yet", "front_squat": "partly"},
            "equipment": ["blocks"],
            "bests_kg": {"clean": 95.0, "power-clean": 85.0},
        },
        (
            DemoClip(
                "anselm-1", "clean-pull", {"early-arm-bend": 1.3}, 80.0, 5, facing="left", look=1
            ),
        ),
        {2: "romanian deadlift 4x5 @ 65kg\nclean pull from blocks 4x3 @ 85kg\n"},
        age=27.0,
        days=(1, 4),
        ladder="hinge-to-hang",
        steps=(
            (1, 90, "set", "floor start out of reach"),
            (2, 62, "advance", "hinge clean and steady"),
            (3, 34, "advance", "tall finish on two clips"),
        ),
        seen=(("side-weeks:front-squat", 20, 1.0),),
    ),
    DemoAthlete(
        "Maren Holt",
        "masters weightlifting, 57",
        "Full clean and jerk, rung 9",
        "Long warm-up; smaller steps in load.",
        1630.0,
        {
            "goal": "technique",
            "mass_kg": 63.5,
            "sessions_per_week": 3,
            "clearances": {**_ALL_PASS, "overhead_squat": "pass"},
            "equipment": ["blocks", "rack"],
            "bests_kg": {
                "power-snatch": 42.5,
                "snatch": 47.5,
                "clean": 60.0,
                "jerk": 57.5,
                "power-clean": 55.0,
                "push-press": 47.5,
            },
        },
        (
            DemoClip("maren-1", "power-snatch", {"forward-loop": 1.3}, 35.0, 3, look=2),
            DemoClip(
                "maren-2", "power-snatch", {}, 32.5, 17, look=2, front=SideFaults(tilt_deg=6.5)
            ),
        ),
        {1: "power snatch 5x2 @ 35kg\nsnatch balance 3x2 @ 27.5kg\n"},
        age=57.0,
        trained=12.0,
        days=(0, 2, 4),
        ladder="full-clean-and-jerk",
        steps=((9, 120, "set", "years of lifting; the clean is sound"),),
        seen=(("load:clean", 15, 57.5),),
    ),
    DemoAthlete(
        "Bram Oakhurst",
        "hammer throw",
        "Floor first, rung 9 of 9, clean",
        "",
        1860.0,
        {
            "goal": "max-force",
            "mass_kg": 108.0,
            "sessions_per_week": 3,
            "clearances": _ALL_PASS,
            "equipment": ["blocks", "rack", "band"],
            "bests_kg": {"clean": 135.0, "power-clean": 122.5, "front-squat": 160.0},
        },
        (DemoClip("bram-1", "power-clean", {"low-contact": 1.0}, 105.0, 6, look=1),),
        {2: "power clean 4x2 @ 105kg\nclean pull 4x3 @ 130kg\n"},
        age=23.0,
        trained=6.0,
        days=(0, 3, 5),
        ladder="floor-first-clean",
        steps=(
            (7, 200, "set", "lifts for years"),
            (8, 140, "advance", "gate met in two sessions"),
            (9, 60, "advance", "rides it down in balance"),
        ),
    ),
    DemoAthlete(
        "Liv Sandvik",
        "novice, 15",
        "Floor first, rung 4 of 9, clean pull",
        "Minor: guardian's consent to film noted. Light bars, no maximum attempts.",
        1610.0,
        {
            "goal": "technique",
            "mass_kg": 54.0,
            "sessions_per_week": 2,
            "consent": "Film: yes, for training only; guardian (mother) signed 4 September.",
            "clearances": {**_ALL_PASS, "bail_out": "not_yet", "overhead": "not_tested"},
            "equipment": [],
            "bests_kg": {"clean": 35.0, "power-clean": 30.0},
        },
        (DemoClip("liv-1", "clean-pull", {"hips-rise-first": 1.35}, 25.0, 1, yaw_deg=5.0),),
        {2: "clean pull 4x3 @ 25kg\ngoblet squat 3x8 @ 12kg\n"},
        age=15.3,
        trained=0.3,
        days=(1, 4),
        ladder="floor-first-clean",
        steps=(
            (1, 63, "set", "beginner"),
            (2, 49, "advance", "holds 20 s, names all checkpoints"),
            (3, 35, "advance", "same back angle, three in a row"),
            (4, 21, "advance", "bar stays close"),
        ),
        seen=(("side-weeks:front-squat", 14, 1.0), ("side-weeks:front-squat", 7, 1.0)),
    ),
    DemoAthlete(
        "Corin Hale",
        "dinghy sailing",
        "Overhead first, rung 3 of 13",
        "Shoulder injury two years ago, no pain now: overhead work with care.",
        1780.0,
        {
            "goal": "whole-body-pull",
            "mass_kg": 81.0,
            "sessions_per_week": 2,
            "pains": [
                {
                    "joint": "shoulder",
                    "now": False,
                    "note": "two years ago",
                    "cleared_by": "physiotherapist, a year ago",
                }
            ],
            "clearances": {**_ALL_PASS, "overhead": "partly"},
            "equipment": ["band"],
            "bests_kg": {"power-clean": 65.0, "clean": 70.0},
        },
        age=29.0,
        days=(2, 5),
        ladder="overhead-first",
        steps=(
            (1, 70, "set", "rack is stiff; shoulder free of pain for a year"),
            (2, 60, "advance", "grip settled by trial"),
            (3, 42, "advance", "15 s, ribs down"),
        ),
        seen=(("tick:three parts and one, close all the way", 10, 1.0),),
    ),
    DemoAthlete(
        "Tova Reiss",
        "fencing",
        "Kettlebell, rung 3 of 5, higher swing",
        "Left side weaker: it sets the number.",
        1690.0,
        {
            "goal": "balance",
            "mass_kg": 60.0,
            "sessions_per_week": 2,
            "clearances": {**_ALL_PASS, "set_position": "partly"},
            "equipment": ["kettlebell"],
            "bests_kg": {"kettlebell-swing": 24.0},
        },
        age=21.0,
        days=(1, 3),
        ladder="kettlebell-snatch",
        steps=(
            (1, 56, "set", "little room, one side weak"),
            (2, 42, "advance", "eight quick ones each side"),
            (3, 20, "advance", "no knock in ten"),
        ),
        seen=(
            ("tick:bell floats close", 9, 1.0),
            ("tick:bell floats close", 5, 1.0),
            ("no-fault:implement-swings-wide", 9, 1.0),
            ("no-fault:implement-swings-wide", 5, 1.0),
        ),
    ),
    DemoAthlete(
        "Jory Penhale",
        "pole vault",
        "Floor first, rung 9 of 9; meet in two weeks",
        "Event in 14 days: no new lifts.",
        1830.0,
        {
            "goal": "velocity",
            "mass_kg": 78.0,
            "sessions_per_week": 2,
            "clearances": _ALL_PASS,
            "equipment": ["blocks", "rack"],
            "bests_kg": {"clean": 105.0, "power-clean": 97.5},
        },
        (
            DemoClip("jory-1", "power-clean", {}, 70.0, 4, facing="left", yaw_deg=-2.0),
            DemoClip(
                "jory-2",
                "clean-above-knee-pull",
                {},
                110.0,
                11,
                look=2,
                efforts=(1.0, 1.01, 0.97, 0.93, 0.86),
            ),
        ),
        {1: "power clean 4x1 @ 75kg + box jump 4x3\n"},
        age=22.0,
        trained=4.0,
        days=(0, 2),
        ladder="floor-first-clean",
        steps=((8, 150, "set", "lifts for years"), (9, 90, "advance", "lands where the bar asks")),
        seen=(("load:clean", 12, 100.0),),
    ),
)


def demo_clips() -> list[tuple[DemoAthlete, DemoClip]]:
    """Every clip of the demo club with its athlete."""
    return [(member, clip) for member in MEMBERS for clip in member.clips]
