"""Keen Kettle: film review, judgement and records for weightlifting coaches."""

import os

# Our matrices are small: more threads of theirs only wait, busily, while pictures are decoded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
