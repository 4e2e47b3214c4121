"""The sites of a Bayer mosaic, colour by colour."""

from collections.abc import Iterator

import numpy as np

from crenn.core.geometry.orientation import as_held


def sites(pattern: np.ndarray) -> Iterator[tuple[int, tuple[slice, slice]]]:
    """The four sites of a mosaic's tile.

    Parameters
    ----------
    pattern : ndarray, uint8 (2, 2)

    Yields
    ------
    colour : int
        0 R, 1 G, 2 B.
    where : tuple of slice
        Picks the site's plane out of a mosaic.
    """
    for row in range(2):
        for column in range(2):
            yield int(pattern[row, column]), (slice(row, None, 2), slice(column, None, 2))


def even(shape: tuple[int, ...]) -> tuple[slice, slice]:
    """Picks the whole tiles out of a mosaic of a shape (H, W)."""
    return slice(shape[0] // 2 * 2), slice(shape[1] // 2 * 2)


def tile_as_held(pattern: np.ndarray, first: tuple[int, int], shape: tuple[int, int], flip: int) -> np.ndarray:
    """The tile of a part of a mosaic, turned the way the camera was held, uint8 (2, 2).

    Parameters
    ----------
    pattern : ndarray, uint8 (2, 2)
    first : tuple of int
        Row and column at which the part begins.
    shape : tuple of int
        (H, W) of the part, before it is turned.
    flip : int
        As of `crenn.core.geometry.orientation`.
    """
    # Only whether they are even matters of the part's sides.
    rows, columns = np.ogrid[: 2 + shape[0] % 2, : 2 + shape[1] % 2]
    part = pattern[(rows + first[0]) % 2, (columns + first[1]) % 2]
    return np.ascontiguousarray(as_held(part, flip)[:2, :2])


def half_colour(mosaic: np.ndarray, pattern: np.ndarray, black: np.ndarray, white: float) -> np.ndarray:
    """Colour at half size, a pixel of each tile; its two greens are averaged.

    Parameters
    ----------
    mosaic : ndarray, uint16 (H, W)
    pattern : ndarray, uint8 (2, 2)
    black : ndarray, float32 (3,)
        Raw numbers of no light.
    white : float
        Raw number of saturation.

    Returns
    -------
    ndarray, float32 (H // 2, W // 2, 3)
        Camera colours, saturation at 1.
    """
    mosaic = mosaic[even(mosaic.shape)]
    out = np.zeros((mosaic.shape[0] // 2, mosaic.shape[1] // 2, 3), np.float32)
    for c, where in sites(pattern):
        light = (mosaic[where].astype(np.float32) - black[c]) / np.float32(white - black[c])
        out[..., c] += light * np.float32(0.5 if c == 1 else 1.0)
    return out
