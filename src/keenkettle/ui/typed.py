"""Numbers that a person typed."""

from __future__ import annotations

MOST_KG = 600.0


class TypedError(ValueError):
    """What was typed is no number; the message names the field and what to do."""


def number(text: str, what: str) -> float | None:
    """A number with point or comma, None where the field is empty.

    Args:
        text: as typed.
        what: the field, as the message names it.

    Raises:
        TypedError: it is no number.
    """
    text = text.strip().replace(",", ".")
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        raise TypedError(f"{what} is '{text}'; give a number, or leave it empty") from None


def load_kg(text: str) -> float | None:
    """A load on the bar as typed, with or without its unit; None where the field is empty.

    Raises:
        TypedError: it is no load.
    """
    load = number(text.lower().strip().removesuffix("kg"), "the load")
    if load is not None and not 0.0 <= load <= MOST_KG:
        raise TypedError(f"the load is {load:g} kg; give what was on the bar, or leave it empty")
    return load
