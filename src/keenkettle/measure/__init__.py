"""A lift as numbers: calibration, smoothing, events, metrics and their uncertainty."""
