"""The row interpreter: a program run over rows of light that stay in the processor's cache.

Light is red, green and blue of a row, and one row of EV that gains, grids, planes and curves add to; since factors
commute with matrices, the EV act once, at the end.
"""

import numba as nb
import numpy as np

from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.fastmath import exp2, log2
from crenn.core.pipeline.instructions import TABLE_PER_STOP, TABLE_SIZE, TABLE_START, Operation
from crenn.core.render.encode import AREA, COLOURS, GRID, MIX, OPERATION, PLANE, TABLE
from crenn.core.render.recolour import into_oklab, look_up, out_of_oklab, recolour

_START, _PER, _LAST = np.float32(TABLE_START), np.float32(TABLE_PER_STOP), TABLE_SIZE - 2
_LR, _LG, _LB = (np.float32(v) for v in LUMINANCE)
_ZERO, _ONE = np.float32(0), np.float32(1)
_TINY = np.float32(1e-12)
_SHARE = np.float32(1 / 65535)
_MATRIX, _GAIN, _CURVE, _GRID, _ADD, _CHANNELS, _HAZE, _TINT, _CLEAN, _COLOUR, _LAY = (int(o) for o in Operation)
#: Rows of work that the interpreter needs.
ROWS = 16


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def lookup(table, stop):
    """A table of `TABLE_SIZE` at a stop, interpolated."""
    p = min(max((stop - _START) * _PER, _ZERO), np.float32(_LAST + 0.999))
    # Whole numbers are held once more: what is not a number passes the line above.
    i = min(np.uint32(p), np.uint32(_LAST))
    return table[i] + (p - np.float32(i)) * (table[i + np.uint32(1)] - table[i])


@nb.njit(fastmath=True, error_model="numpy")
def _grid_ev(cells, gy, gx, step, grid_start, per_layer, stretch, stop, ev):
    """EV of a grid along a row: it is mixed for the row once, then read at (column, stop).

    ``stretch`` times the pixel's own stop is added; the grid holds as much of the base taken off.
    """
    rows, columns, layers = cells.shape
    gy = min(max(gy, _ZERO), np.float32(rows - 1.001))
    i = min(max(int(gy), 0), rows - 2)
    share = gy - np.float32(i)
    plane = np.empty((columns, layers), np.float32)
    for j in range(columns):
        for k in range(layers):
            plane[j, k] = cells[i, j, k] + share * (cells[i + 1, j, k] - cells[i, j, k])
    last_x, last_z = np.float32(columns - 1.001), np.float32(layers - 1.001)
    for x in range(stop.size):
        px = min(max(gx + np.float32(x) * step, _ZERO), last_x)
        pz = min(max((stop[x] - grid_start) * per_layer, _ZERO), last_z)
        m, n = min(np.uint32(px), np.uint32(columns - 2)), min(np.uint32(pz), np.uint32(layers - 2))
        fx, fz = px - np.float32(m), pz - np.float32(n)
        a = plane[m, n] + fz * (plane[m, n + np.uint32(1)] - plane[m, n])
        b = plane[m + np.uint32(1), n] + fz * (plane[m + np.uint32(1), n + np.uint32(1)] - plane[m + np.uint32(1), n])
        ev[x] = a + fx * (b - a) + stretch * stop[x]


@nb.njit(fastmath=True, error_model="numpy")
def _grid_row(cells, at, about, place_y, first, stretch, stop, ev):
    """`_grid_ev` of the grid that ``at`` and ``about`` tell of, for the row at ``place_y`` from a column on."""
    start, rows, columns, layers = at[0], at[1], at[2], at[3]
    grid = cells[start : start + rows * columns * layers].reshape(rows, columns, layers)
    gy, gx, step = np.float32(place_y / about[0] + 1.0), np.float32(about[1] + first * about[2]), np.float32(about[2])
    _grid_ev(grid, gy, gx, step, np.float32(about[3]), np.float32(about[4]), stretch, stop, ev)


@nb.njit(fastmath=True, error_model="numpy")
def _stops(r, g, b, floor, stop):
    for x in range(stop.size):
        stop[x] = log2(max(_LR * r[x] + _LG * g[x] + _LB * b[x], floor))


