"""Blends what is copied into its place: gradients are kept, and the border is met.

Poisson image editing (Pérez, Gangnet and Blake 2003) for copies of many shifts: what is solved for is the departure
from the copy, so that where one shift is used all over it is the membrane of mean-value cloning. The equations are
solved by conjugate gradients, preconditioned by a multigrid cycle over blocks of pixels (Braess 1995, "Towards
algebraic multigrid for elliptic problems of second order").
"""

import cv2
import numba as nb
import numpy as np

from crenn.core.progress import Progress

#: Steps at most, and by how much what the equations lack is to fall; sweeps before and after what is coarse, sweeps at
#: the coarsest size, and half of what is coarser than that.
_MOST, _NEAR, _SWEEPS, _ALONE, _LEAST = 40, 1e-2, 2, 30, 2
#: Deviation by which a border is blurred along which copies are fitted, in pixels.
_EVEN = 1.5
#: Differences of the even scale from which on a border is not met, or a seam closed: other things meet there.
_BLEEDS, _PARTS = np.float32(0.6), np.float32(1.2)
_CROSS = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.float32)


def departure(
    picture: np.ndarray, hole: np.ndarray, origin: np.ndarray, progress: Progress | None = None
) -> np.ndarray:
    """What is to be added to a copy so that it keeps the gradients of what was copied and meets its border.

    Parameters
    ----------
    picture : ndarray, float32 (h, w, C)
    hole : ndarray, bool (h, w)
        Where it borders on the picture's edge nothing is met.
    origin : ndarray, int32 (h, w, 2)
        Rows and columns that pixels are copied from.
    progress : Progress, optional

    Returns
    -------
    ndarray, float32 (h, w, C)
        Nothing outside of the hole.
    """
    copied = picture.copy()
    copied[hole] = picture[origin[hole, 0], origin[hole, 1]]
    even = evened(picture, (~hole).astype(np.float32))
    target = np.zeros_like(picture)
    firm = np.zeros(hole.shape, np.float32)
    _equations(picture, even, copied, hole, origin, target, firm)
    return _solved_within(hole, firm, target, progress or Progress())


def membrane(picture: np.ndarray, hole: np.ndarray, copied: np.ndarray) -> np.ndarray:
    """`departure` of a copy that is known around the hole as well: what is missing at the border, spread inwards.

    Parameters
    ----------
    picture, copied : ndarray, float32 (h, w, C)
    hole : ndarray, bool (h, w)

    Returns
    -------
    ndarray, float32 (h, w, C)
    """
    known = (~hole).astype(np.float32)
    missing = np.where(hole[..., None], np.float32(0), evened(picture - copied, known))
    # Where the copy goes on otherwise than what lies around, its border is not to be met: it would bleed inwards.
    weight = np.where(hole, np.float32(0), 1 / (1 + (np.abs(missing).max(-1) / _BLEEDS) ** 2)).astype(np.float32)
    firm = np.where(hole, cv2.filter2D(weight, -1, _CROSS, borderType=cv2.BORDER_CONSTANT), 0).astype(np.float32)
    target = cv2.filter2D(missing * weight[..., None], -1, _CROSS, borderType=cv2.BORDER_CONSTANT)
    target = np.where(hole[..., None], target.reshape(picture.shape), np.float32(0))
    return _solved_within(hole, firm, target, Progress())


def evened(picture: np.ndarray, known: np.ndarray, sigma: float = _EVEN) -> np.ndarray:
    """A picture, float32 (h, w, C), blurred by what is known of it alone, float32 (h, w): borders are met in the mean,
    not in every grain."""
    sums = cv2.GaussianBlur(picture * known[..., None], (0, 0), sigma).reshape(picture.shape)
    return np.asarray(sums / np.maximum(cv2.GaussianBlur(known, (0, 0), sigma), 1e-6)[..., None], np.float32)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _equations(picture, even, copied, hole, origin, target, firm):
    """Right sides of the equations, and how firmly each pixel is held by the hole's border."""
    height, width, planes = picture.shape
    step = np.empty(planes, np.float32)
    for y in range(height):
        for x in range(width):
            if not hole[y, x]:
                continue
            sy, sx = origin[y, x, 0], origin[y, x, 1]
            for k in range(4):
                dy, dx = (0, 0, 1, -1)[k], (1, -1, 0, 0)[k]
                ny, nx = y + dy, x + dx
                if ny < 0 or nx < 0 or ny >= height or nx >= width:
                    continue
                ay, ax = sy + dy, sx + dx
                inside = 0 <= ay < height and 0 <= ax < width
                most = np.float32(0)
                if hole[ny, nx]:
                    by, bx = origin[ny, nx, 0] - dy, origin[ny, nx, 1] - dx
                    whole = 0 <= by < height and 0 <= bx < width
                    if by == sy and bx == sx:
                        continue
                    for c in range(planes):
                        # The gradient that is wanted: the mean of what both sides' copies say.
                        have = copied[y, x, c] - copied[ny, nx, c]
                        one = copied[y, x, c] - picture[ay, ax, c] if inside else have
                        two = picture[by, bx, c] - copied[ny, nx, c] if whole else have
                        step[c] = np.float32(0.5) * (one + two) - have
                        most = max(most, abs(step[c]))
                    share = np.float32(1) / (np.float32(1) + (most / _PARTS) ** 2)
                else:
                    for c in range(planes):
                        step[c] = even[ny, nx, c] - even[ay, ax, c] if inside else np.float32(0)
                        most = max(most, abs(step[c]))
                    # Where the copy goes on otherwise than what lies there, it would bleed inwards.
                    share = np.float32(1) / (np.float32(1) + (most / _BLEEDS) ** 2)
                    firm[y, x] += share
                for c in range(planes):
                    target[y, x, c] += share * step[c]


