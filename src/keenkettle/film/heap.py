"""Memory of pictures given back to the system as soon as they are done with."""

from __future__ import annotations

import ctypes
from functools import cache

M_MMAP_THRESHOLD = -3  # glibc's malloc.h
LARGE = 1 << 19  # bytes; a picture's luma at 720 lines is more


@cache
def give_back_pictures() -> None:
    """Let glibc map every large block by itself.

    Left alone it raises that threshold with the first picture freed, and small things that are
    kept then pin hundreds of megabytes of freed pictures below them. Other C libraries are left
    as they are.
    """
    try:
        ctypes.CDLL(None).mallopt(M_MMAP_THRESHOLD, LARGE)
    except (OSError, AttributeError):
        return
