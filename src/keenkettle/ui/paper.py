"""Pages on paper: a PDF that is there whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter

from keenkettle.files import CannotWriteError

A5_MM = (148.0, 210.0)
DPI = 300
INK = "#24272B"


def write_page(
    path: Path, title: str, size_mm: tuple[float, float], paint: Callable[[QPainter, QRectF], None]
) -> None:
    """Write one page; ``paint`` gets the painter and the whole page in its units.

    Raises:
        CannotWriteError: the folder is missing or not writable.
    """
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        os.close(handle)
    except OSError as err:
        raise CannotWriteError(
            f"{path} cannot be written ({err.strerror}); choose another folder"
        ) from err
    part = Path(name)
    try:
        writer = QPdfWriter(str(part))
        writer.setResolution(DPI)
        writer.setTitle(title)
        size = QPageSize(QSizeF(*size_mm), QPageSize.Unit.Millimeter)
        writer.setPageLayout(QPageLayout(size, QPageLayout.Orientation.Portrait, QMarginsF()))
        p = QPainter()
        if not p.begin(writer):
            raise CannotWriteError(f"{path} cannot be written; choose another folder")
        paint(p, QRectF(0, 0, writer.width(), writer.height()))
        p.end()
        part.chmod(0o644)
        part.replace(path)
    except OSError as err:
        raise CannotWriteError(f"{path} cannot be written ({err})") from err
    finally:
        part.unlink(missing_ok=True)
