"""A finished review goes into the records."""

from __future__ import annotations

from keenkettle.club.climbing import keep_said
from keenkettle.club.look_up import keep_tracks
from keenkettle.club.store import Store
from keenkettle.club.tracks import pack
from keenkettle.coach.review import Review


def keep_review(store: Store, clip_id: int, review: Review) -> None:
    """Put a finished review into the records: tracks, lift, measures and findings.

    Raises:
        ClubError: it could not be written.
    """
    scale = review.calibration.scale_error * review.ring.r
    found = review.calibration.source == "found"
    lift = review.lift.id if review.reps else None
    guessed = review.lift_source == "guessed"
    keep_tracks(store, clip_id, pack(review, scale, found), lift, guessed)
    keep_said(store, clip_id, review)
