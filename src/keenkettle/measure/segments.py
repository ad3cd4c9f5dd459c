"""Segment lengths as shares of stature.

Drillis & Contini (1966), as tabulated in Winter, *Biomechanics and Motor Control of Human
Movement*, 4th ed. (2009), fig. 4.1. ``FOOT`` points are working values.
"""

SEGMENT_SHARE = {
    ("ankle", "knee"): 0.246,
    ("knee", "hip"): 0.245,
    ("hip", "shoulder"): 0.288,
    ("shoulder", "elbow"): 0.186,
    ("elbow", "wrist"): 0.146,
    ("heel", "toe"): 0.140,
    ("ankle", "heel"): 0.052,
    ("ankle", "toe"): 0.112,
    ("shoulder", "ear"): 0.112,
}
"""Joint to joint, share of stature."""

STATURE_MM, STATURE_SD_MM = 1730.0, 90.0  # adults, when nothing is known; working values
