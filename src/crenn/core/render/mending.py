"""Solves the mends of treatments over a scene, and keeps what it has solved."""

import hashlib
import threading

import cachetools

from crenn.core.mend.patch import MendLayer, Patch, acting
from crenn.core.mend.search import NoOrigin
from crenn.core.mend.solve import Solved, reads_of, solve
from crenn.core.render.cache import Cache
from crenn.core.render.mended import Mended
from crenn.core.render.source import Source

#: Mended scenes that are kept, with what they have made at smaller sizes.
_KEPT = 6


class Mender:
    """Makes mended scenes of one scene.

    Parameters
    ----------
    scene : Source
    cache : Cache
        Where solved patches are kept.
    """

    def __init__(self, scene: Source, cache: Cache):
        self._scene, self._cache = scene, cache
        self._made: cachetools.LRUCache[tuple, Mended] = cachetools.LRUCache(_KEPT)
        self._lock = threading.Lock()

    def source(self, layers: list[MendLayer]) -> Source:
        """The scene with mends; itself where nothing is mended."""
        patches = acting(layers)
        if not patches:
            return self._scene
        key = tuple(layer.key for layer in layers)
        with self._lock:
            if (made := self._made.get(key)) is not None:
                return made
        solved = [(one, opacity) for (_, opacity), one in zip(patches, self._all(patches)) if one is not None]
        made = Mended(self._scene, solved, (_digest(key),))
        with self._lock:
            self._made[key] = made
        return made

    def solved(self, layers: list[MendLayer]) -> list[tuple[Patch, Solved | None]]:
        """The patches that act, and what each came to; None where there was nothing to copy from."""
        patches = acting(layers)
        return [(patch, one) for (patch, _), one in zip(patches, self._all(patches))]

    def _all(self, patches: list[tuple[Patch, float]]) -> list[Solved | None]:
        """Each patch on the light that those before it have left."""
        out: list[Solved | None] = []
        keys: list[bytes] = []
        for patch, opacity in patches:
            reads = reads_of(patch, self._scene.size)
            below = [i for i, one in enumerate(out) if one is not None and reads and _meet(one.box, reads)]
            # What it is made from: itself, and what lies under what it reads.
            key = _digest((patch.key, [keys[i] for i in below]))
            under = [(one, patches[i][1]) for i in below if (one := out[i]) is not None]
            out.append(self._one(patch, under, key))
            keys.append(_digest((key, opacity)))
        return out

    def _one(self, patch: Patch, under: list[tuple[Solved, float]], key: bytes) -> Solved | None:
        def make(_: bytes) -> "_Result":
            light = Mended(self._scene, under, (key,)) if under else self._scene
            try:
                return _Result(solve(patch, light))
            except NoOrigin:
                return _Result(None)

        return self._cache.get(self._scene, "patch", (key,), make).solved


class _Result:
    """A patch as it is kept, solved or not."""

    def __init__(self, solved: Solved | None):
        self.solved = solved
        self.nbytes = 0 if solved is None else solved.nbytes


def _meet(one: tuple[int, int, int, int], other: tuple[int, int, int, int]) -> bool:
    return one[0] < other[2] and one[1] < other[3] and one[2] > other[0] and one[3] > other[1]


def _digest(value: object) -> bytes:
    return hashlib.blake2b(repr(value).encode(), digest_size=16).digest()
