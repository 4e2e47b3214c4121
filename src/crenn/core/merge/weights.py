"""The weights of `crenn.core.merge.combine`: kernels that work on stretches of sites of one colour.

Each step runs over a stretch, so that compilers take several sites at a time.
"""

import numba as nb
import numpy as np

from crenn.core.merge.ghosts import CELL
from crenn.core.mosaic.moving import MISSING, NOISE_CELL

#: Sites of a stretch: what is kept of them stays near the processor.
_AT_ONCE = 256
_MISSING = np.float32(MISSING)
_NONE, _ONE, _HALF = np.float32(0), np.float32(1), np.float32(0.5)
#: Light of less than this share of what a frame takes is far from clipping.
_NEAR = np.float32(0.6)
#: Frames of up to so many times the sensitivity of the darkest are as dark.
_AS_DARK = np.float32(1.1)
#: What is kept of each site of a stretch: the sensitivity of the darkest frame that covers it; its number; the first
#: that may speak, and whether it is full; whether the darkest are full; light of the brightest that may speak, its
#: sensitivity and number; and sums of weights, of weighted light, of squared weights times variances, and the most.
(_DARKEST, _FIRST, _HELD, _HELD_FULL, _FULL, _GUESS, _GUESS_GAIN, _LAST, _WEIGHT, _TOTAL, _SPREAD, _BEST) = (
    np.uint64(_AT_ONCE * k) for k in range(12)
)
_U1, _U2 = np.uint64(1), np.uint64(2)


@nb.njit(fastmath=True, error_model="numpy")
def _around(mosaic, y, x, black, scale, otherwise):
    """Mean light of the sites of a site's own colour around it, itself among them; ``otherwise`` if all are missing."""
    total = np.float32(0.0)
    n = 0
    for yy in range(max(y - 2, y % 2), min(y + 3, mosaic.shape[0]), 2):
        for xx in range(max(x - 2, x % 2), min(x + 3, mosaic.shape[1]), 2):
            if mosaic[yy, xx] != MISSING:
                total += (np.float32(mosaic[yy, xx]) - black) * scale
                n += 1
    return total / n if n > 0 else otherwise


@nb.njit(fastmath=True, error_model="numpy")
def _take(row, phase, number):
    """Every second number of a row."""
    for n in range(np.uint64(len(number))):
        number[n] = np.float32(row[_U2 * n + phase])


