"""Write files whole or not at all."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class CannotWriteError(OSError):
    """A file cannot be written; the message names it and says what to do."""


def write_whole(path: Path, data: bytes) -> None:
    """Write a file through a temporary one beside it, so that it is never half there.

    Raises:
        CannotWriteError: the folder is missing, full or not writable.
    """
    with whole(path) as part:
        part.write_bytes(data)


@contextmanager
def whole(path: Path, rights: int = 0o644) -> Iterator[Path]:
    """A file beside ``path`` to write to, which takes its place when all went well.

    Raises:
        CannotWriteError: the folder is missing, full or not writable.
    """
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        part = Path(name)
        try:
            yield part
            os.fsync(handle)
            part.chmod(rights)
            part.replace(path)
        finally:
            os.close(handle)
            part.unlink(missing_ok=True)
    except OSError as err:
        raise CannotWriteError(
            f"{path} cannot be written ({err.strerror or err}); choose another folder or make room"
        ) from err


def hash_file(path: Path) -> str:
    """SHA-256 of a file's bytes.

    Raises:
        OSError: it cannot be read.
    """
    digest = hashlib.sha256()
    with path.open("rb") as handle:
        while block := handle.read(1 << 20):
            digest.update(block)
    return digest.hexdigest()
