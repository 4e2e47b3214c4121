"""Enlargement that keeps edges: directional cubic convolution.

Zhou, Shen and Dong 2012, "Image zooming using directional cubic convolution interpolation". Each pixel that is put
between others is interpolated along the direction in which the picture changes less. It is done on roots of light,
so that lamps draw less of a rim, by the gradients of all channels together, so that edges do not part in colours, and
held to what its four neighbours have. What is given back to its means after that, and the last step to the size that is
wanted, go beyond that a little: `crenn bench enlarge` measures by how much.
"""

from collections.abc import Callable, Iterator

import cv2
import numpy as np

from crenn.core.progress import Progress
from crenn.core.render.window import Window

#: Ratio of gradients from which on a direction is an edge's, the power that weighs others, and the greatest code.
_EDGE, _POWER, _TOP = 1.15, 5.0, 255.0
#: Times that what means lack is given back.
_GIVEN_BACK = 3
#: Pixels around a part that its enlargement looks at, and pixels of the result made at once.
MARGIN, _PIXELS = 10, 3_000_000
#: Cubic convolution at the middle (Keys 1981), along a diagonal, and along a row whose every second pixel is known.
_CUBIC = np.array([-1, 9, 9, -1], np.float32) / 16
_FALLING = np.diag(_CUBIC)
_RISING = np.ascontiguousarray(_FALLING[:, ::-1])
_ACROSS = np.array([[-1, 0, 9, 0, 9, 0, -1]], np.float32) / 16
_BESIDE = np.array([[1, 0, 1], [0, 1, 0], [1, 0, 1]], np.float32)


def _filtered(picture: np.ndarray, kernel: np.ndarray, anchor: tuple[int, int] = (-1, -1)) -> np.ndarray:
    return cv2.filter2D(picture, cv2.CV_32F, kernel, anchor=anchor, borderType=cv2.BORDER_REPLICATE)


def _along(one: np.ndarray, other: np.ndarray, first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """Values between two directions, (h, w, 3), by the changes along each, (h, w)."""
    ratio = (1 + one * _TOP) / (1 + other * _TOP)
    mixed = 1 / (1 + ratio**_POWER)
    share = np.where(ratio > _EDGE, 0.0, np.where(ratio < 1 / _EDGE, 1.0, mixed)).astype(np.float32)[..., None]
    return np.asarray(share * first + (1 - share) * second)


def doubled(roots: np.ndarray) -> np.ndarray:
    """A picture with a pixel between any two, float32 (2 h, 2 w, 3); pixel (y, x) of (h, w, 3) is at (2 y, 2 x)."""
    height, width = roots.shape[:2]
    out = np.zeros((2 * height, 2 * width, 3), np.float32)
    out[::2, ::2] = roots
    total = roots.sum(-1) / 3
    # Between four pixels: (y, x) of these lies between (y, x) and (y + 1, x + 1).
    falling = np.abs(_filtered(total, np.diag([1.0, -1.0]).astype(np.float32), (0, 0)))
    rising = np.abs(_filtered(total, np.array([[0, 1], [-1, 0]], np.float32), (0, 0)))
    falling, rising = (cv2.boxFilter(v, -1, (3, 3), normalize=False) for v in (falling, rising))
    between = _along(falling, rising, _filtered(roots, _FALLING, (1, 1)), _filtered(roots, _RISING, (1, 1)))
    four = np.ones((2, 2), np.uint8)
    low = cv2.erode(roots, four, anchor=(0, 0), borderType=cv2.BORDER_REPLICATE)
    high = cv2.dilate(roots, four, anchor=(0, 0), borderType=cv2.BORDER_REPLICATE)
    out[1::2, 1::2] = np.clip(between, low, high)
    # The rest lies between two in its row and two in its column.
    total = out.sum(-1) / 3
    step = np.array([[1, 0, -1]], np.float32)
    across, down = (_filtered(np.abs(_filtered(total, k)), _BESIDE) for k in (step, step.T))
    beside = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.uint8)
    # Pixels that are not known yet are no neighbours of each other.
    low = cv2.erode(out, beside, borderType=cv2.BORDER_REPLICATE)
    high = cv2.dilate(out, beside, borderType=cv2.BORDER_REPLICATE)
    rest = np.clip(_along(across, down, _filtered(out, _ACROSS), _filtered(out, _ACROSS.T)), low, high)
    out[::2, 1::2], out[1::2, ::2] = rest[::2, 1::2], rest[1::2, ::2]
    return out