def _solved_within(hole: np.ndarray, firm: np.ndarray, target: np.ndarray, progress: Progress) -> np.ndarray:
    """The solution, float32 like ``target``, worked out in the box of the hole alone."""
    out = np.zeros_like(target)
    rows, columns = np.flatnonzero(hole.any(1)), np.flatnonzero(hole.any(0))
    if rows.size:
        box = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
        inside, held, right = (np.ascontiguousarray(v[box]) for v in (hole, firm, target))
        across, down = np.zeros(inside.shape, np.float32), np.zeros(inside.shape, np.float32)
        across[:, :-1], down[:-1] = inside[:, :-1] & inside[:, 1:], inside[:-1] & inside[1:]
        out[box] = _conjugate(held, across, down, right, progress)
    return out


def _conjugate(
    firm: np.ndarray, across: np.ndarray, down: np.ndarray, target: np.ndarray, progress: Progress
) -> np.ndarray:
    """The solution by conjugate gradients, each plane for itself, with a V-cycle before each step.

    ``across`` and ``down`` are how strongly pixels hang on those after and below them, ``firm`` on the border.
    """

    def dot(one: np.ndarray, other: np.ndarray) -> np.ndarray:
        return np.asarray((one * other).sum((0, 1), dtype=np.float64))

    out, left = np.zeros_like(target), target.copy()
    before = dot(left, left)
    along = np.zeros_like(target)
    last = np.ones(target.shape[2])
    for step in range(_MOST):
        better = np.zeros_like(target)
        _cycle(firm, across, down, left, better)
        now = dot(left, better)
        along = better + (0.0 if step == 0 else (now / np.maximum(last, 1e-30)).astype(np.float32)) * along
        pulled = np.empty_like(target)
        _residual(firm, across, down, np.zeros_like(target), along, pulled)
        # What an answer lacks falls by what its equations make of the step.
        far = (now / np.maximum(-dot(along, pulled), 1e-30)).astype(np.float32)
        out += far * along
        left += far * pulled
        last = now
        lacks = float(np.max(np.sqrt(dot(left, left) / np.maximum(before, 1e-30))))
        if lacks <= _NEAR:
            break
        progress.at(float(np.clip(np.log(lacks) / np.log(_NEAR), 0, 1)), "blending a mend")
    return out


def _cycle(firm: np.ndarray, across: np.ndarray, down: np.ndarray, target: np.ndarray, out: np.ndarray) -> None:
    """Bring ``out`` nearer to the solution, in place: by sweeps that even out what is fine, and for blocks of four
    pixels together what is coarse."""
    small = min(firm.shape) < 2 * _LEAST
    for _ in range(_ALONE if small else _SWEEPS):
        _sweep(firm, across, down, target, 0, out)
        _sweep(firm, across, down, target, 1, out)
    if small:
        return
    left = np.empty_like(target)
    _residual(firm, across, down, target, out, left)
    coarse_down = _blocks(down)[:, 1].sum(-1)
    coarse_across = _blocks(across)[..., 1].sum(1)
    held = _blocks(firm).sum((1, 3))
    sums = np.dstack([_blocks(left[..., c]).sum((1, 3)) for c in range(left.shape[2])])
    coarse = np.zeros_like(sums)
    _cycle(held, np.ascontiguousarray(coarse_across), np.ascontiguousarray(coarse_down), sums, coarse)
    _corrected(coarse, out)
    for _ in range(_SWEEPS):
        _sweep(firm, across, down, target, 1, out)
        _sweep(firm, across, down, target, 0, out)


def _blocks(plane: np.ndarray) -> np.ndarray:
    """A plane (h, w) in blocks of two by two, float32 (h', 2, w', 2); nothing beyond its edges."""
    height, width = plane.shape
    padded = np.pad(plane, ((0, height % 2), (0, width % 2)))
    return padded.reshape((height + 1) // 2, 2, (width + 1) // 2, 2)


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _residual(firm, across, down, target, found, left):
    """What the equations lack."""
    height, width, planes = found.shape
    for y in nb.prange(height):
        for x in range(width):
            for c in range(planes):
                own = found[y, x, c]
                total = target[y, x, c] - firm[y, x] * own
                if y > 0:
                    total += down[y - 1, x] * (found[y - 1, x, c] - own)
                if y < height - 1:
                    total += down[y, x] * (found[y + 1, x, c] - own)
                if x > 0:
                    total += across[y, x - 1] * (found[y, x - 1, c] - own)
                if x < width - 1:
                    total += across[y, x] * (found[y, x + 1, c] - own)
                left[y, x, c] = total


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _corrected(coarse, out):
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(out.shape[2]):
                out[y, x, c] += coarse[y // 2, x // 2, c]


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _sweep(firm, across, down, target, parity, out):
    """Relax every second pixel."""
    height, width, planes = out.shape
    for y in nb.prange(height):
        for x in range((y + parity) % 2, width, 2):
            above = down[y - 1, x] if y > 0 else np.float32(0)
            before = across[y, x - 1] if x > 0 else np.float32(0)
            below, behind = down[y, x], across[y, x]
            links = firm[y, x] + above + below + before + behind
            if links <= np.float32(1e-12):
                continue
            share = np.float32(1) / links
            for c in range(planes):
                total = target[y, x, c]
                if above > 0:
                    total += above * out[y - 1, x, c]
                if below > 0:
                    total += below * out[y + 1, x, c]
                if before > 0:
                    total += before * out[y, x - 1, c]
                if behind > 0:
                    total += behind * out[y, x + 1, c]
                out[y, x, c] = share * total