@nb.njit(fastmath=True, error_model="numpy")
def _map(r, g, b, m, mask, masked):
    m00, m01, m02, m10, m11, m12, m20, m21, m22 = m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8]
    for x in range(r.size):
        red, green, blue = r[x], g[x], b[x]
        w = np.float32(mask[x]) * _SHARE if masked else _ONE
        r[x] += w * (m00 * red + m01 * green + m02 * blue - red)
        g[x] += w * (m10 * red + m11 * green + m12 * blue - green)
        b[x] += w * (m20 * red + m21 * green + m22 * blue - blue)


@nb.njit(fastmath=True, error_model="numpy")
def _map_all(r, g, b, m):
    m00, m01, m02, m10, m11, m12, m20, m21, m22 = m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8]
    for x in range(r.size):
        red, green, blue = r[x], g[x], b[x]
        r[x] = m00 * red + m01 * green + m02 * blue
        g[x] = m10 * red + m11 * green + m12 * blue
        b[x] = m20 * red + m21 * green + m22 * blue


@nb.njit(fastmath=True, error_model="numpy")
def _sum(ev, more, factor, mask, masked):
    if masked:
        share = factor * _SHARE
        for x in range(ev.size):
            ev[x] += more[x] * (np.float32(mask[x]) * share)
    else:
        for x in range(ev.size):
            ev[x] += factor * more[x]


@nb.njit(fastmath=True, error_model="numpy")
def _gained(ev, by, mask):
    share = by * _SHARE
    for x in range(ev.size):
        ev[x] += share * np.float32(mask[x])


@nb.njit(fastmath=True, error_model="numpy")
def _each(colour, table, ev, mask, masked):
    """A colour brightened by the EV of a table at its own stop."""
    if masked:
        for x in range(colour.size):
            stop = log2(max(abs(colour[x]), _TINY)) + ev[x]
            colour[x] *= exp2(lookup(table, stop) * np.float32(mask[x]) * _SHARE)
    else:
        for x in range(colour.size):
            colour[x] *= exp2(lookup(table, log2(max(abs(colour[x]), _TINY)) + ev[x]))


#: However thick it is taken to be, so much of the light comes through haze: noise would be all that is left.
_LEAST_THROUGH = np.float32(0.4)


@nb.njit(fastmath=True, error_model="numpy")
def _clear(r, g, b, haze, share, air_r, air_g, air_b, mask, masked):
    """Take a share of the haze away, or add it; ``haze`` is how much of the light is airlight."""
    for x in range(r.size):
        through = max(_ONE - share * min(max(haze[x], _ZERO), _ONE), _LEAST_THROUGH)
        w = np.float32(mask[x]) * _SHARE if masked else _ONE
        if share > _ZERO:
            k = _ONE / through
            red, green, blue = (r[x] - air_r) * k + air_r, (g[x] - air_g) * k + air_g, (b[x] - air_b) * k + air_b
            # What is darker than the airlight lets it be was misjudged: some of it is left.
            least = np.float32(0.1)
            red, green, blue = max(red, least * r[x]), max(green, least * g[x]), max(blue, least * b[x])
        else:
            k = _ONE / (_ONE - share * min(max(haze[x], _ZERO), _ONE))
            red, green, blue = (
                r[x] * k + air_r * (_ONE - k),
                g[x] * k + air_g * (_ONE - k),
                b[x] * k + air_b * (_ONE - k),
            )
        r[x] += w * (red - r[x])
        g[x] += w * (green - g[x])
        b[x] += w * (blue - b[x])


@nb.njit(fastmath=True, error_model="numpy")
def _cleaned(r, g, b, red, green, blue, share, kept, mask, masked):
    """Take noise out: a share of its luminance, which is the same in all colours, and a larger one of the rest.

    ``kept`` is the energy of colour noise that may stay where as much of luminance's may as 1; see
    `crenn.core.render.noise_visibility`.
    """
    for x in range(r.size):
        w = np.float32(mask[x]) * _SHARE if masked else _ONE
        y = _LR * red[x] + _LG * green[x] + _LB * blue[x]
        a = share[x]
        grey, colour = w * a * y, w * a / max(a + kept * (_ONE - a), _TINY)
        r[x] -= grey + colour * (red[x] - y)
        g[x] -= grey + colour * (green[x] - y)
        b[x] -= grey + colour * (blue[x] - y)


@nb.njit(fastmath=True, error_model="numpy")
def _own_stops(r, g, b, taken, floor, masked, own):
    """To which stop places belong: told best by what is left once all noise is taken."""
    red, green, blue = taken
    for x in range(own.size):
        light = _LR * r[x] + _LG * g[x] + _LB * b[x]
        if not masked:
            light -= _LR * red[x] + _LG * green[x] + _LB * blue[x]
        own[x] = log2(max(light, floor))


