"""The simulated lifter from the front: where both sides of the body are, with faults of sides.

The side view's motion gives height and depth; here each joint gets its place across. x points
the way the athlete faces, y up, z to the athlete's right.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keenkettle.lifter.late_arm import at_time, behind
from keenkettle.lifter.motion import RATE_HZ, SimMotion
from keenkettle.lifter.render import JOINT_Z
from keenkettle.measure.geometry import FloatArray

SIDES = {"right": 1.0, "left": -1.0}
JOINTS = ("ear", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")
RAMP_S = 0.12  # in which a fault of sides comes and goes
BAR_HALF_MM = 1050.0
CARRIED_RISE_MM = 250.0  # the bar is off the ground by so much where a tilt may begin


@dataclass(frozen=True)
class SideFaults:
    """What differs from one side to the other, or is too wide.

    Attributes:
        tilt_deg: slope of the bar once it is received, the right hand higher.
        lag_s: by so much the left elbow straightens after the right.
        landing: ankles apart after landing, shares of the width between the shoulder joints.
        knee_in_mm: knees inside the ankles on the way down and up.
    """

    tilt_deg: float = 0.0
    lag_s: float = 0.0
    landing: float = 1.15
    knee_in_mm: float = -20.0


@dataclass(frozen=True)
class Front:
    """A rep with its sides. ``caught_s``: when the bar is highest; ``stood_s``: stood up again."""

    sim: SimMotion
    faults: SideFaults
    caught_s: float
    stood_s: float

    def at(self, t: float) -> dict[str, FloatArray]:
        """Points (3,) by name, mm: "left_knee" and so on, "bar_left" and "bar_right" ends."""
        f = self.faults
        since = float(np.clip((t - self.caught_s + RAMP_S) / RAMP_S, 0.0, 1.0))
        tilt = np.tan(np.radians(f.tilt_deg)) * since
        down = since * float(np.clip((self.stood_s - t) / RAMP_S, 0.0, 1.0))
        bar = at_time(self.sim.bar, t)
        out: dict[str, FloatArray] = {}
        for side, sign in SIDES.items():
            p = {n: np.array([*at_time(self.sim.joints[n], t), sign * JOINT_Z[n]])
                 for n in JOINTS}  # fmt: skip
            p["wrist"][1] += tilt * p["wrist"][2]
            if side == "left":
                for n in ("wrist", "elbow"):
                    p[n][:2] += since * self._late(n, t)
            before, after = JOINT_Z["ankle"], f.landing * JOINT_Z["shoulder"]
            ankle = before + since * (after - before)
            for n in ("ankle", "heel", "toe"):
                p[n][2] = sign * (ankle + JOINT_Z[n] - JOINT_Z["ankle"])
            plain = 0.5 * (JOINT_Z["hip"] + ankle) + 15.0
            p["knee"][2] = sign * (plain + down * (ankle - f.knee_in_mm - plain))
            out |= {f"{side}_{n}": xyz for n, xyz in p.items()}
        right, left = out["right_wrist"], out["left_wrist"]
        slope = (right[1] - left[1]) / (right[2] - left[2])
        for side, sign in SIDES.items():
            reach = sign * BAR_HALF_MM
            out[f"bar_{side}"] = np.array([bar[0], bar[1] + self._hang(t) + slope * reach, reach])
        return out

    def _late(self, joint: str, t: float) -> FloatArray:
        """How far a point of the late arm is from where it would be; the bar's other end is up."""
        return behind(self.sim, joint, t, self.faults.lag_s, 2.0 * JOINT_Z["wrist"])

    def _hang(self, t: float) -> float:
        """How much lower the middle of the bar is for one hand's being late."""
        since = float(np.clip((t - self.caught_s + RAMP_S) / RAMP_S, 0.0, 1.0))
        return 0.5 * since * float(self._late("wrist", t)[1])


def make_front(sim: SimMotion, faults: SideFaults) -> Front:
    """A rep with faults of sides; they begin where the bar is received, and in a deadlift, which
    receives nothing, at once.
    """
    if sim.shown.ends == "deadlift":
        return Front(sim, faults, 0.0, float(sim.t_s[-1]) - 0.4)
    rise = sim.bar[:, 1] - sim.bar[0, 1]
    later = np.flatnonzero((np.gradient(rise) <= 0) & (rise > CARRIED_RISE_MM))
    top = int(later[0]) if len(later) else int(np.argmax(rise))
    return Front(sim, faults, top / RATE_HZ, float(sim.t_s[-1]) - 0.4)
