"""Rims and inner rings on drawn discs: middles, radii, what is taken for noise."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from keenkettle.film.disc import MOST_EDGES, _sparse
from keenkettle.film.rim import (
    Inner,
    InnerFound,
    Ring,
    clearest_inner,
    edge_strength,
    fit_best,
    fit_inner,
    fit_rim,
    fit_shape,
    inner_of,
    rays,
)

SCALE = 8  # drawn this much larger and made small, for soft edges


def drawn(x, y, r, rings=(), size=(240, 320), noise=0.0, aspect=1.0, seed=3):
    """A bright disc on a dark wall; ``rings`` are (radius, grey, dx, dy) drawn inside it."""
    big = np.full((size[0] * SCALE, size[1] * SCALE), 60, np.uint8)
    for radius, grey, dx, dy in ((r, 190, 0.0, 0.0), *rings):
        at = (round((x + dx + 0.5) * SCALE - 0.5), round((y + dy + 0.5) * SCALE - 0.5))
        axes = (round(radius * aspect * SCALE), round(radius * SCALE))
        cv2.ellipse(big, at, axes, 0, 0, 360, grey, -1)
    small = cv2.resize(big, size[::-1], interpolation=cv2.INTER_AREA).astype(float)
    small += np.random.default_rng(seed).normal(0, noise, small.shape) if noise else 0.0
    return np.clip(small, 0, 255).astype(np.uint8)


class FitRimTest(unittest.TestCase):
    def test_the_middle_is_found_to_a_part_of_a_pixel_from_a_guess_beside_it(self):
        gray = drawn(150.3, 110.7, 40.0)
        fit = fit_rim(gray, Ring(154.0, 107.0, 40.0), 9.0)
        self.assertAlmostEqual(fit.ring.x, 150.3, delta=0.15)
        self.assertAlmostEqual(fit.ring.y, 110.7, delta=0.15)
        self.assertGreater(fit.support, 0.9)

    def test_shape_gives_radius_and_aspect(self):
        gray = drawn(150.0, 110.0, 44.0, aspect=0.92)
        fit = fit_rim(gray, Ring(150.5, 110.5, 42.5, 0.95), 6.0, shape=True)
        self.assertAlmostEqual(fit.ring.r, 44.0, delta=0.25)
        self.assertAlmostEqual(fit.ring.aspect, 0.92, delta=0.01)

    def test_no_disc_is_wider_than_tall(self):
        gray = drawn(150.0, 110.0, 44.0, rings=((39.0, 150, 0.0, 0.0), (38.0, 190, 0.0, 0.0)))
        above = slice(60, 76)  # of the wall's grey but for its groove
        part = gray[above].astype(float)
        y, x = np.mgrid[above, 0:320]
        part[np.hypot(x - 150.0, y - 110.0) > 39.0] = 60.0
        gray[above] = part.astype(np.uint8)
        fit = fit_shape(((gray, None),), Ring(150.5, 110.5, 43.0), 6.0)
        self.assertLess(fit.ring.aspect, 1.01)
        self.assertAlmostEqual(fit.ring.r, 44.0, delta=0.5)
        self.assertAlmostEqual(fit.ring.y, 110.0, delta=0.5)

    def test_a_disc_below_the_lens_and_from_aside_leans(self):
        upright = drawn(150.0, 110.0, 44.0, aspect=0.8)
        shear = np.array([[1.0, 0.0, 0.0], [0.12, 1.0, -0.12 * 150.0]])
        gray = cv2.warpAffine(upright, shear, upright.shape[::-1], borderMode=cv2.BORDER_REPLICATE)
        plain = fit_rim(gray, Ring(151.0, 109.0, 44.0, 0.8), 5.0)
        fit = fit_rim(gray, Ring(151.0, 109.0, 43.0, 0.83), 6.0, shape=True)
        self.assertAlmostEqual(fit.ring.lean, 0.12, delta=0.01)
        self.assertAlmostEqual(fit.ring.r, 44.0, delta=0.3)
        self.assertAlmostEqual(fit.ring.aspect, 0.8, delta=0.01)
        self.assertLess(np.hypot(fit.ring.x - 150.0, fit.ring.y - 110.0), 0.2)
        self.assertGreater(fit.support, plain.support)
        again = fit_rim(gray, replace(fit.ring, x=153.0), 6.0)
        self.assertLess(np.hypot(again.ring.x - 150.0, again.ring.y - 110.0), 0.2)

    def test_a_round_disc_is_not_said_to_lean(self):
        pictures = ((drawn(150.0, 110.0, 44.0, noise=4.0), None),)
        self.assertEqual(fit_shape(pictures, Ring(150.0, 110.0, 44.0), 4.0).ring.lean, 0.0)

    def test_without_shape_the_radius_is_kept(self):
        fit = fit_rim(drawn(150.0, 110.0, 42.0), Ring(150.0, 110.0, 40.0), 6.0)
        self.assertEqual((fit.ring.r, fit.ring.aspect), (40.0, 1.0))

    def test_a_limb_over_a_third_of_the_rim_does_not_pull_it(self):
        gray = drawn(150.0, 110.0, 40.0)
        cv2.rectangle(gray, (100, 118), (200, 160), 120, -1)
        fit = fit_rim(gray, Ring(151.0, 109.0, 40.0), 6.0)
        self.assertLess(np.hypot(fit.ring.x - 150.0, fit.ring.y - 110.0), 0.4)
        self.assertLess(fit.support, 0.85)

    def test_grain_alone_is_no_rim(self):
        gray = drawn(0.0, 0.0, 1.0, noise=12.0)
        fit = fit_rim(gray, Ring(160.0, 120.0, 40.0), 6.0, over_noise=3.0)
        self.assertTrue(fit is None or fit.support < 0.4)

    def test_chance_edges_give_no_ring_where_none_was_looked_for(self):
        rng = np.random.default_rng(0)
        fitted = 0
        for r in rng.uniform(6.0, 20.0, 600):
            gray = cv2.GaussianBlur(rng.integers(0, 255, (60, 60)).astype(np.uint8), (0, 0), 1.0)
            fit = fit_rim(gray, Ring(30.0, 30.0, r), 0.18 * r, shape=True)
            if fit is not None:
                fitted += 1
                self.assertLessEqual(abs(fit.ring.r - r), 0.28 * r)
        self.assertGreater(fitted, 100)

    def test_scatter_grows_with_grain(self):
        calm, rough = (
            fit_rim(drawn(150.0, 110.0, 40.0, noise=n), Ring(150.0, 110.0, 40.0), 4.0)
            for n in (1.0, 25.0)
        )
        self.assertGreater(rough.scatter_px, 1.5 * calm.scatter_px)

    def test_a_flat_wall_has_none(self):
        self.assertIsNone(fit_rim(np.full((240, 320), 90, np.uint8), Ring(160.0, 120.0, 40.0), 6.0))

    def test_a_ring_out_of_the_picture_has_none(self):
        self.assertIsNone(fit_rim(drawn(150.0, 110.0, 40.0), Ring(900.0, 900.0, 40.0), 6.0))

    def test_half_a_disc_at_the_picture_s_edge_is_fitted(self):
        gray = drawn(12.0, 110.0, 40.0)
        fit = fit_rim(gray, Ring(13.0, 111.0, 40.0), 5.0)
        self.assertLess(np.hypot(fit.ring.x - 12.0, fit.ring.y - 110.0), 0.5)

    def test_the_better_of_two_pictures_counts(self):
        flat = np.full((240, 320), 90, np.uint8)
        good = drawn(150.0, 110.0, 40.0)
        fit = fit_best(((flat, None), (good, None)), Ring(151.0, 110.0, 40.0), 5.0)
        self.assertAlmostEqual(fit.ring.x, 150.0, delta=0.2)
        self.assertIsNone(fit_best(((flat, None),), Ring(151.0, 110.0, 40.0), 5.0))

    def test_edges_are_where_the_grey_changes(self):
        lines = rays(drawn(150.0, 110.0, 40.0), Ring(150.0, 110.0, 40.0), 30.0, 50.0, 0.5)
        strength = edge_strength(lines)
        peak = 30.0 + 0.5 * (2 + np.argmax(strength, axis=1))
        self.assertEqual(lines.shape, (96, 41))
        self.assertLess(np.abs(peak - 40.0).max(), 1.01)


class InnerTest(unittest.TestCase):
    HUB = ((12.0, 90, 1.5, -0.8),)

    def test_the_hub_s_middle_may_lie_beside_the_rim_s(self):
        gray = drawn(150.0, 110.0, 40.0, self.HUB)
        ring = Ring(150.0, 110.0, 40.0)
        found = clearest_inner(gray, ring)
        self.assertAlmostEqual(found.r, 12.0, delta=0.8)
        fit = fit_inner(gray, Inner(12.0, np.zeros(2)), ring, 0.1)
        self.assertAlmostEqual(fit.ring.x, 151.5, delta=0.1)
        self.assertAlmostEqual(fit.ring.y, 109.2, delta=0.1)
        inner = inner_of({0: (gray, ring)}).inner
        self.assertAlmostEqual(inner.r, 12.0, delta=0.15)
        self.assertLess(np.hypot(*(inner.off - (1.5, -0.8))), 0.15)

    def test_a_printed_ring_is_one_of_its_edges_not_between_both(self):
        band = ((30.0, 240, 0.0, 0.0), (26.0, 190, 0.0, 0.0))
        gray, ring = drawn(150.0, 110.0, 40.0, band), Ring(150.0, 110.0, 40.0)
        inner = inner_of({0: (gray, ring)}).inner
        edge = {1: 26.0, -1: 30.0}  # lighter outside, darker outside
        self.assertAlmostEqual(inner.r, edge[inner.sign], delta=0.5)
        beside = fit_inner(gray, inner, Ring(152.0, 111.0, 40.0), 0.1)
        self.assertLess(np.hypot(beside.ring.x - 150.0, beside.ring.y - 110.0), 0.1)

    def test_a_large_picture_has_its_inner_ring_too(self):
        gray = drawn(150.0, 120.0, 100.0, ((40.0, 110, 0.0, 0.0),), size=(260, 320))
        soft = cv2.GaussianBlur(gray, (0, 0), 2.0)
        self.assertAlmostEqual(clearest_inner(soft, Ring(150.0, 120.0, 100.0)).r, 40.0, delta=2.0)

    def test_a_small_or_plain_disc_has_none(self):
        self.assertIsNone(clearest_inner(drawn(150.0, 110.0, 6.0), Ring(150.0, 110.0, 6.0)))
        self.assertIsNone(clearest_inner(drawn(150.0, 110.0, 40.0), Ring(150.0, 110.0, 40.0)))
        hub = drawn(150.0, 110.0, 32.0, [(5.5, 60, 0.0, 0.0)])  # a few pixels
        self.assertIsNone(clearest_inner(hub, Ring(150.0, 110.0, 32.0)))

    def test_a_sighting_that_the_hub_gives_the_lie_to_is_dropped(self):
        gray = drawn(150.0, 110.0, 40.0, ((12.0, 90, 0.0, 0.0),))
        true = Ring(150.0, 110.0, 40.0)
        shown = {0: (gray, true), 5: (gray, true), 9: (gray, Ring(153.5, 110.0, 40.0))}
        inside = inner_of(shown)
        self.assertAlmostEqual(inside.inner.r, 12.0, delta=0.8)
        self.assertLess(np.hypot(*inside.inner.off), 0.3)
        self.assertEqual((inside.agree, inside.others), ([0, 5], []))

    def test_of_a_ring_on_the_face_less_is_let_pass(self):
        gray = drawn(150.0, 110.0, 40.0, ((22.0, 90, 0.0, 0.0),))
        true = Ring(150.0, 110.0, 40.0)
        shown = {0: (gray, true), 5: (gray, true), 9: (gray, Ring(152.0, 110.0, 40.0))}
        inside = inner_of(shown)
        self.assertEqual((inside.agree, inside.others), ([0, 5], [9]))

    def test_what_stands_about_and_has_no_such_ring_is_another_disc(self):
        gray = drawn(150.0, 110.0, 40.0, ((12.0, 90, 0.0, 0.0),))
        plain, one = drawn(100.0, 110.0, 40.0), Ring(100.0, 110.0, 40.0)
        shown = {0: (gray, Ring(150.0, 110.0, 40.0)), 3: (plain, one), 5: (plain, one)}
        self.assertEqual(inner_of(shown).others, [])  # it may be the bar's, badly seen
        inside = inner_of(shown | {9: (plain, one)})
        self.assertEqual((inside.agree, inside.others), ([0], [3, 5, 9]))

    def test_without_an_inner_ring_every_sighting_stands(self):
        plain = drawn(150.0, 110.0, 40.0)
        shown = {n: (plain, Ring(150.0, 110.0, 40.0)) for n in (0, 7)}
        self.assertEqual(inner_of(shown), InnerFound(None, [0, 7], []))


class SparseTest(unittest.TestCase):
    def edges(self, gray, threshold):
        return np.count_nonzero(cv2.Canny(gray, threshold / 2.0, threshold)) / gray.size

    def test_grain_raises_the_edge_until_few_pixels_lie_over_it(self):
        gray = drawn(150.0, 110.0, 40.0, noise=30.0)
        self.assertGreater(self.edges(gray, 90.0), MOST_EDGES)
        self.assertLessEqual(self.edges(gray, _sparse(gray, 90.0)), MOST_EDGES)

    def test_a_clear_picture_keeps_its_edge(self):
        self.assertEqual(_sparse(drawn(150.0, 110.0, 40.0), 90.0), 90.0)


if __name__ == "__main__":
    unittest.main()