@nb.njit(fastmath=True, error_model="numpy")
def _tinted(r, g, b, red, green, blue, factor, mask, masked):
    for x in range(r.size):
        f = factor * np.float32(mask[x]) * _SHARE if masked else factor
        y = _LR * r[x] + _LG * g[x] + _LB * b[x]
        one, two, three = r[x] * exp2(f * red[x]), g[x] * exp2(f * green[x]), b[x] * exp2(f * blue[x])
        after = _LR * one + _LG * two + _LB * three
        k = y / after if after > _TINY and y > _TINY else _ONE
        r[x], g[x], b[x] = one * k, two * k, three * k


@nb.njit(fastmath=True, error_model="numpy")
def _lie(r, g, b, ev, other, mask, added):
    """Other light, (w, 3), in the place of what is there by now, or added to it; EV so far are applied."""
    for x in range(r.size):
        w = np.float32(mask[x]) * _SHARE
        k = exp2(ev[x]) * (_ONE if added else _ONE - w)
        r[x], g[x], b[x] = k * r[x] + w * other[x, 0], k * g[x] + w * other[x, 1], k * b[x] + w * other[x, 2]
        ev[x] = _ZERO


@nb.njit(fastmath=True, error_model="numpy")
def _taken_shares(index, cells, cells_at, grids, place_y, first, own, shares):
    """Shares of the noise that are taken out: by how much places are lifted where there is a grid of it, or all."""
    shares[:] = _ONE
    if index >= 0:
        _grid_row(cells, cells_at[index], grids[index], place_y, first, _ZERO, own, shares)


@nb.njit(fastmath=True, error_model="numpy")
def _recoloured(work, first, last, table, table_at, index, cells, cells_at, grids, place_y, mask, masked):
    """Change the colours of part of the row that `run_row` works on by a table, at each place as far as a grid tells
    if ``index`` is not negative."""
    light, a, b, ev = work[0, first:last], work[1, first:last], work[2, first:last], work[3, first:last]
    base, more = work[4, first:last], work[6, first:last]
    brighter, across, along = work[7, first:last], work[8, first:last], work[9, first:last]
    was_a, was_b, was_ev = work[10, first:last], work[11, first:last], work[12, first:last]
    share = more[:0]
    if index >= 0:
        _grid_row(cells, cells_at[index], grids[index], place_y, first, _ZERO, base, more)
        share = more
    stops = base if table_at[2] > _ZERO else base[:0]
    begins, per_stop = table_at[0], table_at[1]
    # What an area has in the place of what all of the picture went through looks at the colours that entered that.
    if table_at[3] == _ZERO:
        was_a[:], was_b[:], was_ev[:] = a, b, ev
    look_up(
        light, was_a, was_b, was_ev, stops, table, begins, per_stop, work[13:16, first:last], brighter, across, along
    )
    recolour(light, was_a, was_b, brighter, across, along, share, mask, masked, a, b, ev)


@nb.njit(inline="always", error_model="numpy")
def _columns(spans, area, y, width):
    """The columns of a row that an instruction acts in: the first, and the first after them."""
    if area < 0:
        return np.int64(0), np.int64(width)
    return np.int64(spans[area, y, 0]), np.int64(spans[area, y, 1])


