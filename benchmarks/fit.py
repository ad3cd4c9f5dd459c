"""Fit against a search that knows no short cuts; grouping; a big club's places."""

from __future__ import annotations

import gc
import multiprocessing
import os
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import date, datetime, timedelta
from pathlib import Path

import numpy as np
from tests.fit.test_set_position import searched

from keenkettle.coach.grouping import Place, group
from keenkettle.fit.grip import AHEAD_MM, joint_width, snatch_grip
from keenkettle.fit.lengths import Lengths, make_lengths
from keenkettle.fit.set_position import Limits, SetFit, fit_set_position, planar_arm

PLACES = ("Today", "Athlete", "Ladder", "Film", "Session")
TODAY = date(2026, 11, 23)


def _timed(lengths: Lengths, grip: float, limits: Limits) -> tuple[SetFit, float]:
    """A solve and its milliseconds."""
    began = time.perf_counter()
    fit = fit_set_position(lengths, grip, limits)
    return fit, 1000 * (time.perf_counter() - began)


def set_positions(count: int) -> tuple[int, float, float, float]:
    """Bodies that agree with the search, slowest solve ms, worst link mm, of ``count``."""
    rng = np.random.default_rng(2024)
    agree, slowest, worst = 0, 0.0, 0.0
    fit_set_position(make_lengths(1750.0), 600.0)  # what is loaded with the first is not timed
    for _ in range(count):
        stature = float(rng.uniform(1500, 2050))
        lengths = make_lengths(
            stature,
            {
                "arm": stature * float(rng.uniform(0.35, 0.40)),
                "knee_height": stature * float(rng.uniform(0.265, 0.305)),
                "hip_crease": stature * float(rng.uniform(0.50, 0.56)),
            },
        )
        limits = Limits(float(rng.uniform(8, 35)), float(rng.uniform(105, 150)))
        grip = float(rng.uniform(450, 1000))
        arm = planar_arm(lengths, grip)
        fit, took = _timed(lengths, grip, limits)
        if took > slowest:  # once may be the machine's doing; the best of three is the solver's
            took = min(took, *(_timed(lengths, grip, limits)[1] for _ in range(2)))
        slowest = max(slowest, took)
        p, b = fit.pose.points, lengths.body
        for one, other, length in (
            ("ankle", "knee", b.shank), ("knee", "hip", b.thigh), ("hip", "shoulder", b.trunk),
            ("shoulder", "bar", arm),
        ):  # fmt: skip
            if fit.least_raise_mm is not None:
                worst = max(worst, abs(float(np.linalg.norm(p[one] - p[other])) - length))
        if fit.least_raise_mm is None:
            agree += not searched(lengths, arm, limits, 390.0)
            continue
        good = searched(lengths, arm, limits, fit.least_raise_mm + 5.0)
        if fit.least_raise_mm > 5.0:
            good = good and not searched(lengths, arm, limits, fit.least_raise_mm - 5.0)
        agree += good
    return agree, slowest, worst, count


def grip_in_space(count: int) -> float:
    """Worst difference of the arm's length in three dimensions, mm."""
    rng = np.random.default_rng(7)
    worst = 0.0
    for _ in range(count):
        stature = float(rng.uniform(1450, 2100))
        lengths = make_lengths(stature, {"arm": stature * float(rng.uniform(0.34, 0.40))})
        grip = snatch_grip(lengths, "hip_crease")
        if grip.reaches:
            shoulder = np.array([0.0, lengths["shoulder_height"], joint_width(lengths) / 2])
            hand = np.array([AHEAD_MM, lengths["hip_crease"], grip.grip / 2])
            worst = max(worst, abs(float(np.linalg.norm(hand - shoulder)) - lengths["arm"]))
    return worst


def grouping_s() -> float:
    """Seconds to group 30 athletes on 3 platforms."""
    rng = np.random.default_rng(3)
    people = [
        Place(str(i), str(rng.choice(["barbell", "barbell", "dumbbell"])),
              str(rng.choice(["floor", "above-knee", "mid-thigh"])),
              float(rng.integers(8, 40) * 2.5))
        for i in range(30)
    ]  # fmt: skip
    began = time.perf_counter()
    group(people, 3)
    return time.perf_counter() - began


