"""Garbage is collected in the window's thread only.

Python collects cycles in whichever thread happens to make the next object. Qt's objects belong to
the thread that made them: taken away in another, while the window is busy with them, they take
the program with them.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

EVERY_MS = 500


class Collector(QObject):
    """Collects by the interpreter's own thresholds, from a timer in the thread that makes it."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self, interval=EVERY_MS)
        self._timer.timeout.connect(self.collect)
        self._timer.start()

    def collect(self) -> None:
        """Collect the oldest generation whose turn it is."""
        due = [i for i, (n, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True))
               if n > most]  # fmt: skip
        if due:
            gc.collect(due[-1])
