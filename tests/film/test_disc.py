"""Which of the round things on a film is the bar's disc."""

import unittest
from dataclasses import replace
from types import SimpleNamespace
from unittest import mock

import cv2
import numpy as np

from keenkettle.film import disc
from keenkettle.film.rim import RimFit, Ring
from keenkettle.film.sightings import DiscSeen, another_lifts, best_family, sharper, sure_radius

LOOKED = list(range(0, 90, 10))


def rises(radius, aspect, support):
    """Something round that goes up through the film."""
    return [
        DiscSeen(n, RimFit(Ring(300.0, 600.0 - 5.0 * n, radius, aspect), support, 0.4))
        for n in LOOKED
    ]


class SearchTest(unittest.TestCase):
    def searched(self, *sightings):
        """What is found of sightings by tone, and how many frames were looked at for it."""
        clip, looked_at = SimpleNamespace(tone=None), []

        def circles(clip, numbers, raised, widened=1.0, radius=None):
            looked_at.extend(numbers)
            shown = sightings[disc.SEARCHES.index((clip.tone, raised))]
            return [s for s in shown if s.frame in numbers]

        with mock.patch.object(disc, "_circles_on", side_effect=circles):
            return disc._searched(clip, LOOKED)[0], len(looked_at)

    def test_a_clear_round_disc_ends_the_search(self):
        family, looks = self.searched(rises(56.0, 1.0, 0.9))
        self.assertEqual((len(family), looks), (len(LOOKED), len(LOOKED)))

    def test_a_head_is_as_clear_but_narrow_and_a_disc_that_shows_by_colour_outdoes_it(self):
        head, plate = rises(33.0, 0.83, 0.9), rises(56.0, 1.0, 0.9)
        family, looks = self.searched(head, [], plate)
        # Where half of the frames showed nothing the others were not looked at.
        self.assertEqual((family[0].fit.ring.r, looks), (56.0, 9 + 5 + 9))

    def test_a_disc_that_is_turned_far_is_kept_where_nothing_is_rounder(self):
        turned = rises(56.0, 0.8, 0.8)
        family, looks = self.searched(turned, [], [], [])
        self.assertEqual((len(family), family[0].fit.ring), (9, turned[0].fit.ring))
        self.assertEqual(looks, len(disc.SEARCHES) * len(LOOKED))

    def test_a_tone_that_was_put_off_is_come_back_to(self):
        late = [s for s in rises(56.0, 1.0, 0.9) if s.frame in LOOKED[1::2]]
        family, _ = self.searched([], [], late, [])
        self.assertEqual(len(family), len(late))

    def test_of_two_who_lift_the_nearer_is_meant(self):
        behind = [replace(s, fit=replace(s.fit, ring=replace(s.fit.ring, x=900.0)))
                  for s in rises(42.0, 1.0, 0.95)]  # fmt: skip
        near = [s for s in rises(52.0, 1.0, 0.8) if s.frame % 30]
        family, _ = self.searched(behind + near)
        self.assertEqual({s.fit.ring.r for s in family}, {52.0})
        self.assertTrue(another_lifts(family, behind + near, len(LOOKED), 640.0))
        far_end = rises(42.0, 1.0, 0.95)
        self.assertFalse(another_lifts(family, far_end + near, len(LOOKED), 640.0))

    def test_a_disc_that_stands_there_is_not_taken_for_the_bar_s_where_it_is_clearer(self):
        stands = [DiscSeen(n, RimFit(Ring(300.0, 600.0, 55.0), 0.99, 0.3)) for n in LOOKED]
        lifted = [replace(s, fit=replace(s.fit, ring=replace(s.fit.ring, x=700.0)))
                  for s in rises(56.0, 1.0, 0.8)]  # fmt: skip
        family, _ = self.searched(stands + lifted)
        self.assertEqual({s.fit.ring.x for s in family}, {700.0})

    def test_a_bar_that_rests_for_most_of_a_film_is_seen_at_rest_too(self):
        rests = [DiscSeen(n, RimFit(Ring(300.0, 600.0, 56.0), 0.9, 0.3)) for n in LOOKED[:6]]
        family, _ = self.searched(rests + rises(56.0, 1.0, 0.9)[6:])
        self.assertEqual(len(family), len(LOOKED))

    def test_no_ring_is_wider_than_an_upright_picture(self):
        gray = np.full((1280, 720), 90, np.uint8)
        cv2.circle(gray, (360, 640), 330, 150, -1)
        cv2.circle(gray, (200, 1100), 70, 20, -1)
        self.assertEqual([round(fit.ring.r, -1) for fit in disc.circles(gray)], [70.0])


class FamilyTest(unittest.TestCase):
    def test_rings_that_no_edge_follows_all_round_are_not_the_disc(self):
        disc_there = rises(60.0, 1.0, 0.6)
        bricks = [replace(s, fit=replace(s.fit, scatter_px=4.2, support=0.66))
                  for s in rises(195.0, 1.0, 0.66)]  # fmt: skip
        family, _ = best_family([*bricks, *disc_there])
        self.assertEqual(family[0].fit.ring.r, 60.0)

    def test_looks_that_agree_to_a_hair_settle_the_size_though_little_is_seen(self):
        alike = rises(60.0, 1.0, 0.7)[:4]
        self.assertEqual(sure_radius(alike), 60.0)
        self.assertIsNone(sure_radius(alike[:3]))
        off = replace(alike[0], fit=replace(alike[0].fit, ring=Ring(300.0, 600.0, 61.0)))
        self.assertIsNone(sure_radius([off, *alike[1:]]))

    def test_half_of_ring_and_rim_does_not_hide_the_rim(self):
        ring, halves = rises(61.0, 1.0, 1.0)[::2], rises(64.0, 1.0, 0.95)[1::2]
        halves = [replace(s, fit=replace(s.fit, scatter_px=1.2)) for s in halves]

        def rim_round(_clip, seen):
            return (1.14, [n for n, _ in seen]) if {r.r for _, r in seen} == {61.0} else None

        with mock.patch.object(disc, "rim_round", side_effect=rim_round):
            found = disc._to_rim(None, [*ring, *halves])
        self.assertEqual(len(found), len(ring) + len(halves))
        for s in found:
            self.assertAlmostEqual(s.fit.ring.r, 1.14 * 61.0)


class SharperTest(unittest.TestCase):
    def ring(self, radius, scatter_px, down=0.0):
        return [replace(s, fit=replace(s.fit, scatter_px=scatter_px,
                                       ring=replace(s.fit.ring, y=s.fit.ring.y + down)))
                for s in rises(radius, 1.0, 0.9)]  # fmt: skip

    def test_half_of_a_rim_and_half_of_a_printed_ring_give_way_to_the_rim(self):
        ragged, rim = self.ring(66.0, 0.9, down=-3.0), self.ring(70.0, 0.3)
        self.assertEqual(sharper(ragged, [*ragged, *rim[::2]]), rim[::2])

    def test_what_is_sharp_already_or_has_nothing_sharp_about_it_is_kept(self):
        ragged, rim = self.ring(66.0, 0.9), self.ring(70.0, 0.3)
        self.assertEqual(sharper(rim, [*ragged, *rim]), rim)
        self.assertEqual(sharper(ragged, [*ragged, *rim[:2]]), ragged)
        self.assertEqual(sharper(ragged, self.ring(70.0, 0.3, down=30.0)), ragged)


if __name__ == "__main__":
    unittest.main()
