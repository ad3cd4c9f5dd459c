"""A lift at whose end the bar is let go: it falls, and bounces on the floor."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from keenkettle.lifter.motion import RATE_HZ, SimMotion

G_MM_S2 = 9806.65
HELD_S, AFTER_S = 0.4, 1.4  # before it is let go; filmed after it
BOUNCES = 0.32  # speed after a bounce over that before
AWAY_MM, AWAY_S = 480.0, 0.25  # forward, clear of the feet
ON_FLOOR_MM = 225.0


def let_go(sim: SimMotion) -> SimMotion:
    """The lift with its bar dropped from where it ends; the body stays, and its hands with it.

    The hands are a joint of their own then, "grip", for the bar leaves them.
    """
    held, after = round(HELD_S * RATE_HZ), round(AFTER_S * RATE_HZ)
    t = np.arange(after) / RATE_HZ
    y, speed, heights = float(sim.bar[-1, 1]), 0.0, []
    for _ in t:
        heights.append(y)
        speed -= G_MM_S2 / RATE_HZ
        y += speed / RATE_HZ
        if y < ON_FLOOR_MM:
            y, speed = ON_FLOOR_MM, -BOUNCES * speed
    fall = np.stack([sim.bar[-1, 0] + AWAY_MM * (1.0 - np.exp(-t / AWAY_S)), heights], axis=-1)
    stays = np.repeat(sim.bar[-1:], held, axis=0)
    joints = {
        name: np.concatenate([xy, np.repeat(xy[-1:], held + after, axis=0)])
        for name, xy in {**sim.joints, "grip": sim.bar}.items()
    }
    bar = np.concatenate([sim.bar, stays, fall])
    return replace(sim, t_s=np.arange(len(bar)) / RATE_HZ, bar=bar, joints=joints, timeline=None)
