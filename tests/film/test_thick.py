"""Thick discs and cameras that look up: what the outlines on all rows tell."""

import unittest
from dataclasses import replace

import numpy as np

from keenkettle.film.by_row import KEPT, ByRow
from keenkettle.film.rim import Ring
from keenkettle.film.thick import USUAL_LENS_R, Outlines, Stand, solid_of

HEIGHT, R, HORIZON = 720, 60.0, 380.0


def outlines(
    share: float,
    grows: float = 0.0,
    aspect: float = 1.0,
    noise: float = 0.0,
    lowest: float = 640.0,
    horizon: float = HORIZON,
) -> Outlines:
    """Outlines of a disc of such a depth, seen all over the picture or above a row."""
    rng = np.random.default_rng(3)
    shown = Outlines(Ring(400.0, HORIZON, R, aspect))
    middle = (HEIGHT - 1) / 2.0
    pitched = 1.0 + (grows * USUAL_LENS_R * R) ** 2 / 2.0
    for y in np.linspace(150.0, lowest, 60):
        r = R * (1.0 + grows * (y - middle))
        over = 0.5 * share * max(abs(y - horizon) - R, 0.0)
        tall, wide = (
            r * r / (R * pitched) + over + rng.normal(0, noise),
            r * aspect + rng.normal(0, noise),
        )
        shown.learn(Ring(400.0, float(y), tall, wide / tall))
    return shown


def widened(shown, rows, times=1.1):
    """Outlines that are seen wider than the disc on some rows of the table."""
    for row in rows:
        tall, _, lean = shown.shapes.kept[row][0]
        for _ in range(KEPT):
            shown.shapes.learn(row * shown.shapes.height_px, (tall, times * R, lean))


class SolidTest(unittest.TestCase):
    def test_two_thick_discs_are_taller_away_from_the_lens(self):
        solid = solid_of(outlines(0.027, noise=0.1), HEIGHT)
        self.assertAlmostEqual(solid.share, 0.027, delta=0.004)
        self.assertAlmostEqual(solid.horizon, HORIZON, delta=30.0)
        low, high = solid.shift(np.array([640.0, 150.0]))
        self.assertAlmostEqual(low, 0.5 * 0.027 * (260 - R), delta=0.5)
        self.assertAlmostEqual(high, -0.5 * 0.027 * (230 - R), delta=0.5)
        self.assertAlmostEqual(float(solid.upright(np.array(640.0))), R, delta=0.3)
        self.assertLess(abs(solid.slope), 2.0 * solid.slope_sd)

    def test_a_thin_disc_has_no_depth_that_counts(self):
        for share in (0.0, 0.004):
            solid = solid_of(outlines(share, noise=0.15), HEIGHT)
            self.assertLess(float(np.abs(solid.over(np.array([150.0, 640.0]))).max()), 0.7)

    def test_a_camera_that_looks_up_shows_the_disc_larger_below(self):
        for share in (0.0, 0.025):
            solid = solid_of(outlines(share, grows=1e-4, noise=0.1), HEIGHT)
            self.assertAlmostEqual(solid.slope / R, 1e-4, delta=1.5e-5)
            self.assertGreater(solid.slope, 3.0 * solid.slope_sd)
            self.assertAlmostEqual(solid.radius, R, delta=0.4)

    def test_the_room_tells_the_pitch_where_the_background_widens_the_disc(self):
        shown = outlines(0.0, grows=0.5e-4, noise=0.1)
        rows = np.linspace(150.0, 640.0, 60)
        for _ in range(KEPT):
            for y in rows:
                tall, wide, lean = shown.shapes.at(float(y))
                shown.shapes.learn(float(y), (tall, wide + 0.003 * (y - 395.0) / 10.0, lean))
        told = [solid_of(shown, HEIGHT, None, g).slope / R for g in (None, (0.5e-4, 0.05e-4))]
        self.assertLess(abs(told[1] - 0.5e-4), abs(told[0] - 0.5e-4))
        self.assertAlmostEqual(told[1], 0.5e-4, delta=0.1e-4)

    def test_a_camera_that_is_turned_shows_it_narrow_on_all_rows(self):
        solid = solid_of(outlines(0.0, aspect=0.96, noise=0.1), HEIGHT)
        self.assertAlmostEqual(solid.aspect, 0.96, delta=0.006)
        self.assertAlmostEqual(solid.radius, R, delta=0.4)

    def test_widths_that_jump_are_not_one_disc_s(self):
        shown = outlines(0.02, noise=0.05)
        widened(shown, [row for row in shown.shapes.kept if row % 12 < 4])
        widened(shown, [row for row in shown.shapes.kept if row % 12 > 7], 0.94)
        self.assertIsNone(solid_of(shown, HEIGHT))

    def test_a_limb_beside_the_rim_on_a_few_rows_is_left_out(self):
        clean, shown = (outlines(0.02, noise=0.05) for _ in range(2))
        widened(shown, [row for row in shown.shapes.kept if row > 36])
        self.assertAlmostEqual(solid_of(shown, HEIGHT).share, solid_of(clean, HEIGHT).share, 2)
        self.assertAlmostEqual(solid_of(shown, HEIGHT).radius, R, delta=0.4)

    def test_heights_that_contradict_each_other_do_not_tell_the_depth(self):
        # A limb along the rim halfway up, of a small thin disc that is seen well lower down.
        rows = (343, 351, 360, 368, 376, 385, 393, 401, 410, 418, 427, 435, 493, 619)
        tall = "334 334 334 334 335 337 339 342 344 344 350 351 334 338"
        wide = "334 332 331 331 332 335 336 336 337 338 338 339 336 332"
        shown = Outlines(Ring(640.0, 346.0, 33.46, 1.009))
        for row, *shape in zip(rows, tall.split(), wide.split(), strict=True):
            values = (float(shape[0]) / 10.0, float(shape[1]) / 10.0, 0.0)
            shown.shapes.learn(row, values)
        solid = solid_of(shown, HEIGHT, grows=(0.0, 2.4e-5))
        self.assertLess(abs(float(solid.shift(np.array(619.0)))), 2.0)

    def test_a_bar_that_stays_above_the_lens_tells_of_depth_once_the_turn_is_known(self):
        shown = outlines(0.008, 4.5e-5, noise=0.05, lowest=330.0, horizon=430.0)
        lens = USUAL_LENS_R * R
        level = Stand((0.5, 0.5), (430.0 - (HEIGHT - 1) / 2.0, 10.0), lens)
        known, unknown = (
            abs(solid_of(shown, HEIGHT, stand).share - 0.008) for stand in (level, None)
        )
        self.assertLess(known, 0.0015)
        self.assertLess(known, unknown)

    def test_the_tread_of_a_turned_disc_is_not_its_face(self):
        shown = outlines(0.0, aspect=1.01, noise=0.05)
        turned = Stand((8.0, 0.5), (0.0, 10.0), USUAL_LENS_R * R)
        self.assertLess(solid_of(shown, HEIGHT, turned).share, 0.002)
        self.assertAlmostEqual(solid_of(shown, HEIGHT, turned).aspect, 1.01, delta=0.005)
        tread = (1.01 - np.cos(np.radians(8.0))) * R
        self.assertAlmostEqual(solid_of(shown, HEIGHT, turned).aside(turned), -tread, delta=0.6)
        other = replace(turned, turn_deg=(-8.0, 0.5))
        self.assertGreater(solid_of(shown, HEIGHT, other).aside(other), 0.5)

    def test_the_face_s_middle_is_where_an_exact_camera_puts_it(self):
        lens, away, deep, across = 1400.0, 3400.0, 60.0, -140.0
        around = np.linspace(0.0, 2.0 * np.pi, 720)
        for turn in (12.0, -12.0):
            sine, cosine = np.sin(np.radians(turn)), np.cos(np.radians(turn))

            def seen(y, z, radius, sine=sine, cosine=cosine):
                """A circle on the picture, so far behind the face."""
                x = radius * np.cos(around) * cosine + z * sine + across * np.sign(sine)
                depth = away - radius * np.cos(around) * sine + z * cosine
                rows = y + radius * np.sin(around)
                return lens * np.stack([x, rows], -1) / depth[:, None] + (640.0, 359.5)

            shown, off = None, []
            for y in np.linspace(-700.0, 700.0, 60):
                both = np.concatenate([seen(y, 0.0, 225.0), seen(y, deep, 225.0)])
                low, high = both.min(axis=0), both.max(axis=0)
                (x, row), (wide, tall) = (low + high) / 2.0, (high - low) / 2.0
                ring = Ring(float(x), float(row), float(tall), float(wide / tall))
                shown = shown or Outlines(ring)
                shown.learn(ring)
                off.append(seen(y, 0.0, 1e-6)[0, 0] - x)
            stand = Stand((turn, 0.5), (0.0, 10.0), lens, x - 639.5)
            solid = solid_of(shown, HEIGHT, stand)
            self.assertGreater(abs(np.median(off)), 2.0)
            self.assertAlmostEqual(solid.aside(stand), np.median(off), delta=0.4)

    def test_a_disc_that_is_turned_far_is_not_told_by_its_rows(self):
        self.assertIsNone(solid_of(outlines(0.02, aspect=0.85), HEIGHT))

    def test_a_bar_that_hardly_rose_tells_nothing(self):
        shown = Outlines(Ring(400.0, 600.0, R))
        for y in np.linspace(590.0, 620.0, 30):
            shown.learn(Ring(400.0, float(y), R + 2.0, 0.97))
        self.assertIsNone(solid_of(shown, HEIGHT))