def fill_big(folder: Path) -> None:
    """60 athletes with ten years of sessions, clips' words, notes and places."""
    from keenkettle.club.people import Facts, write_facts
    from keenkettle.club.store import Store
    from keenkettle.club.tables import Athlete, ClipRow, GateNoteRow, PlacementRow, SessionRow

    store = Store(folder)
    with store.session() as s:
        for i in range(60):
            a = Athlete(name=f"Athlete {i:02d}", stature_mm=1600.0 + 8 * i, rung="",
                        facts=write_facts(Facts(mass_kg=70.0, days=(0, 2))))  # fmt: skip
            s.add(a)
            s.flush()
            for n in range(0, 3650, 5):
                day = TODAY - timedelta(days=n)
                s.add(SessionRow(athlete_id=a.id, day=day, text="power clean 5x2 @ 60kg\n"))
                if n % 10 == 0:
                    said = [{"measures": {"trunk_drop": 6.0}, "faults": {"bar-crash": "note"}}]
                    s.add(ClipRow(athlete_id=a.id, path=f"/x/{i}-{n}.mp4", sha256=f"{i}-{n}",
                                  filmed_on=day, lift="clean", said=said))  # fmt: skip
                    s.add(GateNoteRow(athlete_id=a.id, day=day, key="load:clean", value=60.0))
            for r in range(1, 8):
                since = TODAY - timedelta(days=300 - 30 * r)
                s.add(PlacementRow(athlete_id=a.id, ladder="floor-first-clean", rung=r,
                                   since=since, act="advance", reason="",
                                   made_at=datetime(2026, 1, r)))  # fmt: skip
    store.close()


def places_ms() -> dict[str, float]:
    """Milliseconds to open each place in a big club, the second athlete on."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from keenkettle.club import look_up
    from keenkettle.club.commands import WriteSession
    from keenkettle.ui.start import make_app, make_window

    took: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as folder:
        fill_big(Path(folder))
        app = make_app()
        window = make_window(Path(folder), demo=False, today=TODAY)
        assert window is not None
        window.show()
        gc.freeze()  # as the application does
        people = look_up.athletes(window.store)
        for n, athlete in enumerate(people[:4]):
            for name in PLACES:
                window.go("Today" if name != "Today" else "Session")
                window.hold(athlete.id)
                if name == "Today":  # something has changed since it was last looked at
                    window.history.run(WriteSession(athlete.id, TODAY, f"squat {n}"))
                app.processEvents()
                began = time.perf_counter()
                window.go(name)
                app.processEvents()
                if n:
                    took[name] = max(took.get(name, 0.0), 1000 * (time.perf_counter() - began))
        began = time.perf_counter()
        window.ladder.view(1)
        app.processEvents()
        took["Squad"] = 1000 * (time.perf_counter() - began)
        window.close()
    return took


def _places_apart() -> dict[str, float]:
    """The same in a process of its own, without the leavings of what ran before."""
    fresh = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(1, mp_context=fresh) as pool:
        return pool.submit(places_ms).result()


def run(quick: bool) -> list[tuple[str, str, str, bool]]:
    """Rows of the table."""
    agree, slowest, worst, count = set_positions(60 if quick else 500)
    space, seconds = grip_in_space(200), grouping_s()
    rows = [
        ("grip in three dimensions, worst", f"{space:.2f} mm", "<= 5 mm", space <= 5),
        ("set position agrees with the search", f"{agree} of {count}", "all", agree == count),
        ("set position, slowest solve", f"{slowest:.0f} ms", "<= 100 ms", slowest <= 100),
        ("set position, worst link", f"{worst:.3f} mm", "<= 1 mm", worst <= 1),
        ("30 athletes on 3 platforms", f"{seconds:.2f} s", "<= 1 s", seconds <= 1),
    ]
    rows += [
        (f"big club, {name} opens in", f"{ms:.0f} ms", "<= 150 ms", ms <= 150)
        for name, ms in _places_apart().items()
    ]
    return rows
