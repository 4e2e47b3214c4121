"""What a patch puts in the place of what was there, and where each of its pixels comes from."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Protocol

import cv2
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.mend.blend import departure, evened, membrane
from crenn.core.mend.complete import completed
from crenn.core.mend.other_frame import FramePart, OtherFrames, best_frame
from crenn.core.mend.patch import Origin, Patch
from crenn.core.mend.pieces import Piece
from crenn.core.mend.region import Region
from crenn.core.mend.search import NoOrigin, best_shift
from crenn.core.progress import Progress

#: Around a patch it is looked so far for what to copy, in sizes of it and in half widths, and in pixels at least and at
#: most.
_AROUND, _WIDTHS, _LEAST, _MOST = 3.0, 12.0, 96, 640
#: What is at most so large, in pixels, and so many times as long as wide, is copied from one place.
_SMALL, _LONG = 140, 2.5
#: The scale on which light is compared and blended turns at so many times the scene's floor.
_TURNS = 2.0
#: Deviation by which grain is evened out before places are compared, in pixels.
_GRAIN = 0.8
#: Share of the time of a large patch that goes into what is copied from where; the rest blends it.
_FINDING = 0.4


class Light(Protocol):
    """The light that patches are solved on."""

    @property
    def size(self) -> tuple[int, int]: ...

    @property
    def floor(self) -> float: ...

    def read(self, level: int, rows: slice, columns: slice) -> np.ndarray: ...


@dataclass(frozen=True, eq=False)
class Solved:
    """A patch, solved.

    Attributes
    ----------
    top, left : int
        Where its box begins, in full-size pixels.
    share : ndarray, float32 (h, w)
        How far it covers each pixel, 0 to 1.
    light : ndarray, float32 (h, w, 3)
        What it puts there.
    rows, columns : ndarray, float32 (h, w)
        Full-size pixels that the light was copied from.
    gain : ndarray, float32 (h, w, 3)
        By how much small differences of what was copied have grown.
    origin : Origin or None
        Where it comes from; None if from many places, or from another frame.
    frame : str or None
        Key of the frame that it comes from, if not from the scene.
    own : mapping of str to ndarray
        Planes that it brings along, and "noise": what would be copied otherwise.
    """

    top: int
    left: int
    share: np.ndarray
    light: np.ndarray
    rows: np.ndarray
    columns: np.ndarray
    gain: np.ndarray
    origin: Origin | None
    frame: str | None = None
    own: Mapping[str, np.ndarray] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return sum(a.nbytes for a in (*self._planes, *self.own.values()))

    @property
    def _planes(self) -> tuple[np.ndarray, ...]:
        return self.share, self.light, self.rows, self.columns, self.gain

    @property
    def box(self) -> tuple[int, int, int, int]:
        """Top, left, bottom and right."""
        height, width = self.share.shape
        return self.top, self.left, self.top + height, self.left + width

    def within(self, box: tuple[int, int, int, int]) -> "Solved":
        """The part of it in a box (top, left, bottom, right)."""
        if box == self.box:
            return self
        top, left = max(box[0], self.top), max(box[1], self.left)
        inner = np.s_[top - self.top : box[2] - self.top, left - self.left : box[3] - self.left]
        share, light, rows, columns, gain = (np.ascontiguousarray(plane[inner]) for plane in self._planes)
        own = {name: np.ascontiguousarray(plane[inner]) for name, plane in self.own.items()}
        return Solved(top, left, share, light, rows, columns, gain, self.origin, self.frame, own)

    @property
    def whole_pixels(self) -> bool:
        """Whether each pixel is copied from one."""
        return self.origin is None or self.origin.rigid


def reads_of(patch: Patch, piece: Piece, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """Top, left, bottom and right of what a piece of a patch may be made from."""
    region = piece.region
    if patch.other is not None:
        return _framed(region, size)
    if patch.origin is None:
        return _around(region, size, patch)
    rows, columns, _ = _copied_from(patch, patch.origin, _framed(region, size), size)
    low, high = (int(rows.min()), int(columns.min())), (int(rows.max()) + 2, int(columns.max()) + 2)
    box = _framed(region, size)
    return min(low[0], box[0]), min(low[1], box[1]), max(high[0], box[2]), max(high[1], box[3])


def solve(patch: Patch, piece: Piece, light: Light, others: OtherFrames, progress: Progress | None = None) -> Solved:
    """Solve a piece of a patch on light.

    Parameters
    ----------
    patch : Patch
    piece : Piece
    light : Light
    others : OtherFrames
        The frames that the light was merged from.
    progress : Progress, optional
        Told of what is completed from its surroundings: all else is soon done.

    Raises
    ------
    NoOrigin
        If there is nothing that it could be copied from.
    """
    return _solved(patch, piece, light, others, progress or Progress()).within(piece.core)


def _solved(patch: Patch, piece: Piece, light: Light, others: OtherFrames, progress: Progress) -> Solved:
    """A piece with what lies beyond its core."""
    size, region = light.size, piece.region
    turn = np.float32(max(light.floor, 1e-9) * _TURNS)
    if patch.other is not None:
        return _from_frame(patch, patch.other.frame, region, light, others, turn)
    if patch.origin is not None:
        return _from_one(patch, patch.origin, region, light, turn)
    top, left, bottom, right = box = _around(region, size, patch)
    picture = _even_scale(np.array(light.read(0, slice(top, bottom), slice(left, right)), np.float32), turn)
    hole, allowed = region.within(box), ~piece.whole.within(box)
    # What is to go must not shine into what it is compared by.
    looks = evened(picture, allowed.astype(np.float32), _GRAIN)
    if patch.within is not None:
        y, x = np.mgrid[top:bottom, left:right]
        x0, y0, x1, y1 = (round(v * max(size)) for v in patch.within)
        allowed &= (x >= x0) & (x < x1) & (y >= y0) & (y < y1)
    if _small(region):
        rows, columns = best_shift(looks, hole, allowed, region.half_width, patch.attempt)
        unit = max(size)
        return _from_one(patch, Origin(shift=[columns / unit, rows / unit]), region, light, turn)
    origin = completed(looks, hole, allowed, patch.attempt, progress.part(0, _FINDING))
    inner = np.s_[region.top - top : region.bottom - top, region.left - left : region.right - left]
    at = origin[inner]
    copied = picture[at[..., 0], at[..., 1]]
    if patch.fit == "blend":
        fitted = copied + departure(picture, hole, origin, progress.part(_FINDING, 1))[inner]
    else:
        fitted = copied
    at = at.astype(np.float32)
    return _made(region, patch, fitted, copied, at[..., 0] + top, at[..., 1] + left, None, turn)


def _small(region: Region) -> bool:
    """Whether a patch is copied from one place."""
    longest = max(region.mask.shape)
    return longest <= _SMALL and longest <= _LONG * max(2 * region.half_width, 4.0)


def _around(region: Region, size: tuple[int, int], patch: Patch) -> tuple[int, int, int, int]:
    """Top, left, bottom and right of where it is looked for what to copy: with the box that it is to be looked in."""
    wide = min(_AROUND * max(region.mask.shape), _WIDTHS * region.half_width)
    reach = int(np.clip(wide, _LEAST, _MOST))
    top, left, bottom, right = region.top - reach, region.left - reach, region.bottom + reach, region.right + reach
    if patch.within is not None:
        x0, y0, x1, y1 = (round(v * max(size)) for v in patch.within)
        top, left, bottom, right = min(top, y0), min(left, x0), max(bottom, y1), max(right, x1)
    return max(top, 0), max(left, 0), min(bottom, size[0]), min(right, size[1])


def _framed(region: Region, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """The box of a region with what its border is told by, within a scene."""
    reach = 6
    return (
        max(region.top - reach, 0),
        max(region.left - reach, 0),
        min(region.bottom + reach, size[0]),
        min(region.right + reach, size[1]),
    )


def _copied_from(
    patch: Patch, origin: Origin, box: tuple[int, int, int, int], size: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Rows and columns that a box of pixels comes from, float32 (h, w), the nearest within the scene, and which of
    them lie in it, bool (h, w)."""
    unit = max(size)
    y, x = np.mgrid[box[0] : box[2], box[1] : box[3]].astype(np.float32)
    across, down = np.array(origin.shift) * unit
    if origin.rigid:
        # Whole pixels, so that grain stays as it is.
        rows, columns = y + np.round(down), x + np.round(across)
    else:
        middle = patch.places().mean(0) * unit - 0.5
        (a, b), (c, d) = origin.matrix()
        steps = x - middle[0], y - middle[1]
        columns = middle[0] + across + a * steps[0] + b * steps[1]
        rows = middle[1] + down + c * steps[0] + d * steps[1]
    inside = (rows > -0.5) & (columns > -0.5) & (rows < size[0] - 0.5) & (columns < size[1] - 0.5)
    return (
        np.clip(rows, 0, size[0] - 1).astype(np.float32),
        np.clip(columns, 0, size[1] - 1).astype(np.float32),
        inside,
    )


