"""The ladder place: one athlete's rungs, and the squad."""
