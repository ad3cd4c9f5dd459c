"""Ladders: staged progressions as data. Read, checked, copied and written as TOML.

One file holds one ladder: ``id``, ``name``, ``family``, ``summary``, ``why``, ``suits``, then
``[[side]]`` tracks and ``[[rung]]`` entries from the bottom up.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import tomli

from keenkettle.coach.faults import all_faults
from keenkettle.coach.lifts import CHECKS, FAMILIES, all_lifts
from keenkettle.coach.tables import Entry, KnowledgeError, own_folder, read_text
from keenkettle.files import write_whole
from keenkettle.measure.sheet import UNITS

GATE_KINDS = ("tick", "hold", "measure", "no-fault", "clearance", "side-weeks", "load")
RELATIONS = ("above", "below")
_ID = re.compile(r"[a-z0-9]+(-[a-z0-9]+)*")


@dataclass(frozen=True)
class Checkpoint:
    """A position with the angle to be seen there, degrees from ``low`` to ``high``."""

    at: str
    joint: str
    low: float
    high: float


@dataclass(frozen=True)
class Mistake:
    """What often goes wrong and what to do about it."""

    sees: str
    do: str


@dataclass(frozen=True)
class Gate:
    """One condition on the way up. ``kind`` says which of the other fields count.

    tick: ``what``. hold: ``what``, ``seconds``. measure: ``metric``, ``relation``, ``limit``,
    ``clips``. no-fault: ``fault``. clearance: ``check``. side-weeks: ``track``, ``weeks``.
    load: ``lift`` at ``share`` of ``of`` ("body-mass" or a lift whose best counts).
    """

    kind: str
    what: str = ""
    seconds: float = 0.0
    metric: str = ""
    relation: str = ""
    limit: float = 0.0
    clips: int = 1
    fault: str = ""
    check: str = ""
    track: str = ""
    weeks: float = 0.0
    lift: str = ""
    share: float = 0.0
    of: str = ""

    @property
    def key(self) -> str:
        """What a record of this condition is kept under."""
        return ":".join(
            (self.kind, self.what or self.metric or self.fault or self.check or self.track
             or self.lift)
        )  # fmt: skip


@dataclass(frozen=True)
class Rung:
    """One step: what it teaches, how it is done, what must be seen before the next."""

    title: str
    lifts: tuple[str, ...]
    teaches: str
    how: tuple[str, ...]
    checkpoints: tuple[Checkpoint, ...]
    dose: str
    hold_s: int
    sessions_a_week: tuple[int, int]
    load: str
    cues: tuple[str, ...]
    mistakes: tuple[Mistake, ...]
    gate: tuple[Gate, ...]
    down: str
    sideways: tuple[str, ...]
    stay: tuple[int, int]
    equipment: tuple[str, ...]
    suits: str


@dataclass(frozen=True)
class SideTrack:
    """Work that runs beside the ladder for some weeks."""

    id: str
    title: str
    steps: tuple[str, ...]
    weeks: int
    why: str


@dataclass(frozen=True)
class Ladder:
    """A school's way up, rungs from the bottom."""

    id: str
    name: str
    family: str
    summary: str
    why: str
    suits: str
    sides: tuple[SideTrack, ...]
    rungs: tuple[Rung, ...]
    source: str  # the TOML text, to be copied and edited

    def rung(self, number: int) -> Rung:
        """Rung by number, from 1.

        Raises:
            KnowledgeError: there is no such rung.
        """
        if not 1 <= number <= len(self.rungs):
            raise KnowledgeError(
                f"ladder '{self.id}' has rungs 1 to {len(self.rungs)}; there is no {number}"
            )
        return self.rungs[number - 1]


