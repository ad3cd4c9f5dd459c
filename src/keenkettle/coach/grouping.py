"""Who shares a platform: an assignment solved exactly, as a mixed-integer programme (SciPy).

Athletes share a set-up where implement and start are the same and loads lie within 10 kg. Each
set-up on a platform costs minutes; the longest platform is made as short as can be, then the
number of set-ups.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np

WITHIN_KG = 10.0
SETUP_MIN = 4.0
SOLVE_S = 0.8
SETUP_WEIGHT = 0.01  # breaks ties between equally long plans


class GroupingError(ValueError):
    """The question cannot be answered; the message says what to change."""


@dataclass(frozen=True)
class Place:
    """One athlete for one session: what they use, where it starts, load and minutes."""

    who: str
    implement: str
    start: str
    load_kg: float
    minutes: float = 12.0


@dataclass(frozen=True)
class Grouping:
    """``platforms``: who is on each. ``minutes``: how long each takes, set-ups included."""

    platforms: tuple[tuple[str, ...], ...]
    minutes: tuple[float, ...]
    setups: int
    proven: bool

    @property
    def longest_min(self) -> float:
        """Minutes of the longest platform."""
        return max(self.minutes, default=0.0)


def setups_needed(people: list[Place]) -> int:
    """Fewest set-ups for people who share one platform."""
    count = 0
    kinds = {(p.implement, p.start) for p in people}
    for kind in kinds:
        loads = sorted(p.load_kg for p in people if (p.implement, p.start) == kind)
        top = -np.inf
        for load in loads:
            if load > top:
                count += 1
                top = load + WITHIN_KG
    return count


def minutes_of(people: list[Place]) -> float:
    """Minutes that people take on one platform."""
    return sum(p.minutes for p in people) + SETUP_MIN * setups_needed(people)


def group(people: list[Place], platforms: int) -> Grouping:
    """Spread athletes over platforms.

    Args:
        people: athletes of the session.
        platforms: how many there are, at least 1.

    Raises:
        GroupingError: no platform, or one athlete twice.
    """
    if platforms < 1:
        raise GroupingError("there is no platform; give at least one")
    if len({p.who for p in people}) != len(people):
        raise GroupingError("an athlete is in the list twice; leave one of them out")
    if not people:
        return Grouping(((),) * platforms, (0.0,) * platforms, 0, True)
    chosen, proven = _solve(people, min(platforms, len(people)))
    made = [[people[i] for i, k in enumerate(chosen) if k == n] for n in range(platforms)]
    made.sort(key=lambda g: -minutes_of(g))
    return Grouping(
        platforms=tuple(tuple(p.who for p in g) for g in made),
        minutes=tuple(minutes_of(g) for g in made),
        setups=sum(setups_needed(g) for g in made),
        proven=proven,
    )


def _solve(people: list[Place], platforms: int) -> tuple[list[int], bool]:
    """Platform of each athlete.

    Unknowns: x[i, w, k] athlete i in window w on platform k; z[w, k] window w set up on k; T.
    A window is a kind (implement, start) with loads from one athlete's load up to 10 kg more.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp  # slow to load
    from scipy.sparse import csr_array  # slow to load

    windows = sorted({(p.implement, p.start, p.load_kg) for p in people})
    fits = [
        (i, w)
        for (i, p), (w, (implement, start, low)) in product(enumerate(people), enumerate(windows))
        if (p.implement, p.start) == (implement, start) and low <= p.load_kg <= low + WITHIN_KG
    ]
    xs = {(i, w, k): n for n, ((i, w), k) in enumerate(product(fits, range(platforms)))}
    zs = {
        (w, k): len(xs) + n
        for n, (w, k) in enumerate(product(range(len(windows)), range(platforms)))
    }
    longest = len(xs) + len(zs)
    size = longest + 1
    rows: list[tuple[dict[int, float], float, float]] = []
    for i in range(len(people)):
        rows.append(({n: 1.0 for (j, _, _), n in xs.items() if j == i}, 1.0, 1.0))
    rows += [({n: 1.0, zs[w, k]: -1.0}, -np.inf, 0.0) for (_, w, k), n in xs.items()]
    for k in range(platforms):
        load = {n: people[i].minutes for (i, _, kk), n in xs.items() if kk == k}
        load |= {n: SETUP_MIN for (_, kk), n in zs.items() if kk == k}
        rows.append((load | {longest: -1.0}, -np.inf, 0.0))
    cost = np.zeros(size)
    cost[longest] = 1.0
    cost[list(zs.values())] = SETUP_WEIGHT
    at = [(r, c, v) for r, (entries, _, _) in enumerate(rows) for c, v in entries.items()]
    r, c, v = zip(*at, strict=True)
    table = np.zeros((len(rows), size))
    table[list(r), list(c)] = v
    matrix = csr_array(table)
    upper = np.ones(size)
    upper[longest] = np.inf
    whole = np.ones(size, dtype=np.int64)
    whole[longest] = 0
    # No plan can be shorter than an even share: it helps the solver to know.
    least = np.zeros(size)
    least[longest] = sum(p.minutes for p in people) / platforms
    found = milp(
        cost,
        constraints=LinearConstraint(matrix, [x[1] for x in rows], [x[2] for x in rows]),
        integrality=whole,
        bounds=Bounds(least, upper),
        options={"time_limit": SOLVE_S},
    )
    if found.x is None:
        return _in_turn(people, platforms), False
    chosen = [0] * len(people)
    for (i, _, k), n in xs.items():
        if found.x[n] > 0.5:
            chosen[i] = k
    return chosen, bool(found.status == 0)


def _in_turn(people: list[Place], platforms: int) -> list[int]:
    """Alike athletes together, platforms filled in turn: a plan when there is no time for one."""
    order = sorted(range(len(people)), key=lambda i: (people[i].implement, people[i].start,
                                                      people[i].load_kg))  # fmt: skip
    share = -(-len(people) // platforms)
    return [order.index(i) // share for i in range(len(people))]
