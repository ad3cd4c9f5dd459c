"""One thing that can be done: name, key, menu."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Action:
    """One thing to do. ``place`` limits its key to that place; empty means everywhere."""

    menu: str
    name: str
    key: str
    run: Callable[[], object]
    place: str = ""