def _gate(e: Entry) -> Gate:
    kind = e.one_of("kind", GATE_KINDS)
    if kind == "tick":
        return Gate(kind, what=e.text("what"))
    if kind == "hold":
        return Gate(kind, what=e.text("what"), seconds=e.number("seconds"))
    if kind == "measure":
        return Gate(
            kind,
            metric=e.one_of("metric", tuple(UNITS)),
            relation=e.one_of("relation", RELATIONS),
            limit=e.number("limit"),
            clips=int(e.number("clips", 2)),
        )
    if kind == "no-fault":
        return Gate(kind, fault=e.one_of("fault", tuple(all_faults())))
    if kind == "clearance":
        return Gate(kind, check=e.one_of("check", CHECKS))
    if kind == "side-weeks":
        return Gate(kind, track=e.text("track"), weeks=e.number("weeks"))
    return Gate(
        kind,
        lift=e.one_of("lift", tuple(all_lifts())),
        share=e.number("share"),
        of=e.one_of("of", ("body-mass", *all_lifts())),
    )


def _rung(e: Entry) -> Rung:
    known = all_lifts()
    lifts = e.texts("lifts")
    if not lifts or any(x not in known for x in lifts):
        wrong = next((x for x in lifts if x not in known), "nothing")
        raise e.fail("lifts", f"ids of lifts in the catalogue; '{wrong}' is none")
    return Rung(
        title=e.text("title"),
        lifts=lifts,
        teaches=e.text("teaches"),
        how=e.texts("how"),
        checkpoints=tuple(
            Checkpoint(c.text("at"), c.text("joint"), c.number("low"), c.number("high"))
            for c in e.tables("checkpoints")
        ),
        dose=e.text("dose"),
        hold_s=int(e.number("hold_s", 0)),
        sessions_a_week=e.span("sessions_a_week"),
        load=e.text("load"),
        cues=e.texts("cues"),
        mistakes=tuple(Mistake(m.text("sees"), m.text("do")) for m in e.tables("errors")),
        gate=tuple(_gate(g) for g in e.tables("gate")),
        down=e.text("down", ""),
        sideways=e.texts("sideways"),
        stay=e.span("stay"),
        equipment=e.texts("equipment"),
        suits=e.text("suits"),
    )


def read_ladder(text: str, file: str) -> Ladder:
    """Read one ladder.

    Args:
        text: TOML.
        file: its name, for messages.

    Raises:
        KnowledgeError: not TOML, a field is wrong, or the rungs do not hang together.
    """
    try:
        data: dict[str, Any] = tomli.loads(text)
    except tomli.TOMLDecodeError as err:
        raise KnowledgeError(f"{file}: not valid TOML: {err}") from err
    head = Entry(file, "ladder", data)
    if not _ID.fullmatch(head.text("id", "")):
        raise head.fail("id", "lower-case words joined by hyphens")
    rungs = [
        Entry(file, f"ladder '{head.id}' rung", {**r.data, "id": str(r.data.get("title", "?"))})
        for r in head.tables("rung")
    ]
    if not rungs:
        raise head.fail("rung", "a list of [[rung]] tables, at least one")
    ladder = Ladder(
        id=head.id,
        name=head.text("name"),
        family=head.one_of("family", FAMILIES),
        summary=head.text("summary"),
        why=head.text("why"),
        suits=head.text("suits"),
        sides=tuple(
            SideTrack(
                s.text("id"), s.text("title"), s.texts("steps"), int(s.number("weeks")),
                s.text("why"),
            )
            for s in head.tables("side")
        ),
        rungs=tuple(_rung(r) for r in rungs),
        source=text,
    )  # fmt: skip
    _hang_together(ladder, file)
    return ladder


