"""Faults as data: which lifts they belong to, which limits decide, which drills answer."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from keenkettle.coach.lifts import Lift
from keenkettle.coach.tables import Entry, read_entries
from keenkettle.measure.sheet import UNITS

SEVERITIES = ("note", "fix", "stop")
RELATIONS = ("above", "below", "outside")
SCALES = ("", "touching_mm", "stature_mm", "arm_mm", "target_mm", "set_hip_mm")


@dataclass(frozen=True)
class Test:
    """One limit. ``limit`` has two numbers for "outside"; see faults.toml for the rest."""

    severity: str
    metric: str
    relation: str
    limit: tuple[float, ...]
    times: str
    plus: str
    label: str
    family: str
    ends: tuple[str, ...]
    not_ends: tuple[str, ...]
    also: Test | None

    def fits(self, lift: Lift) -> bool:
        """Whether this limit is meant for the lift."""
        return (
            self.family in ("", lift.family)
            and (not self.ends or lift.ends in self.ends)
            and lift.ends not in self.not_ends
        )


@dataclass(frozen=True)
class Fault:
    """One fault; fields as in faults.toml."""

    id: str
    title: str
    sees: str
    why: str
    phase: str
    event: str
    draw: str
    keep: str
    cue: str
    view: str
    unjudged: str
    families: tuple[str, ...]
    starts: tuple[str, ...]
    ends: tuple[str, ...]
    implements: tuple[str, ...]
    phases: tuple[str, ...]
    not_lifts: tuple[str, ...]
    follows: tuple[str, ...]
    drills: tuple[str, ...]
    tests: tuple[Test, ...]

    def belongs_to(self, lift: Lift) -> bool:
        """Whether the lift can show this fault."""
        return (
            (not self.families or lift.family in self.families)
            and (not self.starts or lift.start in self.starts)
            and (not self.ends or lift.ends in self.ends)
            and (not self.implements or lift.implement in self.implements)
            and set(self.phases) <= set(lift.phases)
            and lift.id not in self.not_lifts
        )

    def tests_for(self, lift: Lift) -> list[Test]:
        """The limits that apply to the lift."""
        return [t for t in self.tests if t.fits(lift)]


def _test(e: Entry, data: dict[str, Any], label: str) -> Test:
    sub = Entry(e.file, f"{e.kind} '{e.id}' test", {"id": data.get("metric", "?"), **data})
    metric = sub.one_of("metric", tuple(UNITS))
    relation = sub.one_of("relation", RELATIONS)
    raw = data.get("limit")
    given = raw if isinstance(raw, list) else [raw]
    values = [float(v) for v in given if isinstance(v, int | float)]
    if len(values) != len(given) or len(values) != 1 + (relation == "outside"):
        raise sub.fail("limit", "a number, or two for 'outside'")
    also = data.get("also")
    return Test(
        severity=sub.one_of("severity", SEVERITIES, "note"),
        metric=metric,
        relation=relation,
        limit=tuple(values),
        times=sub.one_of("times", SCALES, ""),
        plus=sub.one_of("plus", SCALES, ""),
        label=sub.text("label", label),
        family=sub.text("family", ""),
        ends=sub.texts("ends"),
        not_ends=sub.texts("not_ends"),
        also=_test(e, also, metric) if isinstance(also, dict) else None,
    )


def read_faults(source: str | None = None) -> dict[str, Fault]:
    """Read faults by id.

    Args:
        source: TOML text instead of the shipped file.

    Raises:
        KnowledgeError: a field is wrong; the message names it.
    """
    faults = {}
    for e in read_entries("faults.toml", "fault", source):
        label = e.text("label")
        faults[e.id] = Fault(
            id=e.id,
            title=e.text("title"),
            sees=e.text("sees"),
            why=e.text("why"),
            phase=e.text("phase"),
            event=e.text("event"),
            draw=e.text("draw"),
            keep=e.text("keep", ""),
            cue=e.text("cue"),
            view=e.one_of("view", ("side", "front"), "side"),
            unjudged=e.text("unjudged", ""),
            families=e.texts("families"),
            starts=e.texts("starts"),
            ends=e.texts("ends"),
            implements=e.texts("implements"),
            phases=e.texts("phases"),
            not_lifts=e.texts("not_lifts"),
            follows=e.texts("follows"),
            drills=e.texts("drills"),
            tests=tuple(_test(e, t, label) for t in e.data.get("test", [])),
        )
    return faults


@cache
def all_faults() -> dict[str, Fault]:
    """The shipped faults by id."""
    return read_faults()