@nb.njit(fastmath=True, error_model="numpy")
def _twice(cells, first, by, out):
    """What cells from the first on say, for two places each; the last one goes on."""
    known = np.uint64(max(min(len(cells) - first, len(out) // 2), 0))
    for n in range(known):
        value = np.float32(cells[n + np.uint64(first)]) * by
        out[_U2 * n], out[_U2 * n + _U1] = value, value
    out[2 * known :] = np.float32(cells[min(first + known, len(cells) - 1)]) * by


@nb.njit(fastmath=True, error_model="numpy")
def _read(i, number, black, to_first, clip, gain, share, value, kept):
    """Take a frame in, the next brighter one: what it measured, and whether it may speak."""
    own = np.float32(i)
    for n in range(np.uint64(len(number))):
        here = number[n] != _MISSING
        full = here and number[n] >= clip
        begins = here and kept[n + _DARKEST] == _NONE
        kept[n + _DARKEST] = gain if begins else kept[n + _DARKEST]
        kept[n + _FIRST] = own if begins else kept[n + _FIRST]
        value[n] = (number[n] - black) * to_first if here else _NONE
        speaks = share[n] if here else _NONE
        holds = kept[n + _HELD] < _NONE and speaks > _HALF
        kept[n + _HELD] = own if holds else kept[n + _HELD]
        kept[n + _HELD_FULL] = (_ONE if full else _NONE) if holds else kept[n + _HELD_FULL]
        # The darkest frames that cover the place: if even they clip, its light is lost.
        as_dark = gain <= kept[n + _DARKEST] * _AS_DARK
        kept[n + _FULL] = _ONE if full and as_dark else kept[n + _FULL]
        share[n] = _NONE if full and not as_dark else speaks


@nb.njit(fastmath=True, error_model="numpy")
def _guess(gain, number, share, value, kept):
    """The brightest frame that may speak is the first estimate."""
    for n in range(np.uint64(len(share))):
        speaks = share[n] > _HALF and gain > kept[n + _GUESS_GAIN] * np.float32(0.999)
        kept[n + _GUESS] = value[n] if speaks else kept[n + _GUESS]
        kept[n + _GUESS_GAIN] = gain if speaks else kept[n + _GUESS_GAIN]
        kept[n + _LAST] = number if speaks else kept[n + _LAST]


@nb.njit(fastmath=True, error_model="numpy")
def _weigh(number, share, value, noise, by_light, by_dark, kept):
    for n in range(np.uint64(len(share))):
        w = share[n] / (noise[n] * (by_light * max(kept[n + _GUESS], _NONE) + by_dark))
        kept[n + _WEIGHT] += w
        kept[n + _TOTAL] += w * value[n]
        # Variance of the mean under shares below 1: the sum of w² var over the square of the sum of w.
        kept[n + _SPREAD] += share[n] * w
        kept[n + _LAST] = number if w > kept[n + _BEST] else kept[n + _LAST]
        kept[n + _BEST] = max(w, kept[n + _BEST])


@nb.njit(fastmath=True, error_model="numpy")
def _settle(kept, count):
    """The mean, and its variance in the place of the squared weights."""
    for n in range(np.uint64(count)):
        kept[n + _GUESS] = kept[n + _TOTAL] / kept[n + _WEIGHT]
        kept[n + _SPREAD] = kept[n + _SPREAD] / (kept[n + _WEIGHT] * kept[n + _WEIGHT])


@nb.njit(fastmath=True, error_model="numpy")
def _put(kept, which, to):
    """What is kept of the sites of both colours of a stretch, in turn."""
    even, odd = kept[0], kept[1]
    for n in range(np.uint64(len(to) // 2)):
        to[_U2 * n], to[_U2 * n + _U1] = even[n + which], odd[n + which]
    if len(to) & 1:
        to[-1] = even[np.uint64(len(to) // 2) + which]


@nb.njit(fastmath=True, error_model="numpy")
def _near_clipping(y, x, of_frame, of_darker, near, share, value, kept):
    """Let frames fade out towards clipping.

    Whether a frame may speak is decided by what the darker frame measured around the place, not by the sample itself: a
    sample that noise carried over the edge would otherwise be missing from the mean and pull it down.
    """
    gain, end, ramp = of_frame
    mosaic, black, scale, own_gain = of_darker
    brightest = _NONE
    for n in range(len(value)):
        brightest = max(brightest, value[n])
    if brightest <= near:
        return
    for n in range(np.uint64(len(value))):
        if value[n] > near and share[n] > _NONE and gain > kept[n + _DARKEST] * _AS_DARK:
            expected = _around(mosaic, y, x + 2 * np.int64(n), black, scale, value[n] * own_gain)
            share[n] *= min(max((end - expected * (gain / own_gain)) * ramp, _NONE), _ONE)


@nb.njit(fastmath=True, error_model="numpy")
def _let_speak(order, shares, values, kept):
    """Where nobody may speak the darkest frame does, of those that something moving comes from."""
    for n in range(np.uint64(shares.shape[1])):
        if kept[n + _GUESS_GAIN] == _NONE:
            i = int(kept[n + _FIRST])
            if kept[n + _HELD] > kept[n + _FIRST]:
                i = int(kept[n + _HELD])
                kept[n + _FULL] = kept[n + _HELD_FULL]
            shares[i, n] = _ONE
            kept[n + _GUESS], kept[n + _LAST] = values[i, n], np.float32(order[i])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def weigh(
    stack,
    order,
    pattern,
    black,
    scale,
    clip,
    gain,
    slope,
    offset,
    still,
    spread_of,
    spread_at,
    light,
    variance,
    source,
    clipped,
):
    """Combine frames site by site; for arguments see `crenn.core.merge.combine.combine`, the last four are filled."""
    frames, height, width = stack.shape
    moving = still.shape[0] > 0
    # What depends on frame and colour alone, in the order from dark to bright: where light ends that may speak, over
    # what it fades out before, and terms of the weights.
    ends, ramps, nears = np.empty((frames, 3), np.float32), np.empty((frames, 3), np.float32), np.empty_like(scale)
    by_light, by_dark = np.empty((frames, 3), np.float32), np.empty((frames, 3), np.float32)
    to_first = np.empty((frames, 3), np.float32)
    for i in range(frames):
        k = order[i]
        g = gain[k]
        for c in range(3):
            limit = (clip[k] - black[k, c]) * scale[k, c]
            sigma = np.sqrt(slope[k, c] * limit + offset[k, c])
            nears[i, c] = _NEAR * limit / g
            ends[i, c] = limit - np.float32(3.0) * sigma
            ramps[i, c] = np.float32(1.0) / max(np.float32(0.05) * limit, np.float32(2.0) * sigma)
            by_light[i, c], by_dark[i, c] = slope[k, c] / g, offset[k, c] / (g * g)
            to_first[i, c] = scale[k, c] / g
    for row in nb.prange(height):
        # Indices of parallel loops have no sign.
        y = np.int64(row)
        number, kept = np.empty(_AT_ONCE, np.float32), np.empty((2, 12 * _AT_ONCE), np.float32)
        all_shares, all_values = np.empty((frames, _AT_ONCE), np.float32), np.empty((frames, _AT_ONCE), np.float32)
        noises, halves = np.ones((frames, _AT_ONCE), np.float32), np.empty(_AT_ONCE // 2, np.float32)
        for left in range(0, width, 2 * _AT_ONCE):
            right = min(left + 2 * _AT_ONCE, width)
            kept[:] = _NONE
            for phase in range(2):
                c, own = pattern[y & 1, phase], kept[phase]
                count = (right - left - phase + 1) // 2
                shares, values = all_shares[:, :count], all_values[:, :count]
                for n in range(np.uint64(count)):
                    own[n + _HELD] = -_ONE
                for i in range(frames):
                    k = order[i]
                    share, value, numbers = all_shares[i, :count], all_values[i, :count], number[:count]
                    _take(stack[k, y, left:], np.uint64(phase), numbers)
                    share[:] = _ONE
                    if moving:
                        cells = still[k, min(y // CELL, still.shape[1] - 1)]
                        _twice(cells, left // CELL, _ONE / np.float32(255), share)
                    if spread_of[k] >= 0:
                        cells = spread_at[spread_of[k], y // NOISE_CELL, :, c]
                        _twice(cells, left // NOISE_CELL, _ONE, halves[: (count + 1) // 2])
                        _twice(halves, 0, _ONE, noises[i, :count])
                    _read(i, numbers, black[k, c], to_first[i, c], clip[k], gain[k], share, value, own)
                    if i > 0:
                        of_frame, j = (gain[k], ends[i, c], ramps[i, c]), order[i - 1]
                        of_darker = stack[j], black[j, c], scale[j, c], gain[j]
                        _near_clipping(y, left + phase, of_frame, of_darker, nears[i, c], share, value, own)
                    _guess(gain[k], np.float32(k), share, value, own)
                _let_speak(order, shares, values, own)
                # Weights come from the model at one common estimate, so that a sample's own noise does not decide its
                # weight. The first estimate is the brightest frame that may speak; the second the mean.
                for _ in range(2):
                    for n in range(np.uint64(count)):
                        own[n + _WEIGHT] = own[n + _TOTAL] = own[n + _SPREAD] = own[n + _BEST] = _NONE
                    for i in range(frames):
                        share, value, noise = all_shares[i, :count], all_values[i, :count], noises[i, :count]
                        _weigh(np.float32(order[i]), share, value, noise, by_light[i, c], by_dark[i, c], own)
                    _settle(own, count)
            _put(kept, _GUESS, light[y, left:right])
            _put(kept, _SPREAD, variance[y, left:right])
            _put(kept, _LAST, source[y, left:right])
            _put(kept, _FULL, clipped[y, left:right])
