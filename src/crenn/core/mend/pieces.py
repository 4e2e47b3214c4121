"""Parts of patches that are solved by themselves: of a line across the whole picture each is filled from beside it."""

from dataclasses import dataclass

import numpy as np

from crenn.core.mend.patch import Patch
from crenn.core.mend.region import Region, region_of

#: A line longer than this, in pixels, that covers at most such a share of its box is parted in tiles of this side.
_LONG, _THIN, _TILE = 720, 0.2, 360
#: Around a tile so many half widths of the line count as hole as well, and pixels at least.
_WIDTHS, _AROUND = 4.0, 24


@dataclass(frozen=True, eq=False)
class Piece:
    """A part of a patch.

    Attributes
    ----------
    region : Region
        What is solved at once.
    core : tuple of int
        Top, left, bottom and right of what is put of it: beyond lies what other pieces put.
    whole : Region
        Of all pieces: what is to go is not copied.
    """

    region: Region
    core: tuple[int, int, int, int]
    whole: Region

    @property
    def nbytes(self) -> int:
        return int(self.region.mask.nbytes)


def pieces_of(patch: Patch, size: tuple[int, int]) -> list[Piece]:
    """The pieces of a patch over a scene of size (H, W); none if it covers nothing of it."""
    region = region_of(patch, size)
    if region is None:
        return []
    box = region.top, region.left, region.bottom, region.right
    found = patch.origin is None and patch.other is None
    if not found or max(region.mask.shape) <= _LONG or region.mask.mean() > _THIN:
        return [Piece(region, box, region)]
    around = max(int(_WIDTHS * region.half_width), _AROUND)
    out = []
    for top in range(box[0], box[2], _TILE):
        for left in range(box[1], box[3], _TILE):
            core = top, left, min(top + _TILE, box[2]), min(left + _TILE, box[3])
            if not region.within(core).any():
                continue
            wide = (
                max(top - around, box[0]),
                max(left - around, box[1]),
                min(core[2] + around, box[2]),
                min(core[3] + around, box[3]),
            )
            mask = np.ascontiguousarray(region.within(wide))
            out.append(Piece(Region(wide[0], wide[1], mask), core, region))
    return out
