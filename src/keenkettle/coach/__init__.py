"""Coaching judgement: lifts, faults, findings, drills, and the review of a clip."""