def _from_one(patch: Patch, origin: Origin, region: Region, light: Light, turn: np.float32) -> Solved:
    """A patch that is copied from one place."""
    box = _framed(region, light.size)
    rows, columns, inside = _copied_from(patch, origin, box, light.size)
    top, left = int(rows.min()), int(columns.min())
    bottom, right = int(np.ceil(rows.max())) + 1, int(np.ceil(columns.max())) + 1
    there = _even_scale(np.array(light.read(0, slice(top, bottom), slice(left, right)), np.float32), turn)
    copied = sampled(there, rows - top, columns - left, origin.rigid)
    inner = np.s_[region.top - box[0] : region.bottom - box[0], region.left - box[1] : region.right - box[1]]
    # What lies beyond the scene is nothing to be copied: there the place stays as it is.
    region = replace(region, mask=region.mask & inside[inner])
    if not region.mask.any():
        raise NoOrigin
    fitted = copied
    if patch.fit == "blend":
        here = np.array(light.read(0, slice(box[0], box[2]), slice(box[1], box[3])), np.float32)
        hole = np.zeros(here.shape[:2], bool)
        hole[inner] = region.mask
        fitted = copied + membrane(_even_scale(here, turn), hole, copied)
    return _made(region, patch, fitted[inner], copied[inner], rows[inner], columns[inner], origin, turn)


