"""Gives clipped sites of the mosaic a plausible value before the demosaic spreads them."""

import cv2
import numpy as np
from scipy.special import log_ndtr

from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.joint import KNOWN, MOST_ABOVE, UNBOUNDED, solve
from crenn.core.progress import Progress

#: Weights of evenness and smoothness, and sweeps, of quads and of sites.
_QUADS, _SITES = (0.02, 0.05, 80), (0.005, 0.1, 60)
#: Coarser levels are made while the shorter side exceeds this, up to so many levels.
_SMALLEST, _LEVELS = 8, 9
#: Light is carried on beyond what was recorded by at most this many stops a site.
_STEEPEST = 1.5
#: Sites around clipped ones that are found with them.
_AROUND = 2
#: Ratios of colours are evened over this share of the longer side, where some are left, on a picture of so many pixels.
_EVEN, _EVENED_AT = 0.05, 400
#: Where nothing is left, colours go so far to neutral, and small holes rise by so many stops more; holes of a radius of
#: more than `_LARGE` of the longer side are large and do not; a dome begins so many quads inside.
_TO_NEUTRAL, _LAMP, _LARGE, _RIM = np.float32(0.75), 1.4, 0.01, 0.7
#: Large holes whose light falls by more than the second number of stops over three quads beyond the rim, windows, rise
#: by at most the third; those whose light falls by less than the first may go on rising.
_SOFT, _SHARP, _WINDOW = 0.7, 2.0, 0.3
#: At a rim, what was lost departs from what is found by this share of the fall to its neighbours, which counts from the
#: first to the second number of stops.
_SPREAD, _FALLS, _MOST_FALL = 0.2, 0.05, 3.0


def _logs(light: np.ndarray) -> np.ndarray:
    """Stops of light, float32 like it; what is next to nothing lies 13 below the brightest."""
    return np.asarray(np.log2(np.maximum(light, np.float32(max(float(light.max()) * 1e-4, 1e-9)))))


def _to_middle(values: np.ndarray, known: np.ndarray, next_is_after: bool, axis: int) -> np.ndarray:
    """Log light of one place of the tile, carried by half a site along an axis to the middle of the quads."""
    v, k = np.moveaxis(values, axis, 0), np.moveaxis(known, axis, 0)
    if not next_is_after:
        v, k = v[::-1], k[::-1]
    after, before = np.concatenate([v[1:], v[-1:]]), np.concatenate([v[:1], v[:-1]])
    known_after, known_before = np.concatenate([k[1:], k[-1:]]), np.concatenate([k[:1], k[:-1]])
    on = np.where(known_before, 0.25 * np.clip(v - before, -_STEEPEST, _STEEPEST), 0)
    out = np.where(k, v + np.where(known_after, 0.25 * (after - v), on), v)
    return np.moveaxis(out if next_is_after else out[::-1], 0, axis)


