"""Passing lights in a single frame of stars: trails of satellites and aircraft; meteors are told by their taper.

A trail is a thin straight ridge across the sky that keeps its brightness over most of its length, as stars beside it do
not. Ridges are places where the light curves downwards across one direction only (Steger 1998, "An unbiased detector of
curvilinear structures"); straight chains of them are found by the probabilistic Hough transform (Matas, Galambos and
Kittler 2000), and each is measured along its length by the medians of pieces, which stars do not move (as the median
Radon transform of Stark and others 2022, "Improved identification of satellite trails in ACS/WFC imaging").
"""

from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Longer side at which trails are looked for, in pixels.
SIDE = 2400
#: Deviation of the ridges' profile, and of what is background, in pixels.
_RIDGE, _BACKGROUND = 1.3, 12.0
#: Ridges stand out by so many deviations of the noise; a chain of them is so long at least, in shares of the longer
#: side, and has gaps of so many pixels.
_CLEAR, _SHORTEST, _GAP = 2.6, 0.03, 9
#: Chains this near to each other, in pixels, and this alike in direction, in degrees, are one.
_BESIDE, _ALIKE = 4.0, 2.5
#: Trails that lie on each other are one as far as their directions, in degrees, are this alike.
_SAME = 12.0
#: So much of a trail's pieces stand out; each by so many deviations of such pieces beside it.
_WHOLE, _STANDS = 0.7, 3.0
#: A piece, in pixels.
_PIECE = 12
#: What is less clear in the median, or wider, in pixels, and not twice as clear, is none.
_LEAST, _WIDEST = 5.5, 12.0
#: Where a meteor begins and ends it is at most so bright, of its brightest.
_TAPER = 0.55
#: A trail that ends nearer to the border of the sky than this, in pixels, goes on beyond it.
_BORDER = 10
#: A meteor's light is told by the medians of so many parts of its trail: flashes and stars move none.
_PARTS = 9


@dataclass(frozen=True)
class Trail:
    """A passing light.

    Attributes
    ----------
    start, end : tuple of float
        x and y in shares of the scene's longer side.
    width : float
        Of the trail, in the same shares.
    meteor : bool
        Whether it swells and fades within the sky.
    clear : float
        By how many deviations its pieces stand out, in the median.
    """

    start: tuple[float, float]
    end: tuple[float, float]
    width: float
    meteor: bool
    clear: float


