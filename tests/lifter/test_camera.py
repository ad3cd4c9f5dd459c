"""The camera sees as lenses do; curves meet what they join."""

import unittest

import numpy as np

from keenkettle.lifter.camera import DISC_Z_MM, Camera, fitted_camera
from keenkettle.lifter.curves import State, after_ramp, pulse, quintic, ramp_accel
from keenkettle.lifter.paint import Span, limb
from keenkettle.lifter.poses import chain_length, two_link


class CameraTest(unittest.TestCase):
    def setUp(self):
        self.camera = fitted_camera(1280, 720, 60.0, 1750.0)

    def at(self, x, y, z, camera=None):
        return (camera or self.camera).project(np.array([x, y, z], float))

    def test_the_disc_s_plane_has_the_stated_scale(self):
        a, b = self.at(0, 500, DISC_Z_MM), self.at(1000, 500, DISC_Z_MM)
        self.assertAlmostEqual(b[0] - a[0], 1000 * self.camera.px_per_mm)
        self.assertAlmostEqual(a[1], b[1])

    def test_up_in_the_world_is_up_on_the_picture(self):
        self.assertLess(self.at(0, 1000, 700)[1], self.at(0, 200, 700)[1])

    def test_what_is_further_away_is_nearer_the_middle(self):
        middle = (self.camera.height - 1) / 2
        near, far = self.at(0, 200, 700)[1], self.at(0, 200, 0)[1]
        self.assertLess(abs(far - middle), abs(near - middle))
        ratio = (far - middle) / (near - middle)
        self.assertAlmostEqual(ratio, 5000 / 5700, places=6)

    def test_facing_left_mirrors(self):
        left = fitted_camera(1280, 720, 60.0, 1750.0, facing="left")
        middle = (left.width - 1) / 2
        a, b = self.at(400, 500, 300), self.at(400, 500, 300, left)
        self.assertAlmostEqual(a[0] - middle, middle - b[0])

    def test_the_whole_lift_fits(self):
        for stature in (1500.0, 1950.0):
            camera = fitted_camera(1280, 720, 60.0, stature)
            top = self.at(0, 1.3 * stature, DISC_Z_MM, camera)
            self.assertGreater(top[1], 0)
            self.assertLess(self.at(0, 0, DISC_Z_MM, camera)[1], 720)

    def test_roll_turns_about_the_middle(self):
        camera = Camera(roll_deg=90.0)
        up = self.at(60.0, camera.lens_mm + 500, DISC_Z_MM, camera)
        self.assertAlmostEqual(up[1], (camera.height - 1) / 2, places=6)


class CurveTest(unittest.TestCase):
    def test_a_quintic_meets_both_ends(self):
        t = np.linspace(0, 2, 2001)
        x = quintic(t, 0.5, 1.5, State(1.0, 2.0, -3.0), State(4.0, -1.0, 0.5))
        v = np.gradient(x, t)
        self.assertAlmostEqual(x[500], 1.0, places=6)
        self.assertAlmostEqual(x[1500], 4.0, places=6)
        self.assertAlmostEqual(v[502], 2.0, delta=0.02)
        self.assertAlmostEqual(v[1498], -1.0, delta=0.02)

    def test_a_ramp_ends_where_its_end_state_says(self):
        start = State(10.0, 2000.0, -3000.0)
        end = after_ramp(start, 0.3, -9000.0)
        path = ramp_accel(np.array([0.0, 0.3]), 0.0, 0.3, start, -9000.0)
        self.assertAlmostEqual(path[1], end.x, places=6)
        self.assertAlmostEqual(end.v, 2000 - 0.3 * 6000, places=6)

    def test_a_pulse_begins_still_and_peaks_at_one(self):
        t = np.linspace(0, 1, 1001)
        p = pulse(t, 0.2, 0.5)
        self.assertEqual(p[200], 0.0)
        self.assertAlmostEqual(float(p.max()), 1.0, places=5)
        self.assertEqual(int(p.argmax()), 500)


class LinkTest(unittest.TestCase):
    def test_two_links_keep_their_lengths_and_bend_to_the_side_asked(self):
        start, end = np.array([[0.0, 0.0]]), np.array([[0.0, 700.0]])
        for side in (1.0, -1.0):
            middle = two_link(start, end, 430.0, 420.0, side)
            self.assertAlmostEqual(float(np.linalg.norm(middle - start)), 430.0, places=5)
            self.assertAlmostEqual(float(np.linalg.norm(end - middle)), 420.0, places=5)
            self.assertGreater(side * middle[0, 0], 0)

    def test_a_straight_chain_is_as_long_as_its_links(self):
        self.assertAlmostEqual(float(chain_length(300.0, 250.0, np.array(180.0))), 550.0)

    def test_a_painted_limb_covers_its_line_and_nothing_far_off(self):
        img = np.zeros((60, 60, 3), np.float32)
        red = (Span(0.0, (200, 0, 0)),)
        limb(img, np.array([10.0, 30.0]), np.array([50.0, 30.0]), 5.0, 5.0, red)
        self.assertGreater(img[30, 30, 0], 80)
        self.assertEqual(float(img[5:15].max()), 0.0)
