"""What has been made, by what it was made from."""

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import cachetools
import numpy as np

T = TypeVar("T")


def _bytes_of(value: Any) -> int:
    return value.nbytes if isinstance(value, np.ndarray) else getattr(value, "nbytes", 1024)


class Cache:
    """Results up to a number of bytes; the least recently used go first, and each key has one maker at a time."""

    def __init__(self, most_bytes: int):
        self._kept: cachetools.LRUCache[Hashable, Any] = cachetools.LRUCache(most_bytes, _bytes_of)
        self._making: set[Hashable] = set()
        self._changed = threading.Condition()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The result kept under ``key``, made if there is none. What is larger than all room is not kept."""
        with self._changed:
            while key in self._making:
                self._changed.wait()
            if key in self._kept:
                return self._kept[key]
            self._making.add(key)
        try:
            value = make()
            with self._changed:
                if _bytes_of(value) <= self._kept.maxsize:
                    self._kept[key] = value
        finally:
            with self._changed:
                self._making.discard(key)
                self._changed.notify_all()
        return value
