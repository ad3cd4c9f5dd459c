"""Numbers that a person typed."""

from __future__ import annotations


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
