"""Where the nets see the near side of a body that is turned."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.film.believed import hip_behind_disc, observed
from keenkettle.film.far_disc import turned_by
from keenkettle.film.footage import Footage, Look
from keenkettle.film.two_sides import SIDE_MM, drawn_error_mm, drawn_px
from keenkettle.measure.motion import JOINTS

MM = 0.25  # pixels per millimetre
FRAMES = 4


def turned(yaw_deg):
    """A film by a camera that is turned by so much, or nobody knows."""
    film = Footage(
        times_s=np.arange(FRAMES) / 50.0,
        fps=50.0,
        bar_xy=np.full((FRAMES, 2), 900.0),
        centre_px=np.array([640.0, 360.0]),
        mm=MM,
        side="right",
    )
    return film if yaw_deg is None else replace(film, far=turned_by(yaw_deg, 1.0, MM))


class DrawnTest(unittest.TestCase):
    def test_is_drawn_to_the_far_side_and_less_at_hips(self):
        film = turned(12.0)
        self.assertAlmostEqual(film.far.yaw_deg(1.0 / MM)[0], 12.0, delta=0.1)
        knee, hip = drawn_px(film, "knee") / MM, drawn_px(film, "hip") / MM
        self.assertAlmostEqual(knee, 0.6 * SIDE_MM["knee"] * np.sin(np.radians(12.0)), delta=0.5)
        self.assertLess(hip, 0.5 * knee)
        self.assertAlmostEqual(drawn_px(turned(-12.0), "knee") / MM, -knee, delta=0.1)

    def test_a_camera_turned_far_shows_both_sides_apart(self):
        self.assertLess(drawn_px(turned(20.0), "knee"), drawn_px(turned(13.0), "knee"))
        self.assertEqual(drawn_px(turned(26.0), "knee"), 0.0)
        part = SIDE_MM["knee"] * np.sin(np.radians(26.0))
        self.assertGreater(drawn_error_mm(turned(26.0), "knee"), 0.65 * part)

    def test_nothing_is_taken_away_where_the_turn_is_not_told_or_legs_are_apart(self):
        self.assertEqual(drawn_px(turned(None), "knee"), 0.0)
        split = replace(turned(12.0), split=True)
        self.assertEqual(drawn_px(split, "knee"), 0.0)
        self.assertGreater(drawn_px(split, "shoulder"), 0.0)

    def test_less_is_left_once_it_is_taken_away(self):
        film = turned(12.0)
        split = replace(film, split=True)
        self.assertLess(drawn_error_mm(film, "knee"), 0.6 * drawn_error_mm(split, "knee"))
        self.assertGreater(
            drawn_error_mm(turned(None), "knee"), drawn_error_mm(turned(0.0), "knee")
        )

    def test_what_was_seen_is_put_back(self):
        points = np.full((FRAMES, 33, 2), 300.0)
        look = Look(
            frames=np.arange(FRAMES),
            xy=points,
            seen=np.ones((FRAMES, 33)),
            outlines=[],
        )
        film = turned(12.0)
        bare = np.zeros(FRAMES, bool)
        xy, _ = observed(look, np.arange(FRAMES), film.bar_xy, bare, film)
        knee = JOINTS.index("knee")
        self.assertTrue(np.allclose(300.0 - xy[:, knee, 0], drawn_px(film, "knee")))
        # A knee is seen too high as well, a hip is not.
        self.assertTrue(np.allclose(xy[:, knee, 1], 300.0 + 15.0 * film.mm))
        self.assertTrue(np.allclose(xy[:, JOINTS.index("hip"), 1], 300.0))


class BehindDiscTest(unittest.TestCase):
    def test_a_hip_is_put_forward_and_down_the_deeper_it_lies(self):
        for side, ahead in (("right", 1.0), ("left", -1.0)):
            film = replace(turned(None), side=side)
            p = np.full((FRAMES, len(JOINTS), 2), 900.0)
            p[:, JOINTS.index("hip"), 0] += np.array([0.0, 0.4, 0.7, 2.0]) * film.radius_px
            shift, error = hip_behind_disc(p, film.bar_xy, film)
            self.assertTrue((np.diff(ahead * shift[:3, 0]) < 0.0).all())
            self.assertTrue((shift[:3, 1] > 0.0).all())
            self.assertTrue((np.diff(error) < 0.0).all())
            self.assertEqual((shift[3].tolist(), float(error[3])), ([0.0, 0.0], 0.0))


if __name__ == "__main__":
    unittest.main()