def enlarged(light: np.ndarray, times: tuple[float, float], part: tuple[float, float, int, int]) -> np.ndarray:
    """A part of an enlarged picture.

    Parameters
    ----------
    light : ndarray, float32 (h, w, 3)
        Linear, of any sign.
    times : tuple of float
        Across and down, more than 1 and at most 4.
    part : tuple
        Where it begins in the enlarged picture, x and y, and its width and height, in pixels of that.

    Returns
    -------
    ndarray, float32 (height, width, 3)
    """
    passes = 1 if max(times) <= 2 else 2
    finer = 2**passes
    roots = _rooted(_true_to(light, passes))
    left, top, width, height = part
    # From middles of the result's pixels to those of the doubled picture, whose first lies on the first of the light.
    matrix = np.array(
        [
            [finer / times[0], 0, finer * ((left + 0.5) / times[0] - 0.5)],
            [0, finer / times[1], finer * ((top + 0.5) / times[1] - 0.5)],
        ]
    )
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    roots = cv2.warpAffine(roots, matrix, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return _light_of(roots)


def _rooted(light: np.ndarray) -> np.ndarray:
    return np.asarray(np.sign(light) * np.sqrt(np.abs(light)), np.float32)


def _light_of(roots: np.ndarray) -> np.ndarray:
    return np.asarray(roots * np.abs(roots))


def _true_to(light: np.ndarray, passes: int) -> np.ndarray:
    """Light with 2 or 4 times as many pixels each way, whose means over a pixel are that pixel's.

    What the doubled picture's means lack is given back to it (Irani and Peleg 1991, "Improving resolution by image
    registration"), as far as a place stays within what the pixels about it have.
    """
    roots = _rooted(light)
    for _ in range(passes):
        roots = doubled(roots)
    fine, finer = _light_of(roots), 2**passes
    low, high = (_about(light, finer, turn) for turn in (cv2.erode, cv2.dilate))
    # Pixels of the doubled picture lie on borders of those that they are compared with: half of them counts.
    weights = np.full(finer + 1, 1 / finer, np.float32)
    weights[[0, -1]] /= 2
    for _ in range(_GIVEN_BACK):
        means = cv2.sepFilter2D(fine, -1, weights, weights, borderType=cv2.BORDER_REPLICATE)[::finer, ::finer]
        fine = np.clip(fine + _between(light - means, finer), low, high)
    return fine


def _about(light: np.ndarray, finer: int, turn: Callable[..., np.ndarray]) -> np.ndarray:
    """The least or the most, by `cv2.erode` or `cv2.dilate`, that the pixels about each pixel of a finer picture have:
    about one that lies between two, those about both."""
    near = turn(light, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE)
    fine = near.repeat(finer, 0).repeat(finer, 1)
    return turn(fine, np.ones((finer, finer), np.uint8), anchor=(0, 0), borderType=cv2.BORDER_REPLICATE)


def _between(picture: np.ndarray, finer: int) -> np.ndarray:
    """A picture on the pixels of one that is so many times finer, whose first lies on its first."""
    size = picture.shape[1] * finer, picture.shape[0] * finer
    matrix = np.array([[1 / finer, 0, 0], [0, 1 / finer, 0]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(picture, matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE))


def enlarged_bands(
    whole: tuple[int, int], size: tuple[int, int], render: Callable[[Window], np.ndarray], progress: Progress
) -> Iterator[np.ndarray]:
    """A picture made larger, band by band.

    Parameters
    ----------
    whole : tuple of int
        (H, W) of the picture.
    size : tuple of int
        (w, h) of the result, larger.
    render : callable
        Gives linear light of a window of the picture, float32 (h, w, 3).
    progress : Progress
        Can cancel between bands.

    Yields
    ------
    ndarray, float32 (rows, w, 3)
    """
    height, width = whole
    times = size[0] / width, size[1] / height
    step = max(_PIXELS // size[0], 8)
    for first in range(0, size[1], step):
        count = min(step, size[1] - first)
        top = max(int(np.floor(first / times[1])) - MARGIN, 0)
        bottom = min(int(np.ceil((first + count) / times[1])) + MARGIN, height)
        light = render(Window(0, top, width, bottom - top, width, bottom - top))
        yield enlarged(light, times, (0, first - top * times[1], size[0], count))
        progress.at((first + count) / size[1], "Enlarging")
