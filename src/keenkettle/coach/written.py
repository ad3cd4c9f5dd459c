"""A review in plain words for the athlete, drafted from what the coach confirmed."""

from __future__ import annotations

from datetime import date

from keenkettle.coach.cautions import drill_cautions, fault_caution
from keenkettle.coach.faults import all_faults
from keenkettle.coach.judge import Finding
from keenkettle.coach.remedies import Proposal

MOST_GOOD, MOST_CUES = 2, 2


def draft(
    name: str,
    lift: str,
    load_kg: float | None,
    filmed_on: date,
    good: tuple[str, ...],
    confirmed: list[Finding],
    drills: list[Proposal],
) -> str:
    """A few short paragraphs: what to keep, the one thing to mend first, what to do for it.

    Args:
        name: the athlete's.
        lift: in words.
        load_kg: where known.
        filmed_on: day of the film.
        good: sentences of what was right.
        confirmed: findings the coach agrees with, the root first.
        drills: what was put into the session.
    """
    first = name.split()[0] if name.split() else "Hello"
    load = f" with {load_kg:g} kg" if load_kg else ""
    parts = [f"{first}, your {lift}{load} of {filmed_on:%-d %B}:"]
    if good:
        parts.append("Keep doing: " + " ".join(_sentence(g) for g in good[:MOST_GOOD]))
    roots = [f for f in confirmed if not f.follows]
    follow = [f for f in confirmed if f.follows]
    for word, found in zip(("First to mend", "Then"), roots[:MOST_CUES], strict=False):
        fault = all_faults()[found.fault]
        parts.append(
            f"{word}: {fault.title.lower()}. {_sentence(found.says.partition(': ')[2])} "
            f"{_sentence(fault.why)} Think: “{fault.cue}”"
        )
        if ruling := fault_caution(found.fault):
            parts[-1] += f" {ruling}"
    if follow:
        names = ", ".join(all_faults()[f.fault].title.lower() for f in follow)
        parts.append(f"This should go by itself once the first is mended: {names}.")
    if not confirmed:
        parts.append("Nothing to mend this time; go on as you are.")
    for p in drills:
        care = "".join(f" {c}" for c in drill_cautions(p.drill.id))
        parts.append(f"In the next session: {p.session_line}. {_sentence(p.drill.how)}{care}")
    return "\n\n".join(parts) + "\n"


def _sentence(text: str) -> str:
    text = text.strip()
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "!", "?", "”")) else text + "."
