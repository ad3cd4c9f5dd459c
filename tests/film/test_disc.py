"""Which of the round things on a film is the bar's disc."""

import unittest
from types import SimpleNamespace
from unittest import mock

from keenkettle.film import disc
from keenkettle.film.disc import DiscSeen
from keenkettle.film.rim import RimFit, Ring

LOOKED = list(range(0, 90, 10))


def rises(radius, aspect, support):
    """Something round that goes up through the film."""
    return [
        DiscSeen(n, RimFit(Ring(300.0, 600.0 - 5.0 * n, radius, aspect), support, 0.4))
        for n in LOOKED
    ]


class SearchTest(unittest.TestCase):
    def searched(self, *sightings):
        clip = SimpleNamespace(tone=None)
        with mock.patch.object(disc, "_sightings", side_effect=sightings) as looks:
            return disc._searched(clip, LOOKED)[0], looks.call_count

    def test_a_clear_round_disc_ends_the_search(self):
        family, looks = self.searched(rises(56.0, 1.0, 0.9))
        self.assertEqual((len(family), looks), (len(LOOKED), 1))

    def test_a_head_is_as_clear_but_narrow_and_a_disc_that_shows_by_colour_outdoes_it(self):
        head, plate = rises(33.0, 0.83, 0.9), rises(56.0, 1.0, 0.9)
        family, looks = self.searched(head, [], plate)
        self.assertEqual((family[0].fit.ring.r, looks), (56.0, 3))

    def test_a_disc_that_is_turned_far_is_kept_where_nothing_is_rounder(self):
        turned = rises(56.0, 0.8, 0.8)
        family, looks = self.searched(turned, [], [], [])
        self.assertEqual((family, looks), (turned, len(disc.SEARCHES)))


if __name__ == "__main__":
    unittest.main()
