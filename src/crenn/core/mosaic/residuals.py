"""What the sites of moved frames say of a picture: each is held against what the picture predicts of it.

A demosaic guesses two colours of three at each site. Frames that were moved by parts of a pixel have sites of every
colour between those of the others, and where a site departs from what is predicted of it, the guess was wrong there.

Sites are kept by their place in the pattern's tile, in planes of their own: (0, 0), (0, 1), (1, 0), (1, 1). Along half
a row of the picture, every second pixel, the sites of a plane that are asked then lie side by side for as long as they
are a run of `crenn.core.geometry.runs`.
"""

import numba as nb
import numpy as np

from crenn.core.fastmath import NAN_SAFE, arsinh, sinh
from crenn.core.geometry.lanczos import TAPS
from crenn.core.geometry.mapping import place
from crenn.core.geometry.runs import SIDE, VECTOR, along, interpolate_run, room, room_apart, set_apart, weigh_taps
from crenn.core.mosaic.moving import MISSING

#: Planes of sites have a border this wide.
PAD = 3
#: What is known of a site: whether it says anything, 1 or 0; by how much it departs from what is predicted; what is
#: predicted; and the green that is predicted there. Nothing is 0 where a site says nothing.
SAYS, OFF, TOLD, GREEN = range(4)
#: Share of 255 from which on a frame's sites are asked without a second look.
_SPEAKS = 230
#: Sites of a doubted frame are heard where cells of this side depart from what is predicted by no more than so many
#: deviations of their noise, this share of the light and this share of its range there.
_SIDE, _NOISE, _TOLERANCE, _RANGE = 4, 5.0, 0.012, 0.3


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def _guide(planes, over, out):
    channels, height, width = planes.shape
    for y in nb.prange(out.shape[2]):
        line = np.empty(2 * out.shape[3], np.float32)
        row = min(max(np.int64(y) - SIDE, 0), height - 1)
        for c in range(channels):
            light, told = planes[c, row], line[SIDE : SIDE + width]
            for x in range(width):
                told[x] = arsinh(light[x] * over)
            set_apart(line, width, out[c, 0, y], out[c, 1, y])


def guide_of(planes: np.ndarray, light_scale: np.float32) -> np.ndarray:
    """A picture, float32 (3, h, W), as `predict` wants it: arsinh(light / ``light_scale``), its columns apart as
    `crenn.core.geometry.runs` puts them."""
    out = room_apart(*planes.shape)
    _guide(planes, np.float32(1 / light_scale), out)
    return out


