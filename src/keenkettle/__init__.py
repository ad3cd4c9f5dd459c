"""Keen Kettle: film review, judgement and records for weightlifting coaches."""

__version__ = "0.1.0"
