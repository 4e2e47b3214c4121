"""Solves the mends of treatments over a scene, and keeps what it has solved."""

import threading

import cachetools

from crenn.core.mend.patch import MendLayer, Patch, acting
from crenn.core.mend.search import NoOrigin
from crenn.core.mend.solve import Solved, reads_of, solve
from crenn.core.render.cache import Cache, digest_of
from crenn.core.render.mended import Mended, Put
from crenn.core.render.source import Source

#: Mended scenes that are kept, with what they have made at smaller sizes.
_KEPT = 6
#: Patches of which it is kept what they read: those of a full treatment, and some that were dragged.
_MOST = 2048
#: Patches of less than this share of the scene's longer side are too small to be told in what is looked at as a whole:
#: a dozen pixels of a reduced picture.
_TOLD = 0.012


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
        self._made: cachetools.LRUCache[tuple, Source] = cachetools.LRUCache(_KEPT)
        self._reads: cachetools.LRUCache[str, tuple[int, int, int, int] | None] = cachetools.LRUCache(_MOST)
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
        shown = [put for put in self._all(patches) if put is not None]
        least = _TOLD * max(self._scene.size)
        large = [put for put in shown if max(put.solved.share.shape) >= least]
        made = self._of(shown, self._of(large) if len(large) < len(shown) else None)
        with self._lock:
            self._made[key] = made
        return made

    def _of(self, patches: list[Put], coarse: Source | None = None) -> Source:
        """The scene with patches over it."""
        return Mended(self._scene, patches, self._cache, coarse) if patches else self._scene

    def solved(self, layers: list[MendLayer]) -> list[tuple[Patch, Solved | None]]:
        """The patches that act, and what each came to; None where there was nothing to copy from."""
        patches = acting(layers)
        found = zip(patches, self._all(patches), strict=True)
        return [(patch, None if put is None else put.solved) for (patch, _), put in found]

    def _all(self, patches: list[tuple[Patch, float]]) -> list[Put | None]:
        """Each patch on the light that those before it have left."""
        out: list[Put | None] = []
        for patch, opacity in patches:
            reads = self._reads_of(patch)
            below = [put for put in out if put is not None and reads and _meet(put.solved.box, reads)]
            # What it is made from: itself, and what lies under what it reads.
            key = digest_of(patch.key, [put.key for put in below])
            solved = self._one(patch, below, key)
            out.append(None if solved is None else Put(solved, opacity, digest_of(key, opacity)))
        return out

    def _reads_of(self, patch: Patch) -> tuple[int, int, int, int] | None:
        """`reads_of`, worked out once for each patch: all are asked for with each change of one."""
        with self._lock:
            if patch.key in self._reads:
                return self._reads[patch.key]
        found = reads_of(patch, self._scene.size)
        with self._lock:
            self._reads[patch.key] = found
        return found

    def _one(self, patch: Patch, under: list[Put], key: bytes) -> Solved | None:
        def make(_: bytes) -> _Result:
            try:
                return _Result(solve(patch, self._of(under)))
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
