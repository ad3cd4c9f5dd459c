"""Read the coach's knowledge from TOML; errors name file, entry and field."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Any

import tomli
from platformdirs import user_data_path


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

    def some_of(self, field: str, allowed: tuple[str, ...]) -> tuple[str, ...]:
        """A list of texts with few possible values."""
        values = self.texts(field)
        if any(v not in allowed for v in values):
            raise self.fail(field, "some of " + ", ".join(allowed))
        return values

    def span(self, field: str) -> tuple[int, int]:
        """Two whole numbers, from and to."""
        value = self.data.get(field)
        if (
            not isinstance(value, list)
            or len(value) != 2
            or any(isinstance(v, bool) or not isinstance(v, int) for v in value)
            or value[0] > value[1]
        ):
            raise self.fail(field, "two whole numbers, from and to")
        return (value[0], value[1])

    def counts(self, field: str, allowed: tuple[str, ...]) -> dict[str, int]:
        """A table of whole numbers under few possible names."""
        value = self.data.get(field, {})
        if not isinstance(value, dict) or any(
            k not in allowed or isinstance(v, bool) or not isinstance(v, int)
            for k, v in value.items()
        ):
            raise self.fail(field, "whole numbers under the names " + ", ".join(allowed))
        return dict(value)

    def tables(self, field: str) -> list[Entry]:
        """A list of tables inside this one; their errors name this entry too."""
        value = self.data.get(field, [])
        if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
            raise self.fail(field, "a list of tables")
        return [
            Entry(self.file, f"{self.kind} '{self.id}': {field}", {"id": str(i + 1), **v})
            for i, v in enumerate(value)
        ]

    def one_of(self, field: str, allowed: tuple[str, ...], default: str | None = None) -> str:
        """A text field with few possible values."""
        value = self.text(field, default)
        if value not in allowed:
            raise self.fail(field, "one of " + ", ".join(allowed))
        return value


def own_folder() -> Path:
    """Where the coach's own knowledge lies; updates never touch it."""
    return user_data_path("keenkettle") / "knowledge"


def read_entries(file: str, kind: str, source: str | None = None) -> list[Entry]:
    """Read all entries of a kind; the coach's own ones replace shipped ones of the same id.

    Args:
        file: name of a file in ``knowledge``.
        kind: name of the tables in it.
        source: text to read instead of the shipped file and the coach's own.

    Raises:
        KnowledgeError: not TOML, no such tables, or two entries with one id.
    """
    if source is not None:
        return parse_entries(file, kind, source)
    shipped = files("keenkettle.knowledge").joinpath(file).read_text(encoding="utf-8")
    merged = {e.id: e for e in parse_entries(file, kind, shipped)}
    own = own_folder() / file
    if own.is_file():
        merged |= {e.id: e for e in parse_entries(str(own), kind, read_text(own))}
    return list(merged.values())


def read_text(path: Path) -> str:
    """A knowledge file's text.

    Raises:
        KnowledgeError: it cannot be read as text.
    """
    try:
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as err:
        raise KnowledgeError(f"{path} cannot be read; it should be a TOML text file") from err


def parse_entries(file: str, kind: str, text: str) -> list[Entry]:
    """The entries of a kind in a text; ``file`` is its name for messages.

    Raises:
        KnowledgeError: not TOML, no such tables, or two entries with one id.
    """
    try:
        data = tomli.loads(text)
    except tomli.TOMLDecodeError as err:
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
