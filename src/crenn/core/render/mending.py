"""Solves the mends of treatments over a scene, and keeps what it has solved."""

import threading

import cachetools

from crenn.core.mend.patch import MendLayer, Patch, acting
from crenn.core.mend.pieces import Piece, pieces_of
from crenn.core.mend.search import NoOrigin
from crenn.core.mend.solve import Solved, reads_of, solve
from crenn.core.render.cache import Cache, digest_of
from crenn.core.render.mended import Mended, Put
from crenn.core.render.source import Source

#: Mended scenes that are kept, with what they have made at smaller sizes.
_KEPT = 6
#: Bytes of patches' pieces that are kept: those of a full treatment, and some that were dragged.
_MOST = 64 * 2**20
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
        self._pieces: cachetools.LRUCache[str, _Pieces] = cachetools.LRUCache(_MOST, lambda kept: kept.nbytes)
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
        shown = [put for puts in self._all(patches) for put in puts if put is not None]
        least = _TOLD * max(self._scene.size)
        large = [put for put in shown if max(put.solved.share.shape) >= least]
        made = self._of(shown, self._of(large) if len(large) < len(shown) else None)
        with self._lock:
            self._made[key] = made
        return made

    def _of(self, patches: list[Put], coarse: Source | None = None) -> Source:
        """The scene with patches over it."""
        return Mended(self._scene, patches, self._cache, coarse) if patches else self._scene

    def solved(self, layers: list[MendLayer]) -> list[tuple[Patch, list[Solved]]]:
        """The patches that act, and what their pieces came to; nothing where there was nothing to copy from."""
        patches = acting(layers)
        found = zip(patches, self._all(patches), strict=True)
        return [(patch, [put.solved for put in puts if put is not None]) for (patch, _), puts in found]

    def _all(self, patches: list[tuple[Patch, float]]) -> list[list[Put | None]]:
        """The pieces of each patch on the light that those before it have left."""
        out: list[list[Put | None]] = []
        before: list[Put] = []
        for patch, opacity in patches:
            puts: list[Put | None] = []
            for piece, reads in self._pieces_of(patch):
                below = [put for put in before if _meet(put.solved.box, reads)]
                # What it is made from: itself, and what lies under what it reads.
                key = digest_of(patch.key, piece.core, [put.key for put in below])
                solved = self._one(patch, piece, below, key)
                puts.append(None if solved is None else Put(solved, opacity, digest_of(key, opacity)))
            # Pieces of one patch do not lie under each other: what they read is free of all of it.
            before += [put for put in puts if put is not None]
            out.append(puts)
        return out

    def _pieces_of(self, patch: Patch) -> list[tuple[Piece, tuple[int, int, int, int]]]:
        """The pieces of a patch and what each reads, worked out once: all are asked for with each change of one."""
        with self._lock:
            if (known := self._pieces.get(patch.key)) is not None:
                return known.pieces
        found = pieces_of(patch, self._scene.size)
        kept = _Pieces([(piece, reads_of(patch, piece, self._scene.size)) for piece in found])
        with self._lock:
            if kept.nbytes <= self._pieces.maxsize:
                self._pieces[patch.key] = kept
        return kept.pieces

    def _one(self, patch: Patch, piece: Piece, under: list[Put], key: bytes) -> Solved | None:
        def make(_: bytes) -> _Result:
            try:
                return _Result(solve(patch, piece, self._of(under), self._scene.others, self._cache.progress))
            except NoOrigin:
                return _Result(None)

        return self._cache.get(self._scene, "patch", (key,), make).solved


class _Pieces:
    """Pieces as they are kept, each with what it reads."""

    def __init__(self, pieces: list[tuple[Piece, tuple[int, int, int, int]]]):
        self.pieces = pieces
        self.nbytes = sum(piece.nbytes for piece, _ in pieces) + 1000


class _Result:
    """A patch as it is kept, solved or not."""

    def __init__(self, solved: Solved | None):
        self.solved = solved
        self.nbytes = 0 if solved is None else solved.nbytes


def _meet(one: tuple[int, int, int, int], other: tuple[int, int, int, int]) -> bool:
    return one[0] < other[2] and one[1] < other[3] and one[2] > other[0] and one[3] > other[1]
