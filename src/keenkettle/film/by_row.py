"""What changes from row to row of the picture as the disc rises, learnt as it is followed."""

from __future__ import annotations

from dataclasses import dataclass, field
from statistics import median

import numpy as np

from keenkettle.measure.geometry import FloatArray

KEPT = 5  # values of a row


@dataclass
class ByRow:
    """So many values by picture row; ``height_px`` rows count as one."""

    height_px: float
    count: int
    kept: dict[int, list[tuple[float, ...]]] = field(default_factory=dict)
    _middling: dict[int, tuple[float, ...]] = field(default_factory=dict)
    _table: tuple[FloatArray, FloatArray] | None = None

    def learn(self, row: float, own: tuple[float, ...]) -> None:
        """Take in a row's values, always as many; of each row the latest count."""
        k = round(row / self.height_px)
        values = self.kept.setdefault(k, [])
        values.append(own)
        del values[:-KEPT]
        for n in (k - 1, k, k + 1):
            self._middling.pop(n, None)
        self._table = None

    def near(self, row: float) -> list[tuple[float, ...]]:
        """What was learnt on a row and on those next to it."""
        return self._near(round(row / self.height_px))

    def middling(self, row: float) -> tuple[float, ...] | None:
        """The middling values about a row; None where nothing was learnt."""
        return self._middle(round(row / self.height_px))

    def table(self) -> tuple[FloatArray, FloatArray]:
        """Rows that were seen, shape (K,), and the middling values about them, (K, count)."""
        if self._table is None:
            rows = sorted(self.kept)
            values = np.array([self._middle(k) for k in rows], float).reshape(-1, self.count)
            self._table = np.array(rows) * self.height_px, values
        return self._table

    def at(self, row: float) -> FloatArray | None:
        """The values between rows that were seen, beyond them the last one's; None without any."""
        rows, values = self.table()
        if not len(rows):
            return None
        return np.array([np.interp(row, rows, column) for column in values.T])

    def _near(self, k: int) -> list[tuple[float, ...]]:
        return [own for n in (k - 1, k, k + 1) for own in self.kept.get(n, [])]

    def _middle(self, k: int) -> tuple[float, ...] | None:
        known = self._middling.get(k)
        if known is None and (near := self._near(k)):
            known = self._middling[k] = tuple(median(column) for column in zip(*near, strict=True))
        return known