class OutlinesTest(unittest.TestCase):
    def test_what_is_beside_the_rim_is_not_learnt(self):
        shown = outlines(0.0)
        shown.learn(Ring(400.0, 300.0, 1.12 * R))
        shown.learn(Ring(400.0, 300.0, 1.04 * R))
        self.assertAlmostEqual(shown.at(300.0).r, R, delta=0.01)

    def test_between_rows_and_beyond_them_it_goes_on(self):
        shown = outlines(0.0, grows=1e-4)
        far = shown.at(700.0)
        self.assertAlmostEqual(far.r * far.aspect, R * (1.0 + 1e-4 * 340.5), delta=0.15)
        self.assertEqual(Outlines(Ring(1.0, 2.0, 30.0)).at(90.0), Ring(1.0, 2.0, 30.0))

    def test_the_lean_goes_on_as_the_width_does(self):
        shown = Outlines(Ring(400.0, 400.0, R, 0.85))
        for y in np.linspace(250.0, 600.0, 40):
            shown.learn(Ring(400.0, float(y), R, 0.85, 4e-4 * (float(y) - 350.0)))
        self.assertAlmostEqual(shown.at(450.0).lean, 0.04, delta=0.004)
        self.assertAlmostEqual(shown.at(700.0).lean, 0.14, delta=0.01)
        shown.learn(Ring(400.0, 450.0, R, 0.85, 0.3))
        self.assertLess(shown.at(450.0).lean, 0.05)

    def test_of_a_row_the_latest_values_count(self):
        rows = ByRow(10.0, 2)
        self.assertIsNone(rows.at(5.0))
        for k in range(20):
            rows.learn(100.0, (float(k), -1.0))
        self.assertEqual(rows.at(400.0).tolist(), [17.0, -1.0])
        self.assertEqual(len(rows.near(109.0)), 5)


if __name__ == "__main__":
    unittest.main()
