"""Frames decoded ahead in a thread of their own, while those before are looked at."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Generator, Iterator
from typing import Generic, TypeVar

Item = TypeVar("Item")
DEPTH = 4  # items made ahead; each holds a decoded picture


class Ahead(Generic[Item]):
    """Runs an iterator in a thread. Whoever made it stops it before touching what it uses."""

    def __init__(
        self,
        items: Generator[Item, None, None],
        depth: int = DEPTH,
        lighter: Callable[[Item], Item] | None = None,
    ) -> None:
        """Begin.

        Args:
            items: what is run.
            depth: so many are made ahead.
            lighter: what is kept of an item that has to wait for long, behind ``DEPTH`` others.
        """
        self._items, self._depth, self._lighter = items, depth, lighter
        self._made: deque[Item] = deque()
        self._error: BaseException | None = None
        self._ended = self._stopped = False
        self._changed = threading.Condition()
        self._thread = threading.Thread(target=self._run, name="ahead", daemon=True)
        self._thread.start()

    @property
    def stopped(self) -> bool:
        """Whether it was stopped before its end."""
        return self._stopped

    def __iter__(self) -> Iterator[Item]:
        """What was made, in order; ends where it was stopped.

        Raises:
            Exception: whatever the iterator raised, when its turn comes.
        """
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._made or self._ended)
                if not self._made:
                    if self._error is not None:
                        raise self._error
                    return
                item = self._made.popleft()
                self._changed.notify_all()
            yield item

    def stop(self) -> None:
        """End the thread; what it has made already can still be had."""
        with self._changed:
            self._stopped = self._stopped or not self._ended
            self._changed.notify_all()
        self._thread.join()

    def _run(self) -> None:
        try:
            for item in self._items:
                if self._lighter is not None and len(self._made) >= DEPTH:
                    item = self._lighter(item)
                with self._changed:
                    self._made.append(item)
                    self._changed.notify_all()
                    self._changed.wait_for(lambda: len(self._made) < self._depth or self._stopped)
                    if self._stopped:
                        break
        except BaseException as err:  # noqa: BLE001  (raised where the items are asked for)
            self._error = err
        finally:
            self._items.close()
            with self._changed:
                self._ended = True
                self._changed.notify_all()