def _hang_together(ladder: Ladder, file: str) -> None:
    """Names inside a ladder refer to what is there, and nothing goes in a circle."""
    where = f"{file}: ladder '{ladder.id}'"
    titles: list[str] = []
    for rung in ladder.rungs:
        if rung.title in titles:
            raise KnowledgeError(f"{where}: two rungs are called '{rung.title}'")
        if rung.down and rung.down not in titles:
            raise KnowledgeError(
                f"{where} rung '{rung.title}': field 'down' should name a rung below it; "
                f"'{rung.down}' is not (steps down may not go in a circle)"
            )
        titles.append(rung.title)
        for gate in rung.gate:
            if gate.kind == "side-weeks" and gate.track not in {s.id for s in ladder.sides}:
                raise KnowledgeError(
                    f"{where} rung '{rung.title}': side track '{gate.track}' is not in the ladder"
                )
        if ladder.id in rung.sideways:
            raise KnowledgeError(
                f"{where} rung '{rung.title}': field 'sideways' leads back to the same ladder"
            )
    for side in ladder.sides:
        if unknown := [s for s in side.steps if s not in all_lifts()]:
            raise KnowledgeError(f"{where} side '{side.id}': no lift '{unknown[0]}'")


def bail_out_first(ladder: Ladder) -> bool:
    """Whether bail-out practice stands before the first caught lift with a loaded bar."""
    seen = False
    for rung in ladder.rungs:
        caught = [all_lifts()[x] for x in rung.lifts if all_lifts()[x].caught]
        if any(x.implement == "barbell" for x in caught) and "stick" not in rung.equipment:
            return seen
        seen = seen or any(g.kind == "clearance" and g.check == "bail_out" for g in rung.gate)
    return True


def _sideways_known(ladder: Ladder, file: str, known: set[str]) -> None:
    for rung in ladder.rungs:
        for step in rung.sideways:
            if step not in known:
                raise KnowledgeError(
                    f"{file}: rung '{rung.title}': field 'sideways' names '{step}', "
                    "which is no ladder"
                )


@cache
def all_ladders() -> dict[str, Ladder]:
    """Shipped ladders and the coach's own, by id; an own one replaces a shipped one.

    Raises:
        KnowledgeError: one of them is wrong.
    """
    made = {}
    shelf = files("keenkettle.knowledge") / "ladders"
    for item in sorted(shelf.iterdir(), key=lambda f: f.name):
        if item.name.endswith(".toml"):
            ladder = read_ladder(item.read_text(encoding="utf-8"), f"ladders/{item.name}")
            made[ladder.id] = ladder
    for path in sorted((own_folder() / "ladders").glob("*.toml")):
        ladder = read_ladder(read_text(path), str(path))
        made[ladder.id] = ladder
    for ladder in made.values():
        _sideways_known(ladder, ladder.id, set(made))
    return made


def find_ladder(ladder_id: str) -> Ladder:
    """A ladder by id.

    Raises:
        KnowledgeError: there is none of that id.
    """
    ladders = all_ladders()
    if ladder_id not in ladders:
        raise KnowledgeError(f"ladder '{ladder_id}' is unknown; use one of {', '.join(ladders)}")
    return ladders[ladder_id]


def keep_own(text: str, file: str) -> Ladder:
    """Check a ladder and keep it among the coach's own; nothing is kept if it is wrong.

    Raises:
        KnowledgeError: the ladder is wrong.
        CannotWriteError: it cannot be written.
    """
    ladder = read_ladder(text, file)
    _sideways_known(ladder, file, {*all_ladders(), ladder.id})
    folder = own_folder() / "ladders"
    folder.mkdir(parents=True, exist_ok=True)
    write_whole(folder / f"{ladder.id}.toml", text.encode())
    all_ladders.cache_clear()
    return ladder


def is_own(ladder: Ladder) -> bool:
    """Whether a ladder is one of the coach's own."""
    return (own_folder() / "ladders" / f"{ladder.id}.toml").exists()


def copy_of(ladder: Ladder, new_id: str, new_name: str) -> str:
    """TOML of a copy under another id and name, to be edited."""
    text = re.sub(r'(?m)^id = ".*"$', f'id = "{new_id}"', ladder.source, count=1)
    return re.sub(r'(?m)^name = ".*"$', f'name = "{new_name}"', text, count=1)


def export_ladder(ladder: Ladder, path: Path) -> None:
    """Write a ladder's TOML.

    Raises:
        CannotWriteError: it cannot be written.
    """
    write_whole(path, ladder.source.encode())
