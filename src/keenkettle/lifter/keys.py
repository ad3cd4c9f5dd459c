"""Key poses of lifts that are shown but not simulated: squats, presses, jerks, hinges, jumps.

Angles are degrees; hands are placed from the shoulder joint in shares of the arm's length
(x forward, y up). Values are working values of good form, not measurements.
"""

from __future__ import annotations

from dataclasses import dataclass, replace


@dataclass(frozen=True)
class Key:
    """One key pose, reached ``after_s`` after the one before; ``stop`` names a checkpoint.

    Attributes:
        lean: shank forward of the vertical. knee: knee angle. trunk: above the horizontal.
        heel: heel rise. hand: place of the hands. rack: 1 where elbows point ahead.
        shift: whole body forward, share of stature; lift: feet off the floor, the same.
        split: rear foot behind the front one, share of stature.
    """

    after_s: float
    lean: float
    knee: float
    trunk: float
    hand: tuple[float, float]
    heel: float = 0.0
    rack: float = 0.0
    shift: float = 0.0
    lift: float = 0.0
    split: float = 0.0
    stop: str = ""

    def at(self, after_s: float, stop: str = "") -> Key:
        """The same pose, reached after another time."""
        return replace(self, after_s=after_s, stop=stop)


HANG, LONG = (0.15, -0.9865), (0.02, -0.999)
RACKED, BEHIND, OVER = (0.11, 0.035), (-0.07, 0.05), (0.02, 0.998)
CHEST = (0.30, -0.38)
SPLIT, STEP = 0.52, 0.12  # between the feet, and the front one ahead of where it stood
DRIVE_S, ARMS_S = 0.13, 0.5  # the legs' drive; the arms' way up, of a bar that slows down


def stand(hand: tuple[float, float], rack: float = 0.0) -> Key:
    """Standing tall."""
    return Key(0.0, 2.0, 177.0, 90.0, hand, rack=rack)


def squat(hand: tuple[float, float], depth: str, rack: float = 0.0) -> Key:
    """A squat: "quarter", "front", "back" or "overhead" bottom."""
    lean, knee, trunk = {
        "quarter": (21.0, 118.0, 80.0),
        "front": (33.0, 58.0, 72.0),
        "back": (30.0, 64.0, 58.0),
        "overhead": (35.0, 52.0, 70.0),
    }[depth]
    return Key(0.0, lean, knee, trunk, hand, rack=rack)


def hinge(bar_at: str) -> Key:
    """A hinge with the bar at the hip, mid-thigh, above or below the knee, mid-shin, or on the
    floor, held narrow or wide.
    """
    lean, knee, trunk, hand = {
        "hip": (12.0, 156.0, 84.0, HANG),
        "mid-thigh": (12.0, 150.0, 62.0, (-0.12, -0.992)),
        "above-knee": (2.0, 158.0, 40.0, (-0.20, -0.979)),
        # Shoulders ahead of the bar, as in the simulated pull.
        "below-knee": (5.0, 136.0, 33.0, (-0.14, -0.989)),
        "mid-shin": (12.0, 114.0, 32.0, (-0.10, -0.994)),
        "floor": (18.0, 93.0, 32.0, (-0.07, -0.997)),
        "floor-wide": (18.0, 79.0, 26.0, (-0.09, -0.995)),
    }[bar_at]
    return Key(0.0, lean, knee, trunk, hand)


POWER = Key(0.0, 18.0, 138.0, 83.0, (0.08, -0.995))
TALL = Key(0.0, 3.0, 174.0, 89.0, HANG, heel=24.0)


def dip(hand: tuple[float, float], rack: float = 0.0) -> Key:
    """The dip of jerks and push presses: straight down."""
    return Key(0.0, 21.0, 122.0, 89.0, hand, rack=rack)