def _quads(logs: np.ndarray, clipped: np.ndarray, pattern: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Log light of quads, float32 (3, H/2, W/2), and what of it is lost."""
    shape = (3, logs.shape[0] // 2, logs.shape[1] // 2)
    u, lost = np.zeros(shape, np.float32), np.zeros(shape, bool)
    for row in range(2):
        for column in range(2):
            c, own, gone = pattern[row, column], logs[row::2, column::2], clipped[row::2, column::2]
            lost[c] |= gone
            if c == 1:
                u[1] += own / 2
            else:
                u[c] = _to_middle(_to_middle(own, ~gone, row == 0, 0), ~gone, column == 0, 1)
    return u, lost


def _halved(planes: np.ndarray) -> np.ndarray:
    """Means of 2x2 cells, float32 (3, ceil(H/2), ceil(W/2)); odd borders are repeated."""
    padded = np.pad(planes, [(0, 0), *((0, n % 2) for n in planes.shape[1:])], mode="edge")
    return (padded[:, ::2, ::2] + padded[:, 1::2, ::2] + padded[:, ::2, 1::2] + padded[:, 1::2, 1::2]) / 4


def _enlarged(planes: np.ndarray, size: tuple[int, ...]) -> np.ndarray:
    height, width = size
    return np.stack([cv2.resize(p, (2 * p.shape[1], 2 * p.shape[0]), interpolation=cv2.INTER_LINEAR) for p in planes])[
        :, :height, :width
    ]


def _coarse_to_fine(u: np.ndarray, lost: np.ndarray, progress: Progress) -> np.ndarray:
    """Light of quads with what was lost of it, float32 (3, H, W); what was lost has its bound in ``u``."""
    levels = [(u, lost)]
    while min(u.shape[1:]) > _SMALLEST and len(levels) < _LEVELS:
        u, lost = _halved(u), _halved(lost.astype(np.float32)) > 0
        levels.append((u, lost))
    found = None
    for level, (own, gone) in reversed(list(enumerate(levels))):
        # Each level is four times the work of the one before.
        within = progress.part(0.25 ** (level + 1), 0.25**level)
        guess = own.copy() if found is None else np.where(gone, _enlarged(found, own.shape[1:]), own)
        ys, xs = np.nonzero(gone.any(0))
        bounds = np.where(gone[:, ys, xs], own[:, ys, xs], KNOWN).T
        found = np.where(gone, np.clip(guess, own, own + MOST_ABOVE), own).astype(np.float32)
        bounds = np.ascontiguousarray(bounds, np.float32)
        solve(found, ys.astype(np.int32), xs.astype(np.int32), bounds, *_QUADS, within)
    assert found is not None
    return found


def _holes(lost: np.ndarray, recorded: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Stops by which light lost in all channels rises beyond what its surroundings tell, and what it is at most.

    Nothing tells how bright a hole is where every channel is lost. But what is small and clips is a lamp or a star, far
    brighter than its surroundings; what is large with a sharp rim is a window, seldom much above. So each hole gets a
    dome over its rim, the higher the smaller it is, and sharp large ones stay low.

    Parameters
    ----------
    lost : ndarray, bool (H, W)
        Of quads.
    recorded : ndarray, float32 (3, H, W)
        Log light.

    Returns
    -------
    dome, most : ndarray, float32 (H, W)
        The latter in log light of any colour.
    """
    holes = lost.astype(np.uint8)
    count, names, sizes, _ = cv2.connectedComponentsWithStats(holes, connectivity=8)
    # What the picture's border cuts goes on beyond it.
    inside = cv2.distanceTransform(cv2.copyMakeBorder(holes, 1, 1, 1, 1, cv2.BORDER_REPLICATE), cv2.DIST_L2, 5)
    depth = inside[1:-1, 1:-1]
    deepest = np.zeros(count, np.float32)
    np.maximum.at(deepest, names.ravel(), depth.ravel())
    radius = np.sqrt(sizes[:, 4] / np.pi)
    small = np.exp(-((radius / (_LARGE * max(lost.shape))) ** 2))
    # A hole of a single quad or two may be the edge of something else.
    height = _LAMP * small * np.minimum(radius / 2.0, 1.0)
    way = np.clip((depth - _RIM) / np.maximum(deepest[names] - _RIM, 1.0), 0.0, 1.0)
    rim, mean = lost & (depth < 2), recorded.mean(0)
    fall = (mean - cv2.erode(mean, np.ones((7, 7), np.uint8)))[rim]
    falls = np.bincount(names[rim], fall, count) / np.maximum(np.bincount(names[rim], minlength=count), 1)
    sharp = np.clip((falls - _SOFT) / (_SHARP - _SOFT), 0, 1)
    most = float(MOST_ABOVE) - (float(MOST_ABOVE) - _WINDOW) * sharp * (1 - small)
    dome = height[names] * np.sqrt(1 - (1 - way) ** 2) * holes
    # What is lost in part beside a hole rises no more than the hole.
    top = np.where(lost & (most < float(MOST_ABOVE))[names], recorded.max(0) + most[names], np.float32(np.inf)).astype(
        np.float32
    )
    return dome.astype(np.float32), cv2.erode(top, np.ones((5, 5), np.uint8))


def _evened(u: np.ndarray, recorded: np.ndarray, lost: np.ndarray) -> np.ndarray:
    """Quads whose lost channels follow those that are left by ratios that are even over some way.

    Two unknown colours over one that is known are held by little, and what the coarser levels left of their borders
    would show as blotches.
    """
    some = np.asarray(lost.any(0) & ~lost.all(0))
    weight, size = some.astype(np.float32), some.shape[::-1]
    # What is even over some way needs no fine picture.
    small = tuple(max(round(n * min(_EVENED_AT / max(size), 1.0)), 1) for n in size)

    def wide(plane: np.ndarray) -> np.ndarray:
        reduced = cv2.resize(plane, small, interpolation=cv2.INTER_AREA)
        return cv2.GaussianBlur(reduced, (0, 0), _EVEN * max(small))

    total, mean = np.maximum(wide(weight), 1e-9), np.asarray(u.mean(0))
    colour = np.stack([cv2.resize(wide(np.asarray((c - mean) * weight)) / total, size) for c in u])
    known = ~lost & some
    base = ((u - colour) * known).sum(0) / np.maximum(known.sum(0), 1)
    return np.where(lost & some, np.clip(base + colour, recorded, recorded + MOST_ABOVE), u).astype(np.float32)


def _whitened(u: np.ndarray, bounds: np.ndarray) -> np.ndarray:
    """Log light of places where nothing is left, most of the way to neutral; float32 (3, N) all of them.

    Nothing tells of their colour: a lamp is white with a breath of its surroundings' colour. What colour they have
    along that of the bounds, which is magenta, is the bounds' alone. All colours together rise until none is below.
    """
    mean, towards = u.mean(0), bounds - bounds.mean(0)
    colour = u - mean
    along = (colour * towards).sum(0) / np.maximum((towards * towards).sum(0), np.float32(1e-6))
    colour = (1 - _TO_NEUTRAL) * (colour - np.clip(along, 0, 1) * towards)
    out = mean + colour
    return np.asarray(out + np.maximum((bounds - out).max(0), 0), np.float32)


def _of_sites(
    recorded: np.ndarray,
    u: np.ndarray,
    logs: np.ndarray,
    clipped: np.ndarray,
    pattern: np.ndarray,
    nothing: np.ndarray,
    progress: Progress,
) -> np.ndarray:
    """Log light of clipped sites, float32 (H, W), from that of quads."""
    u = _enlarged(u, logs.shape)
    colours = np.tile(pattern, (logs.shape[0] // 2, logs.shape[1] // 2))
    for c, where in sites(pattern):
        np.copyto(u[c][where], np.where(clipped[where], np.maximum(u[c][where], logs[where]), logs[where]))
    around = np.ones((2 * _AROUND + 1, 2 * _AROUND + 1), np.uint8)
    ys, xs = np.nonzero(cv2.dilate(clipped.astype(np.uint8), around))
    bounds = np.full((len(ys), 3), UNBOUNDED, np.float32)
    own = colours[ys, xs]
    bounds[np.arange(len(ys)), own] = np.where(clipped[ys, xs], logs[ys, xs], KNOWN)
    mean = solve(u, ys.astype(np.int32), xs.astype(np.int32), bounds, *_SITES, progress)
    ys, xs = np.nonzero(clipped)
    bound, found = logs[ys, xs], u[colours[ys, xs], ys, xs]
    hole = nothing[ys // 2, xs // 2]
    white = _whitened(u[:, ys[hole], xs[hole]], recorded[:, ys[hole] // 2, xs[hole] // 2])
    found[hole] = np.take_along_axis(white, colours[ys[hole], xs[hole]][None].astype(np.int64), 0)[0]
    found = np.maximum(found, bound)
    beside = np.pad(mean, 1, mode="edge")
    lowest = np.min([beside[ys + 1 + dy, xs + 1 + dx] for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0))], axis=0)
    fall = np.clip(mean[ys, xs] - lowest, 0, _MOST_FALL)
    # The mean of a normal distribution that is cut at the bound.
    spread = _SPREAD * np.maximum(fall, _FALLS)
    z = (found - bound) / spread
    risen = bound + spread * (z + np.exp(-0.5 * z * z - 0.5 * np.log(2 * np.pi) - log_ndtr(z)))
    out = logs.copy()
    dome, most = (plane[ys // 2, xs // 2] for plane in _holes(nothing, recorded))
    risen = np.minimum(np.where(fall > _FALLS, risen, found), bound + MOST_ABOVE)
    # Within a hole colours come down together, or it would take on the bounds' colour, which is magenta.
    too_much = np.zeros_like(found)
    too_much[hole] = np.maximum(white.mean(0) - most[hole], 0)
    risen = np.where(hole, found - too_much, np.minimum(risen, most))
    out[ys, xs] = np.maximum(risen, bound) + dome
    return out


def rebuild_clipped(
    light: np.ndarray, clipped: np.ndarray, pattern: np.ndarray, progress: Progress | None = None
) -> int:
    """Raise clipped sites, in place, to what the unclipped channels and the light around them tell.

    A clipped value is a lower bound. What was lost is found together, in the logarithms of the three colours, coarse to
    fine: colours change little from place to place, and their mean is smooth (see `crenn.core.mosaic.joint`). At rims,
    where light falls steeply, it is taken for the mean of what could be above the bound. Where all is lost, light goes
    most of the way to neutral, as a lamp is white with a breath of its colour, and small holes rise as domes.

    Parameters
    ----------
    light : ndarray, float32 (H, W)
        White-balanced mosaic; H and W even.
    clipped : ndarray, bool (H, W)
    pattern : ndarray, uint8 (2, 2)
    progress : Progress, optional

    Returns
    -------
    int
        Number of sites changed.
    """
    if not clipped.any():
        return 0
    pattern = np.asarray(pattern, np.uint8)
    logs = _logs(light)
    u, lost = _quads(logs, clipped, pattern)
    nothing = np.asarray(lost.all(0))
    progress = progress or Progress()
    rebuilt = _evened(_coarse_to_fine(u, lost, progress.part(0.0, 0.35)), u, lost)
    found = _of_sites(u, rebuilt, logs, clipped, pattern, nothing, progress.part(0.35, 1.0))
    light[clipped] = np.maximum(np.exp2(found[clipped]), light[clipped])
    return int(clipped.sum())


def rebuild_planes(light: np.ndarray, clipped: np.ndarray, progress: Progress | None = None) -> int:
    """Raise clipped light of pixels that have all colours, in place, as `rebuild_clipped` does that of sites.

    Parameters
    ----------
    light : ndarray, float32 (H, W, 3)
        White-balanced.
    clipped : ndarray, bool (H, W, 3)
    progress : Progress, optional

    Returns
    -------
    int
        Number of values changed.
    """
    if not clipped.any():
        return 0
    recorded = np.ascontiguousarray(np.moveaxis(_logs(light), -1, 0))
    lost = np.ascontiguousarray(np.moveaxis(clipped, -1, 0))
    nothing = np.asarray(lost.all(0))
    found = _evened(_coarse_to_fine(recorded, lost, progress or Progress()), recorded, lost)
    dome, most = _holes(nothing, recorded)
    found = np.minimum(found, most)
    white = _whitened(found[:, nothing], recorded[:, nothing])
    found[:, nothing] = white - np.maximum(white.mean(0) - most[nothing], 0)
    found = np.maximum(found, recorded) + dome
    for c in range(3):
        light[..., c][lost[c]] = np.exp2(found[c][lost[c]])
    return int(clipped.sum())