def find_trails(light: np.ndarray, sky: np.ndarray, most: int = 60) -> list[Trail]:
    """Trails in the sky, the clearest first.

    Parameters
    ----------
    light : ndarray, float32 (h, w, 3)
        The scene, its longer side about `SIDE` pixels or less.
    sky : ndarray, bool (h, w)
        Where to look.
    most : int
        So many at most.

    Returns
    -------
    list of Trail
    """
    if sky.mean() < 0.01:
        return []
    luminous = luminance(light).astype(np.float32)
    inside = cv2.erode(sky.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    if not inside.any():
        return []
    weight = sky.astype(np.float32)
    # Stars are held down, or each would shine into what is called background around it.
    held = np.minimum(luminous, cv2.medianBlur(luminous, 5) * np.float32(1.5))
    under = cv2.GaussianBlur(held * weight, (0, 0), _BACKGROUND) / np.maximum(
        cv2.GaussianBlur(weight, (0, 0), _BACKGROUND), 1e-3
    )
    over = luminous - under
    noise = 1.4826 * float(np.median(np.abs(over[inside] - np.median(over[inside])))) + 1e-12
    # Bright stars count for no more than what is clear: chains are told by length.
    relief = np.clip(over / np.float32(noise), -6, 12).astype(np.float32)
    ridges = _ridges(relief)
    spread = 1.4826 * float(np.median(np.abs(ridges[inside]))) + 1e-6
    marks = ((ridges > _CLEAR * spread) & inside).astype(np.uint8)
    marks = _without_spots(marks)
    long_side = max(light.shape[:2])
    least = _SHORTEST * long_side
    chains = cv2.HoughLinesP(
        marks * 255, 1, np.pi / 720, max(int(0.35 * least), 12), minLineLength=int(0.6 * least), maxLineGap=_GAP
    )
    if chains is None:
        return []
    found = []
    for start, end in _joined(np.asarray(chains, np.float64).reshape(-1, 2, 2)):
        told = _told(over, inside, start, end, noise)
        if told is None:
            continue
        start, end, width, meteor, clear = told
        if np.hypot(*(end - start)) >= least:
            unit = 1.0 / long_side
            found.append(Trail(_share(start, unit), _share(end, unit), width * unit, meteor, clear))
    found.sort(key=lambda one: -one.clear)
    out: list[Trail] = []
    for one in found:
        # A wide trail is found more than once.
        if not any(_along(one, other) for other in out):
            out.append(one)
    return out[:most]


def _along(one: Trail, other: Trail) -> bool:
    """Whether the middle of a trail lies on another that has its direction, nearly."""
    ends = np.array([other.start, other.end])
    way, own = ends[1] - ends[0], np.subtract(one.end, one.start)
    length = float(np.hypot(*way))
    middle = np.add(one.start, one.end) / 2 - ends[0]
    at, off = middle @ way / length, (middle[0] * way[1] - middle[1] * way[0]) / length
    alike = abs(float(own @ way)) > np.cos(np.radians(_SAME)) * length * float(np.hypot(*own))
    return bool(alike and abs(off) < 2 * (one.width + other.width) and -0.1 * length < at < 1.1 * length)


def _share(place: np.ndarray, unit: float) -> tuple[float, float]:
    return float((place[0] + 0.5) * unit), float((place[1] + 0.5) * unit)


def _ridges(relief: np.ndarray) -> np.ndarray:
    """How much light curves downwards across one direction, beyond what it does along it: stars curve in both."""
    smooth = cv2.GaussianBlur(relief, (0, 0), _RIDGE)
    xx = cv2.Sobel(smooth, cv2.CV_32F, 2, 0, ksize=3, scale=0.25)
    yy = cv2.Sobel(smooth, cv2.CV_32F, 0, 2, ksize=3, scale=0.25)
    xy = cv2.Sobel(smooth, cv2.CV_32F, 1, 1, ksize=3, scale=0.25)
    mean, half = (xx + yy) / 2, np.hypot((xx - yy) / 2, xy)
    across, along = half - mean, -half - mean
    return np.asarray(np.maximum(across, 0) - 1.5 * np.maximum(along, 0), np.float32)


def _without_spots(marks: np.ndarray) -> np.ndarray:
    """Marks without what is small and as wide as long: stars, and noise."""
    _, names, stats, _ = cv2.connectedComponentsWithStats(marks, connectivity=8)
    extent = np.hypot(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
    keep = (extent >= 6) & (stats[:, cv2.CC_STAT_AREA] < 2.5 * extent + extent**1.6)
    keep[0] = False
    return np.asarray(keep[names], np.uint8)


def _joined(chains: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
    """Chains, (N, 2, 2), that lie along one line joined to one: from and to, the longest first."""
    lengths = np.hypot(*(chains[:, 1] - chains[:, 0]).T)
    left = list(np.argsort(-lengths))
    out = []
    while left:
        first = left.pop(0)
        start, end = chains[first]
        way = (end - start) / max(lengths[first], 1e-6)
        aside = np.array([-way[1], way[0]])
        low, high, rest = 0.0, float(lengths[first]), []
        for other in left:
            ends = chains[other] - start
            own = (chains[other][1] - chains[other][0]) / max(lengths[other], 1e-6)
            # Over a long gap a small turn leads far off: what is far counts by its own place.
            off = np.abs(ends @ aside).max()
            if off < _BESIDE and abs(float(own @ way)) > np.cos(np.radians(_ALIKE if lengths[other] > 40 else 8.0)):
                low, high = min(low, float((ends @ way).min())), max(high, float((ends @ way).max()))
            else:
                rest.append(other)
        left = rest
        out.append((start + low * way, start + high * way))
    return out


def _told(
    over: np.ndarray, inside: np.ndarray, start: np.ndarray, end: np.ndarray, noise: float
) -> tuple[np.ndarray, np.ndarray, float, bool, float] | None:
    """A trail as it is measured along a line: from, to, its width, whether it is a meteor, and how clear it is;
    None if it is none."""
    length = float(np.hypot(*(end - start)))
    way = (end - start) / length
    aside = np.array([-way[1], way[0]])
    # It may go on: looked at as far again to both ends, at most.
    more = min(0.5 * length, 120.0)
    along = np.arange(-more, length + more, 1.0)
    across = np.arange(-14.0, 14.5, 1.0)
    middle = start[None] + along[:, None] * way
    x = (middle[:, 0, None] + across * aside[0]).astype(np.float32)
    y = (middle[:, 1, None] + across * aside[1]).astype(np.float32)
    strip = cv2.remap(over, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0.0)
    seen = cv2.remap(inside.astype(np.uint8), x, y, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    count = len(along) // _PIECE
    if count < 4:
        return None
    pieces = strip[: count * _PIECE].reshape(count, _PIECE, -1)
    known = seen[: count * _PIECE].reshape(count, _PIECE, -1).mean((1, 2)) > 0.8
    # A star in a piece moves no median along it.
    profile = np.median(pieces, 1)
    beside = np.abs(across) > 6
    level = np.median(profile[:, beside], 1)
    scatter = np.maximum(1.4826 * np.median(np.abs(profile[:, beside] - level[:, None]), 1), 0.2 * noise)
    near = np.abs(across) <= 2
    height = profile[:, near].max(1) - level
    stands = (height > _STANDS * scatter) & known
    if not (run := _longest_run(stands)):
        return None
    first, last = run
    own = slice(first, last + 1)
    if stands[own].mean() < _WHOLE or last - first < 2:
        return None
    mean = (profile[own] - level[own, None])[stands[own]].mean(0)
    peak = float(mean[near].max())
    # An edge has one side only.
    sides = float(mean[(across < -3) & (across > -8)].mean()), float(mean[(across > 3) & (across < 8)].mean())
    if max(sides) > 0.45 * peak or min(sides) < -0.6 * peak:
        return None
    wide = float(np.count_nonzero(mean[np.abs(across) <= 7] > 0.2 * peak)) + 2.0
    within = first > 0 and last < count - 1 and known[first - 1] and known[last + 1]
    within = within and _far_from_border(middle[[first * _PIECE, (last + 1) * _PIECE - 1]], inside)
    meteor = bool(within) and _tapers(height[own])
    clear = float(np.median(height[own] / scatter[own]))
    if (wide > _WIDEST and clear < 2 * _LEAST) or clear < _LEAST:
        return None
    return middle[first * _PIECE], middle[min((last + 1) * _PIECE, len(middle)) - 1], wide, meteor, clear


def _longest_run(stands: np.ndarray) -> tuple[int, int] | None:
    """First and last of the longest run that stands out, with gaps of two pieces at most."""
    at = np.flatnonzero(stands)
    if len(at) == 0:
        return None
    runs = np.split(at, np.flatnonzero(np.diff(at) > 3) + 1)
    best = max(runs, key=lambda run: run[-1] - run[0])
    return int(best[0]), int(best[-1])


def _far_from_border(ends: np.ndarray, inside: np.ndarray) -> bool:
    height, width = inside.shape
    for x, y in ends:
        rows = slice(max(int(y) - _BORDER, 0), int(y) + _BORDER + 1)
        columns = slice(max(int(x) - _BORDER, 0), int(x) + _BORDER + 1)
        if not (_BORDER < x < width - _BORDER and _BORDER < y < height - _BORDER and inside[rows, columns].all()):
            return False
    return True


def _tapers(light: np.ndarray) -> bool:
    """Whether light along a trail swells and fades: that of a satellite is even, that of an aircraft even but for its
    flashes."""
    parts = np.array([np.median(part) for part in np.array_split(light, min(_PARTS, len(light)))])
    return bool(max(parts[0], parts[-1]) < _TAPER * parts.max())
