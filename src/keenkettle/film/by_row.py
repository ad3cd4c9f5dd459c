"""What changes from row to row of the picture as the disc rises, learnt as it is followed."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from keenkettle.measure.geometry import FloatArray

KEPT = 5  # values of a row


@dataclass
class ByRow:
    """So many values by picture row; ``height_px`` rows count as one."""

    height_px: float
    count: int
    kept: dict[int, list[tuple[float, ...]]] = field(default_factory=dict)
    _table: tuple[FloatArray, FloatArray] | None = None

    def learn(self, row: float, own: tuple[float, ...]) -> None:
        """Take in a row's values, always as many; of each row the latest count."""
        values = self.kept.setdefault(round(row / self.height_px), [])
        values.append(own)
        del values[:-KEPT]
        self._table = None

    def near(self, row: float) -> list[tuple[float, ...]]:
        """What was learnt on a row and on those next to it."""
        k = round(row / self.height_px)
        return [own for n in (k - 1, k, k + 1) for own in self.kept.get(n, [])]

    def table(self) -> tuple[FloatArray, FloatArray]:
        """Rows that were seen, shape (K,), and the middling values about them, (K, count)."""
        if self._table is None:
            rows = np.array(sorted(self.kept)) * self.height_px
            middling = [np.median(self.near(row), axis=0) for row in rows.tolist()]
            self._table = rows, np.array(middling).reshape(-1, self.count)
        return self._table

    def at(self, row: float) -> FloatArray | None:
        """The values between rows that were seen, beyond them the last one's; None without any."""
        rows, values = self.table()
        if not len(rows):
            return None
        return np.array([np.interp(row, rows, column) for column in values.T])