def room_for_sites(frames: int, planes: int, rows: int, width: int) -> np.ndarray:
    """Planes for the sites of ``rows`` x ``width`` pixels of frames, not filled.

    float32 (frames, planes, 4, h + 2 PAD, w + 2 PAD + VECTOR).
    """
    return np.empty((frames, planes, 4, (rows + 1) // 2 + 2 * PAD, (width + 1) // 2 + 2 * PAD + VECTOR), np.float32)


@nb.njit(fastmath=NAN_SAFE, error_model="numpy")
def _predict_row(y, mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out):
    width = mosaic.shape[1]
    height = guide.shape[2] - 2 * SIDE
    with_green = out.shape[0] > GREEN
    places = room((width + 1) // 2)
    row, column, down, right, wy, wx, begins, _ = places
    told, green = np.zeros(len(row), np.float32), np.zeros(len(row), np.float32)
    for tx in range(2):
        t = 2 * (y & 1) + tx
        c = pattern[y & 1, tx]
        count = (width - tx + 1) // 2
        r = (y >> 1) + PAD
        out[:, t, r] = 0
        if with_green and c == 1:
            continue
        runs = along(out_of[c], top + y, tx, first, count, places)
        weigh_taps(taps, down[:count], wy)
        weigh_taps(taps, right[:count], wx)
        for k in range(runs):
            start, end = begins[k], begins[k + 1]
            i, j = row[start], column[start] - 2 * start
            # Within the run, those that the picture covers.
            lo = max(start, -(j // 2) if j < 0 else 0)
            hi = min(end, (across - j) // 2)
            if not (TAPS // 2 <= i < height - TAPS // 2 and lo < hi):
                lo = hi = end
            else:
                interpolate_run(guide[c], i, j, wy, wx, lo, hi, told)
                if with_green:
                    interpolate_run(guide[1], i, j, wy, wx, lo, hi, green)
            told[start:lo], told[hi:end] = np.nan, np.nan
        says, off, light = out[SAYS, t, r, PAD:], out[OFF, t, r, PAD:], out[TOLD, t, r, PAD:]
        for n in range(count):
            predicted = light_scale * sinh(told[n])
            number = mosaic[y, 2 * n + tx]
            # Whether a site may be clipped is asked of what is predicted, or noise would choose.
            if number != MISSING and told[n] == told[n] and predicted <= limit[c]:
                says[n], light[n] = np.float32(1), predicted
                off[n] = (np.float32(number) - black[c]) * scale[c] - predicted
        if with_green:
            beside = out[GREEN, t, r, PAD:]
            for n in range(count):
                beside[n] = light_scale * sinh(green[n]) if says[n] > 0 else np.float32(0)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def predict(mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out):
    """What sites measured, held against what a picture predicts of them.

    Parameters
    ----------
    mosaic : ndarray, uint16 (rows, W)
        Rows of a frame from ``top`` on, an even one, as the sensor gave them; `MISSING` where a site is to be left out.
    out_of : ndarray, float64 (3, rows, columns, 2)
        Nodes of the meshes from the frame's pixels to the picture's, per colour of site.
    guide : ndarray, float32 (3, 2, h, w)
        Rows of the picture from ``first`` on, of ``across`` columns, from `guide_of`.
    black, scale, limit : ndarray, float32 (3,)
        Of raw numbers: no light, light of the picture per number, and light from which on a site may be clipped.
    out : ndarray, float32 (3 or 4, 4, h + 2 PAD, w + 2 PAD + VECTOR)
        One of `room_for_sites`, of as many rows or more; filled with what `SAYS`, `OFF`, `TOLD` and, if there is a
        fourth plane, `GREEN` name, the last for sites of red and blue alone, and then the others for them alone too.
    """
    out[:, :, :PAD] = 0
    out[:, :, PAD + len(mosaic) // 2 :] = 0
    for y in nb.prange(len(mosaic)):
        _predict_row(y, mosaic, top, out_of, guide, first, across, pattern, black, scale, limit, light_scale, taps, out)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=NAN_SAFE, error_model="numpy")
def leave_out(sites, top, out_of, pattern, slope, offset, share, cell):
    """Leave out sites of what moved: where the frame may not speak, and what it measured is not what is predicted.

    A frame that was moved is doubted too often where detail is finer than the sites of a colour: moving it draws such
    detail another way. What is predicted at its own sites is not touched by that.

    Parameters
    ----------
    sites : ndarray, float32 (3 or 4, 4, h + 2 PAD, w + 2 PAD + VECTOR)
        From `predict`; those left out say nothing.
    top, out_of, pattern, slope, offset
        As of `predict` and `gather`.
    share : ndarray, uint8 (rows, columns)
        With which the frame may speak, of 255, in cells of the picture of side ``cell``; 0 is for good.
    """
    half = _SIDE // 2
    rows, width = sites.shape[2] - 2 * PAD, sites.shape[3] - 2 * PAD - VECTOR
    last_row, last_column = share.shape[0] - 1, share.shape[1] - 1
    for block in nb.prange((rows + half - 1) // half):
        r0, r1 = block * half, min((block + 1) * half, rows)
        count, off, told = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        low, high = np.empty(3, np.float32), np.empty(3, np.float32)
        for q0 in range(0, width, half):
            q1 = min(q0 + half, width)
            px, py = place(out_of[1], q0 + q1 - 1, top + r0 + r1 - 1)
            may = share[min(max(int(py), 0) // cell, last_row), min(max(int(px), 0) // cell, last_column)]
            if may >= _SPEAKS:
                continue
            count[:], off[:], told[:], low[:], high[:] = 0, 0, 0, np.inf, -np.inf
            for t in range(4):
                c = pattern[t // 2, t % 2]
                for r in range(r0 + PAD, r1 + PAD):
                    for q in range(q0 + PAD, q1 + PAD):
                        if sites[SAYS, t, r, q] > 0:
                            light = sites[TOLD, t, r, q]
                            count[c] += 1
                            off[c] += sites[OFF, t, r, q]
                            told[c] += light
                            low[c], high[c] = min(low[c], light), max(high[c], light)
            out = may == 0
            for c in range(3):
                if count[c] > 0:
                    mean = told[c] / count[c]
                    noise = np.sqrt((slope[c] * max(mean, np.float32(0)) + offset[c]) / count[c])
                    allowed = _NOISE * noise + _TOLERANCE * abs(mean) + _RANGE * (high[c] - low[c])
                    out |= abs(off[c]) / count[c] > allowed
            if out:
                sites[:, :, r0 + PAD : r1 + PAD, q0 + PAD : q1 + PAD] = 0