def squatting(hand: tuple[float, float], depth: str, rack: float = 0.0) -> list[Key]:
    """Down, a moment, up."""
    up = stand(hand, rack)
    return [
        up.at(0.0, "start"), up.at(0.4), squat(hand, depth, rack).at(1.3, "bottom"),
        squat(hand, depth, rack).at(0.3), up.at(1.1, "standing"), up.at(0.4),
    ]  # fmt: skip


def hinging(bar_at: str) -> list[Key]:
    """Hips back, a moment, up."""
    up = stand(HANG)
    return [
        up.at(0.0, "start"), up.at(0.3), hinge(bar_at).at(1.4, "bottom of the hinge"),
        hinge(bar_at).at(0.4), hinge("mid-thigh").at(0.7), up.at(0.5, "standing"), up.at(0.3),
    ]  # fmt: skip


def standing_up(low: str) -> list[Key]:
    """From the floor to standing, the back at its angle until the bar is past the knee."""
    first, up = hinge(low), stand(HANG)
    return [
        first.at(0.0, "set position"), first.at(0.6),
        hinge("below-knee").at(0.7, "bar at the knee"), hinge("mid-thigh").at(0.5),
        up.at(0.5, "standing"), up.at(0.6),
    ]  # fmt: skip


def shrugging(start: str) -> list[Key]:
    """From a start to full extension, arms long."""
    low = [stand(HANG)] if start == "hip" else [hinge(start).at(0.0)]
    first = low[0].at(0.0, "start")
    way = [POWER.at(0.5, "power position")] if start in ("above-knee", "below-knee") else []
    if start.startswith("floor"):
        way = [hinge("below-knee").at(0.6, "bar at the knee"), POWER.at(0.35, "power position")]
    return [first, first.at(0.6), *way, TALL.at(DRIVE_S, "extension"), TALL.at(0.15),
            stand(HANG).at(0.5), stand(HANG).at(0.3)]  # fmt: skip


def pressing(start: tuple[float, float], split: float = 0.0) -> list[Key]:
    """Arms alone."""
    base = stand(start)
    if split:
        base = replace(base, lean=8.0, knee=112.0, split=split)
    over = replace(base, hand=OVER)
    mid = replace(base, hand=(0.16, 0.45))
    return [base.at(0.0, "start"), base.at(0.4), mid.at(0.6), over.at(0.6, "overhead"),
            over.at(0.8), mid.at(0.7), base.at(0.5)]  # fmt: skip


def driving(start: tuple[float, float], ends: str) -> list[Key]:
    """Dip and drive, and what follows: nothing, a press, or a jerk."""
    rest, down = stand(start), dip(start)
    up = replace(TALL, hand=start)
    keys = [rest.at(0.0, "start"), rest.at(0.5), down.at(0.36, "bottom of the dip"),
            up.at(0.2, "drive")]  # fmt: skip
    if ends == "dip":
        return [*keys, rest.at(0.3), rest.at(0.5)]
    if ends == "push-press":
        over = stand(OVER)
        return [*keys, over.at(0.4, "overhead"), over.at(0.9), rest.at(0.8)]
    flight = replace(up, hand=(0.12, 0.42))
    if ends == "split-catch":
        under = Key(0.0, 6.0, 108.0, 90.0, OVER, split=SPLIT, shift=STEP)
    elif ends == "full-catch":
        under = squat(OVER, "overhead")
    else:
        under = squat(OVER, "quarter")
    over = stand(OVER)
    # The weight is met a little higher and ridden down.
    met = replace(under, knee=under.knee + 14.0, lean=under.lean - 5.0)
    caught = [*keys, flight.at(0.16), met.at(0.22, "catch"), under.at(0.16), under.at(0.8)]
    if ends == "split-catch":
        return [*caught, *together(under)]
    return [*caught, over.at(0.9, "standing"), over.at(0.5)]