@nb.njit(fastmath=True, error_model="numpy")
def run_row(inputs, y, work):
    """Run a program over a row; `work` holds red, green, blue and EV (not applied yet) in its first four rows.

    Parameters
    ----------
    inputs : crenn.core.render.encode.KernelInputs
    y : int
        Row of the window.
    work : ndarray, float32 (ROWS, w)
    """
    rgb, floor = inputs.light[y], inputs.floor
    codes, numbers, tables, planes = inputs.codes, inputs.numbers, inputs.tables, inputs.planes
    cells, cells_at, grids = inputs.cells, inputs.cells_at, inputs.grids
    # Row of the picture of the middle of this one, in full-size pixels.
    place_y = inputs.top + (y + 0.5) * inputs.per_row
    r, g, b, ev, base, own, more = work[0], work[1], work[2], work[3], work[4], work[5], work[6]
    width = rgb.shape[0]
    for x in range(width):
        r[x], g[x], b[x], ev[x] = rgb[x, 0], rgb[x, 1], rgb[x, 2], _ZERO
    # Steps that clean come before all that reads a grid, and tell the stops anew.
    if inputs.based:
        _stops(r, g, b, floor, base)
    fresh, in_oklab = False, False
    for i in range(codes.shape[0]):
        operation, area = codes[i, OPERATION], codes[i, AREA]
        masked = area >= 0
        first, last = _columns(inputs.spans, area, y, width)
        if first >= last:
            continue
        mask = inputs.masks[max(area, 0), y if masked else np.int64(0), first:last]
        if in_oklab and operation not in (_COLOUR, _GAIN, _GRID, _ADD):
            out_of_oklab(r, g, b)
            in_oklab = False
        if operation == _MATRIX:
            if masked:
                _map(r[first:last], g[first:last], b[first:last], numbers[i], mask, masked)
            else:
                _map_all(r, g, b, numbers[i])
            fresh = False
        elif operation == _GAIN:
            _gained(ev[first:last], numbers[i, 0], mask)
        elif operation == _CURVE:
            if not fresh:
                _stops(r, g, b, _TINY, own)
                fresh = True
            table = tables[codes[i, TABLE]]
            for x in range(first, last):
                more[x] = lookup(table, own[x] + ev[x])
            _sum(ev[first:last], more[first:last], _ONE, mask, masked)
        elif operation == _CHANNELS:
            n = codes[i, TABLE]
            _each(r[first:last], tables[n], ev[first:last], mask, masked)
            _each(g[first:last], tables[n + 1], ev[first:last], mask, masked)
            _each(b[first:last], tables[n + 2], ev[first:last], mask, masked)
            fresh = False
        elif operation == _TINT:
            _tinted(
                r[first:last],
                g[first:last],
                b[first:last],
                planes[codes[i, PLANE], y, first:last],
                planes[codes[i, PLANE + 1], y, first:last],
                planes[codes[i, PLANE + 2], y, first:last],
                numbers[i, 0],
                mask,
                masked,
            )
            fresh = False
        elif operation == _CLEAN:
            n = np.int64(codes[i, MIX])
            taken = planes[n, y, first:last], planes[n + 1, y, first:last], planes[n + 2, y, first:last]
            red, green, blue = r[first:last], g[first:last], b[first:last]
            _own_stops(red, green, blue, taken, floor, masked, own[first:last])
            index = codes[i, GRID]
            _taken_shares(index, cells, cells_at, grids, place_y, first, own[first:last], more[first:last])
            _cleaned(red, green, blue, taken[0], taken[1], taken[2], more[first:last], numbers[i, 0], mask, masked)
            base[first:last] = own[first:last]
            fresh = False
        elif operation == _COLOUR:
            if not in_oklab:
                into_oklab(r, g, b)
                in_oklab, fresh = True, False
            n = codes[i, COLOURS]
            table, table_at = inputs.colours[n], inputs.colours_at[n]
            index = codes[i, GRID]
            _recoloured(work, first, last, table, table_at, index, cells, cells_at, grids, place_y, mask, masked)
        elif operation in (_GRID, _HAZE):
            index = codes[i, GRID]
            stretch = np.float32(grids[index, 5])
            _grid_row(cells, cells_at[index], grids[index], place_y, first, stretch, base[first:last], more[first:last])
            if operation == _HAZE:
                share, air = numbers[i, 0], numbers[i, 1:4]
                _clear(
                    r[first:last],
                    g[first:last],
                    b[first:last],
                    more[first:last],
                    share,
                    air[0],
                    air[1],
                    air[2],
                    mask,
                    masked,
                )
                fresh = False
            else:
                _sum(ev[first:last], more[first:last], _ONE, mask, masked)
        elif operation == _LAY:
            other = inputs.laid[codes[i, PLANE], y, first:last]
            _lie(r[first:last], g[first:last], b[first:last], ev[first:last], other, mask, numbers[i, 0] > _ZERO)
            fresh = False
        elif operation == _ADD:
            _sum(ev[first:last], planes[codes[i, PLANE], y, first:last], numbers[i, 0], mask, masked)
    if in_oklab:
        out_of_oklab(r, g, b)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def light_of(inputs, out):
    """Scene-linear light after a program in ``out``, float32 (h, w, 3); ``inputs`` as of `run_row`."""
    for y in nb.prange(out.shape[0]):
        work = np.empty((ROWS, out.shape[1]), np.float32)
        run_row(inputs, np.int64(y), work)
        for x in range(out.shape[1]):
            k = exp2(work[3, x])
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = work[0, x] * k, work[1, x] * k, work[2, x] * k
