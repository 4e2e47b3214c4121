"""Memory that pictures leave is kept for the next, and given back where a job ends.

The C library returns what arrays of over 32 MB leave to the system at once and asks for it anew; the system hands it
out empty, page by page, which takes as long as a pass over the picture.
"""

import ctypes

#: `mallopt`'s parameters: free memory at the end of the heap that is given back, the least that is asked for alone, and
#: how many heaps there are. Threads of a heap of their own cannot keep what is large.
_TRIM_THRESHOLD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -3, -8
_MOST = 2**31 - 1


def keep_memory() -> None:
    """Keep what is freed for what comes next, in all threads that begin from now on; nothing on other C libraries."""
    library = ctypes.CDLL(None)
    if hasattr(library, "mallopt"):
        library.mallopt(_ARENA_MAX, 1)
        library.mallopt(_MMAP_THRESHOLD, _MOST)
        library.mallopt(_TRIM_THRESHOLD, _MOST)


def give_back_memory() -> None:
    """Give what is free back to the system."""
    library = ctypes.CDLL(None)
    if hasattr(library, "malloc_trim"):
        library.malloc_trim(0)