def together(under: Key) -> list[Key]:
    """Out of a split: the front foot half back, then the rear one to it."""
    half = replace(under, lean=4.0, knee=150.0, shift=STEP / 2.0, split=under.split - STEP / 2.0)
    done = replace(stand(under.hand, under.rack), shift=STEP / 2.0)
    return [half.at(0.5), done.at(0.6, "standing"), done.at(0.5)]


def stepping() -> list[Key]:
    """Into the split by count, and back."""
    rest = stand(RACKED)
    wide = Key(0.0, 6.0, 108.0, 90.0, RACKED, split=SPLIT, shift=STEP)
    return [rest.at(0.0, "start"), rest.at(0.4), wide.at(0.9, "split"), wide.at(1.2),
            *together(wide)]  # fmt: skip


def dropping(start: tuple[float, float], depth: str) -> list[Key]:
    """Under a bar that hardly rises: snatch balances."""
    rest = stand(start)
    low = squat(OVER, depth)
    over = stand(OVER)
    return [rest.at(0.0, "start"), rest.at(0.5), dip(start).at(0.3, "bottom of the dip"),
            replace(TALL, hand=start).at(0.18), low.at(0.4, "catch"), low.at(0.8),
            over.at(1.1, "standing"), over.at(0.5)]  # fmt: skip


def turning(over: bool, start: str = "tall") -> list[Key]:
    """Elbows up, turn, to the shoulders or overhead: from standing, or after a pull."""
    rest, high = stand(HANG), stand(CHEST)
    end = stand(OVER if over else RACKED, 0.0 if over else 1.0)
    if start != "tall":
        high = replace(high, heel=12.0)
        ends = end.at(0.35, "overhead" if over else "rack")
        return [*shrugging(start)[:-3], high.at(ARMS_S, "elbows high"), ends, end.at(0.9),
                rest.at(0.9)]  # fmt: skip
    return [rest.at(0.0, "start"), rest.at(0.4), high.at(0.7, "elbows high"),
            end.at(0.6, "overhead" if over else "rack"), end.at(0.9), rest.at(0.9)]  # fmt: skip


def one_hand(start: str, end: str, swing: bool) -> list[Key]:
    """A dumbbell or kettlebell from a start to a swing, the shoulder, or overhead."""
    low = (
        stand((0.10, -0.99)) if start == "tall" else hinge({"hip": "above-knee"}.get(start, start))
    )
    low = replace(low, hand=(-0.25, -0.95) if swing else LONG)
    top = replace(TALL, heel=6.0 if swing else 16.0, hand=(0.45, -0.88) if swing else HANG)
    goal = {"swing": (0.97, -0.10), "high-pull": (0.45, 0.12), "rack": RACKED, "over": OVER}[end]
    caught = squat(goal, "quarter") if end == "over" and not swing else stand(goal)
    word = {"swing": "top", "high-pull": "elbow high", "rack": "rack", "over": "overhead"}[end]
    rest = stand((0.10, -0.99))
    way = [] if swing or start in ("tall", "mid-thigh") else [POWER.at(0.35)]
    return [low.at(0.0, "start"), low.at(0.4), *way, top.at(DRIVE_S if way else 0.35, "extension"),
            caught.at(0.52, word), caught.at(0.6),
            stand(goal).at(0.5), low.at(0.9) if swing else rest.at(0.9)]  # fmt: skip


def jumping(hand_from: tuple[float, float], hand_to: tuple[float, float]) -> list[Key]:
    """Dip, jump, land."""
    rest = stand(hand_from)
    low = replace(squat(hand_from, "quarter"), trunk=62.0)
    air = replace(TALL, hand=hand_to, lift=0.16, heel=30.0)
    land = replace(squat(hand_from, "quarter"), trunk=72.0)
    return [rest.at(0.0, "start"), rest.at(0.3), low.at(0.5, "bottom of the dip"),
            replace(air, lift=0.0).at(0.22, "extension"), air.at(0.24), land.at(0.26, "landing"),
            land.at(0.6), rest.at(0.6)]  # fmt: skip