def _from_frame(
    patch: Patch, key: str | None, region: Region, light: Light, others: OtherFrames, turn: np.float32
) -> Solved:
    """A patch that shows what another frame saw of its place."""
    box = _framed(region, light.size)
    here = _even_scale(np.array(light.read(0, slice(box[0], box[2]), slice(box[1], box[3])), np.float32), turn)
    hole = np.zeros(here.shape[:2], bool)
    inner = np.s_[region.top - box[0] : region.bottom - box[0], region.left - box[1] : region.right - box[1]]
    hole[inner] = region.mask
    if key is None:
        key = best_frame(others, box, hole, here, lambda a: _even_scale(a, turn), patch.attempt)
    try:
        part: FramePart | None = None if key is None else others.part(key, box)
    except CrennError as fault:
        # A picture is not to fail for a frame that has gone.
        raise NoOrigin from fault
    # Where the frame saw nothing, or was blinded, the place stays as it is.
    if part is None or not (hole & part.known).any():
        raise NoOrigin
    region = replace(region, mask=region.mask & part.known[inner])
    hole &= part.known
    copied = _even_scale(part.light, turn)
    fitted = copied + membrane(here, hole, copied) if patch.fit == "blend" else copied
    y, x = np.mgrid[region.top : region.bottom, region.left : region.right].astype(np.float32)
    made = _made(region, patch, fitted[inner], copied[inner], y, x, None, turn)
    return replace(made, frame=key, own={"sigma": part.sigma[inner], "noise": part.noise[inner]})


def sampled(array: np.ndarray, rows: np.ndarray, columns: np.ndarray, whole: bool) -> np.ndarray:
    """An array, (h, w) or (h, w, C), at places: pixels themselves if places are whole, else between them."""
    if whole:
        return np.asarray(array[rows.astype(np.int64), columns.astype(np.int64)])
    flat = np.asarray(array, np.float32)
    planes = flat[..., None] if flat.ndim == 2 else flat
    found = [
        cv2.remap(np.ascontiguousarray(planes[..., c]), columns, rows, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        for c in range(planes.shape[2])
    ]
    return found[0] if flat.ndim == 2 else np.dstack(found)


def _even_scale(light: np.ndarray, turn: np.float32) -> np.ndarray:
    """Light on a scale that is even about nothing and in stops where it is bright, float32."""
    return np.asarray(np.arcsinh(light / turn), np.float32)


def _made(
    region: Region,
    patch: Patch,
    fitted: np.ndarray,
    copied: np.ndarray,
    rows: np.ndarray,
    columns: np.ndarray,
    origin: Origin | None,
    turn: np.float32,
) -> Solved:
    return Solved(
        region.top,
        region.left,
        region.softened(patch.softness),
        np.asarray(np.sinh(fitted) * turn, np.float32),
        np.ascontiguousarray(rows, np.float32),
        np.ascontiguousarray(columns, np.float32),
        # The scale's slopes before and after: small differences are carried through it.
        np.asarray(np.cosh(fitted) / np.cosh(copied), np.float32),
        origin,
    )


__all__ = ["NoOrigin", "Solved", "reads_of", "sampled", "solve"]
