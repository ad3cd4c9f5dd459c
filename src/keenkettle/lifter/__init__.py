"""The simulated lifter: a planar body, its lifts with faults dialled in, and a camera."""
