"""Read the coach's knowledge from TOML; errors name file, entry and field."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from importlib.resources import files
from typing import Any


class KnowledgeError(ValueError):
    """A knowledge file is wrong; the message names file, entry and field."""


@dataclass(frozen=True)
class Entry:
    """One table of a knowledge file, read field by field."""

    file: str
    kind: str
    data: dict[str, Any]

    @property
    def id(self) -> str:
        """The entry's id."""
        return str(self.data.get("id", "?"))

    def fail(self, field: str, wanted: str) -> KnowledgeError:
        """The error for a wrong field."""
        return KnowledgeError(
            f"{self.file}: {self.kind} '{self.id}': field '{field}' should be {wanted}"
        )

    def text(self, field: str, default: str | None = None) -> str:
        """A text field."""
        value = self.data.get(field, default)
        if not isinstance(value, str):
            raise self.fail(field, "text")
        return value

    def number(self, field: str, default: float | None = None) -> float:
        """A number field."""
        value = self.data.get(field, default)
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise self.fail(field, "a number")
        return float(value)

    def texts(self, field: str) -> tuple[str, ...]:
        """A list of texts, empty where absent."""
        value = self.data.get(field, [])
        if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
            raise self.fail(field, "a list of texts")
        return tuple(value)

    def one_of(self, field: str, allowed: tuple[str, ...], default: str | None = None) -> str:
        """A text field with few possible values."""
        value = self.text(field, default)
        if value not in allowed:
            raise self.fail(field, "one of " + ", ".join(allowed))
        return value


def read_entries(file: str, kind: str, source: str | None = None) -> list[Entry]:
    """Read all entries of a kind.

    Args:
        file: name of a file in ``knowledge``.
        kind: name of the tables in it.
        source: text to read instead of the shipped file.

    Raises:
        KnowledgeError: not TOML, no such tables, or two entries with one id.
    """
    text = source
    if text is None:
        text = files("keenkettle.knowledge").joinpath(file).read_text(encoding="utf-8")
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as err:
        raise KnowledgeError(f"{file}: not valid TOML: {err}") from err
    tables = data.get(kind)
    if not isinstance(tables, list):
        raise KnowledgeError(f"{file}: holds no [[{kind}]] tables")
    entries = [Entry(file, kind, t) for t in tables]
    seen: set[str] = set()
    for entry in entries:
        if entry.text("id", "") == "":
            raise KnowledgeError(f"{file}: a {kind} has no id")
        if entry.id in seen:
            raise KnowledgeError(f"{file}: {kind} '{entry.id}' is there twice")
        seen.add(entry.id)
    return entries
