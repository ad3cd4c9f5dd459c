"""A helper process: work that may take a core for long, or fall over in a codec, runs there.

The helper is a Python module run with one end of a pipe; it ends when the other end closes.
"""

from __future__ import annotations

import os
import subprocess
import sys
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from typing import Any


class ChildDiedError(RuntimeError):
    """The helper process ended without an answer."""


class Child:
    """One helper process. Not for several threads at once."""

    def __init__(self, module: str, *fds: int) -> None:
        """Start it; ``fds`` are file descriptors that it may use too."""
        ours, theirs = Pipe()
        self._pipe: Connection = ours
        names = [str(theirs.fileno()), *map(str, fds)]
        self._process = subprocess.Popen(
            [sys.executable, "-m", module, *names],
            pass_fds=[theirs.fileno(), *fds],
            stdin=subprocess.DEVNULL,
        )
        theirs.close()

    def send(self, *message: Any) -> None:
        """Send a message.

        Raises:
            ChildDiedError: nobody is there to read it.
        """
        try:
            self._pipe.send(message)
        except (OSError, ValueError) as err:
            raise ChildDiedError(f"process {self._process.pid} ended") from err

    def answer(self, timeout_s: float | None = None) -> tuple[Any, ...] | None:
        """The next message, or None where none came in time.

        Raises:
            ChildDiedError: the process ended.
        """
        try:
            if timeout_s is not None and not self._pipe.poll(timeout_s):
                return None
            got: tuple[Any, ...] = self._pipe.recv()
        except (EOFError, OSError) as err:
            raise ChildDiedError(f"process {self._process.pid} ended") from err
        return got

    @property
    def alive(self) -> bool:
        """Whether it still runs."""
        return self._process.poll() is None

    def kill(self) -> None:
        """End it at once."""
        self._pipe.close()
        self._process.kill()
        self._process.wait()


def own_pipe() -> Connection:
    """In the helper: the pipe to the parent."""
    return Connection(int(sys.argv[1]))


def own_fd(position: int) -> int:
    """In the helper: a file descriptor that was handed on."""
    return int(sys.argv[2 + position])


def quiet() -> None:
    """In the helper: libraries' chatter goes nowhere."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.dup2(nowhere, 2)
