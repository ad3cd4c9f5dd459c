"""Lines of a coach on a picture: where a grid's lines are, and the gap from hip to bar."""

import unittest

import numpy as np

from keenkettle.measure.calibration import Calibration
from keenkettle.measure.motion import Motion
from keenkettle.measure.ruler import hip_to_bar, on_picture


class RulerTest(unittest.TestCase):
    def test_the_way_onto_the_picture_is_the_way_back(self):
        lean = np.radians(3.0)
        upright = (float(np.sin(lean)), float(-np.cos(lean)))
        turned = Calibration(
            2.5, 180.0, 450.0, "found", vertical_px=upright, camera_m=3.0,
            centre_px=(640.0, 360.0), forward_stretch=1.06, side_px_per_mm=0.14,
            turn_sine=0.34, scale_col_px=600.0,
        )  # fmt: skip
        start = np.array([600.0, 500.0])
        mm = np.array([[[-1500.0, -200.0], [-1500.0, 2000.0]], [[0.0, 0.0], [1500.0, 300.0]]])
        px = on_picture(mm, start, turned)
        np.testing.assert_allclose(px[1, 0], start, atol=1e-6)
        np.testing.assert_allclose(turned.to_mm(px, start, "right"), mm, atol=0.5)
        self.assertGreater(px[0, 1, 0] - px[0, 0, 0], 20.0)  # it leans as the camera does

    def test_a_gap_has_a_sign_and_an_error_or_is_not_measured(self):
        n = 6
        still = np.zeros((n, 2))
        hip = still + np.array([-120.0, 900.0])
        hip[4] = np.nan
        motion = Motion(
            np.arange(n) / 60.0, still, still, still, {"hip": hip}, {"hip": np.full(n, 12.0)}
        )
        gap = hip_to_bar(motion, 2)
        self.assertEqual((gap.value, gap.unit), (120.0, "mm"))
        self.assertGreaterEqual(gap.sigma, 12.0)
        self.assertIsNone(hip_to_bar(motion, 4))
        self.assertIsNone(hip_to_bar(Motion(motion.t_s, still, still, still), 2))


if __name__ == "__main__":
    unittest.main()
