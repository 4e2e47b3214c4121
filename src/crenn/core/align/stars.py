"""Registers frames of a turning sky on their stars."""

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.optimize import least_squares
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from crenn.core.geometry.lens import Lens
from crenn.core.geometry.mapping import Mesh

#: At most this many stars of a frame take part.
_MOST = 500
#: A frame with fewer point-like lights on even ground is no picture of stars.
_FEWEST = 25
#: Ground is even where such a share of the pixels around depart from it by no more than so many deviations of noise,
#: and a part of its light; so many of the lights must lie there.
_EVEN, _NOISE, _PART, _ON_EVEN = 0.7, 4.0, 0.03, 0.6
#: Surroundings of a light, as a share of the picture's width.
_SURROUNDINGS = 0.06
#: A sky turns evenly if this share of its frames lie within so many pixels, or that share of their way, of where they
#: would if it did.
_STEADY, _OFF, _OFF_SHARE = 0.6, 1.5, 0.12
#: The sky turns once in a sidereal day, in radians per second; a lens of unknown view makes it seem to turn so many
#: times slower or faster.
_TURN, _SLOWER, _FASTER = 2 * np.pi / 86164.0, 4.0, 15.0
#: Tangent of half the horizontal view that a lens is first taken to have.
_TANGENT = 0.7
#: A star and its partner lie within this many pixels of each other once registered.
_NEAR = 2.0
#: At least this share of the stars must be found again.
_AGREE = 0.25


@dataclass(frozen=True)
class Stars:
    """Point lights of a frame, the brightest first.

    Attributes
    ----------
    places : ndarray, float64 (N, 2)
        Full-size pixels.
    light : ndarray, float32 (N,)
    on_even : ndarray, bool (N,)
        Whether the ground around is even: it departs from its mean by no more than noise.
    even : float
        Share of the picture that is.
    """

    places: np.ndarray
    light: np.ndarray
    on_even: np.ndarray
    even: float

    def __len__(self) -> int:
        return len(self.places)


@dataclass(frozen=True)
class SkyFit:
    """How the sky of each frame lies against the reference frame's.

    Attributes
    ----------
    lens : Lens
    rotations : ndarray, float64 (K, 3)
        Rotation vectors of the sky's directions, from the reference frame's to each frame's; NaN if not found.
    error : ndarray, float64 (K,)
        Deviation of the stars from their places, in pixels: the median.
    pairs : ndarray, int (K,)
        Stars found again.
    """

    lens: Lens
    rotations: np.ndarray
    error: np.ndarray
    pairs: np.ndarray

    def mesh(self, frame: int) -> Mesh:
        """From the reference frame's pixels to a frame's, for the sky."""
        turn = Rotation.from_rotvec(self.rotations[frame]).as_matrix()
        width, height = self.lens.size
        return Mesh.of(lambda p: self.lens.pixels(self.lens.directions(p) @ turn.T), (height, width))


def find_stars(luma: np.ndarray, deviation: float, factor: int, slope: float = 0.0) -> Stars:
    """Find point lights.

    Parameters
    ----------
    luma : ndarray, float32 (h, w)
        Mean of all colours at a reduced size.
    deviation : float
        Its noise in the dark.
    factor : int
        Full-size pixels per pixel of ``luma``.
    slope : float
        By which the variance of its noise grows with light.

    Returns
    -------
    Stars
        Places by a parabola through the logarithm of the peak and its neighbours.
    """
    background = cv2.medianBlur(luma, 5)
    smooth = cv2.GaussianBlur(luma, (0, 0), 0.8)
    wide = cv2.GaussianBlur(background, (0, 0), 6.0)
    excess = smooth - wide
    spread = 1.4826 * float(np.median(np.abs(excess[::3, ::3])))
    peak = (excess == cv2.dilate(excess, np.ones((5, 5)))) & (excess > 7 * max(spread, 0.3 * deviation))
    peak[:4], peak[-4:], peak[:, :4], peak[:, -4:] = False, False, False, False
    ys, xs = np.nonzero(peak)
    # A point's light falls off alike on all sides; edges and lit walls do not.
    c = excess[ys, xs]
    ring = np.stack(
        [excess[ys + dy, xs + dx] for dy, dx in ((-2, 0), (2, 0), (0, -2), (0, 2), (-2, -2), (2, 2), (-2, 2), (2, -2))]
    )
    point = (ring.max(0) < 0.45 * c) & (ring.min(0) > -0.5 * c)
    ys, xs, c = ys[point], xs[point], c[point]
    order = np.argsort(-c)[:_MOST]
    ys, xs, c = ys[order], xs[order], c[order]

    def offset(before, after):
        a, m, b = (np.log(np.maximum(v, 0.02 * c)) for v in (before, c, after))
        bend = a - 2 * m + b
        return np.clip(0.5 * (a - b) / np.where(np.abs(bend) > 1e-6, bend, -1e-6), -0.7, 0.7)

    x = xs + offset(excess[ys, xs - 1], excess[ys, xs + 1])
    y = ys + offset(excess[ys - 1, xs], excess[ys + 1, xs])
    places = np.stack([x, y], -1) * factor + (factor - 1) / 2
    # Smoothing by a Gaussian leaves 1 / (4 pi sigma²) of the variance.
    noise = np.sqrt((deviation**2 + slope * np.maximum(wide, 0)) / (4 * np.pi * 0.8**2))
    even = (np.abs(excess) < _NOISE * noise + _PART * np.maximum(wide, 0)).astype(np.float32)
    side = max(round(_SURROUNDINGS * luma.shape[1]), 9) | 1
    around = cv2.blur(even, (side, side), borderType=cv2.BORDER_REFLECT_101) > _EVEN
    return Stars(places, c, around[ys, xs], float(around.mean()))


def is_star_field(stars: Stars) -> bool:
    """Whether a frame shows a sky of stars, many on dark and even ground, rather than lamps, windows or glints."""
    return int(stars.on_even.sum()) >= max(_FEWEST, _ON_EVEN * len(stars))


def turning_rate(fit: "SkyFit", times: np.ndarray, reference: int) -> np.ndarray:
    """How a sky turns: rotation vector per second, float64 (3,), the median over frames found; zeros where none was."""
    since = times - times[reference]
    known = (fit.pairs > 0) & (since != 0)
    return np.median(fit.rotations[known] / since[known, None], axis=0) if known.any() else np.zeros(3)


def turns_evenly(fit: "SkyFit", times: np.ndarray, reference: int, clocked: bool) -> bool:
    """Whether what was fitted turns as a sky does: about one pole, by what the times between frames say.

    Parameters
    ----------
    fit : SkyFit
    times : ndarray, float64 (K,)
        Moments of the frames, in seconds.
    reference : int
    clocked : bool
        Whether the times are those of a clock; else they tell the frames' order alone.
    """
    known = [k for k in range(len(times)) if k != reference and fit.pairs[k] > 0 and times[k] != times[reference]]
    if not known:
        return False
    since = times[known] - times[reference]
    rate = turning_rate(fit, times, reference)
    if clocked and not _TURN / _SLOWER < np.linalg.norm(rate) < _TURN * _FASTER:
        return False
    width, height = fit.lens.size
    grid = np.stack(np.meshgrid(np.linspace(0, width, 5), np.linspace(0, height, 4)), -1).reshape(-1, 2)
    steady = 0
    for k, seconds in zip(known, since):
        found, foretold = (_turned(fit.lens, turn, grid) for turn in (fit.rotations[k], rate * seconds))
        way, off = (float(np.median(np.hypot(*(found - other).T))) for other in (grid, foretold))
        steady += off <= max(_OFF, _OFF_SHARE * way)
    return steady >= _STEADY * len(known)


def _similarity(a: np.ndarray, b: np.ndarray, reach: float) -> np.ndarray | None:
    """Similarity (2, 3) that maps most points of ``a`` onto points of ``b``, no farther apart than ``reach`` before."""
    rng = np.random.default_rng(1)
    n = min(len(a), len(b), 150)
    a, b = a[:n], b[:n]
    tree = cKDTree(b)
    near = tree.query_ball_point(a, reach)
    pairs = np.array([(i, j) for i, partners in enumerate(near) for j in partners])
    if len(pairs) < 4:
        return None
    best, most = None, 0
    for _ in range(3000):
        p, q = pairs[rng.integers(len(pairs), size=2)]
        da, db = a[q[0]] - a[p[0]], b[q[1]] - b[p[1]]
        length = np.hypot(*da)
        if length < 0.15 * np.ptp(a, axis=0).max():
            continue
        z = complex(*db) / complex(*da)
        if abs(abs(z) - 1) > 0.01:
            continue
        turn = np.array([[z.real, -z.imag], [z.imag, z.real]])
        shift = b[p[1]] - turn @ a[p[0]]
        distance, _ = tree.query(a @ turn.T + shift, distance_upper_bound=3 * _NEAR)
        count = int(np.isfinite(distance).sum())
        if count > most:
            best, most = np.column_stack([turn, shift]), count
            if most > 0.7 * n:
                break
    # As many pairs as chance would give prove nothing.
    area = max(float(np.prod(np.ptp(b, axis=0))), 1.0)
    chance = n * (1 - np.exp(-len(b) * np.pi * (3 * _NEAR) ** 2 / area))
    return best if most >= max(8, 0.2 * n, 2.5 * chance) else None


def fit_sky(stars: list[Stars], times: np.ndarray, reference: int, size: tuple[int, int]) -> SkyFit:
    """Fit one lens and a rotation of the sky for each frame.

    Stars are matched from neighbour to neighbour in time; then the lens' view and distortion and all rotations are
    refined together, with a loss that grows linearly for wrong pairs.

    Parameters
    ----------
    stars : list of Stars (K,)
    times : ndarray, float64 (K,)
        Moments of the frames, in seconds.
    reference : int
    size : tuple of int
        (width, height).
    """
    count = len(stars)
    width = size[0]
    lens = Lens(_TANGENT, size)
    rotations = np.full((count, 3), np.nan)
    rotations[reference] = 0.0
    home = stars[reference].places
    reach = max(0.03 * width, 12.0)
    order = sorted((k for k in range(count) if k != reference), key=lambda k: (abs(times[k] - times[reference]), k))
    matches: dict[int, tuple[np.ndarray, np.ndarray]] = {}
    for k in order:
        known = [i for i in range(count) if not np.isnan(rotations[i, 0])]
        near = min(known, key=lambda i: abs(times[i] - times[k]))
        # The sky turns evenly: what is known foretells where the stars are by now.
        guesses = []
        far = [i for i in known if i != reference and abs(times[i] - times[reference]) > 0]
        if far:
            last = max(far, key=lambda i: abs(times[i] - times[reference]))
            guesses.append(rotations[last] * (times[k] - times[reference]) / (times[last] - times[reference]))
        guesses.append(rotations[near])
        tree = cKDTree(stars[k].places)
        found = None
        for guess in guesses:
            foretold = _turned(lens, guess, home)
            found = _matched(foretold, tree, 3 * _NEAR)
            if found[0].size >= max(12, 0.4 * min(len(home), len(stars[k]))):
                break
            matrix = _similarity(foretold, stars[k].places, reach)
            found = None
            if matrix is not None:
                found = _matched(foretold @ matrix[:, :2].T + matrix[:, 2], tree, 3 * _NEAR)
                if found[0].size >= 8:
                    break
        if found is None or found[0].size < 8:
            continue
        a, b = lens.directions(home[found[0]]), lens.directions(stars[k].places[found[1]])
        a, b = (v / np.linalg.norm(v, axis=1, keepdims=True) for v in (a, b))
        rotations[k] = Rotation.align_vectors(b, a)[0].as_rotvec()
        matches[k] = found
    for last in (False, False, True):
        lens, rotations = _refine(lens, rotations, stars, matches, home)
        if last:
            break
        for k in list(matches):
            found = _matched(_turned(lens, rotations[k], home), cKDTree(stars[k].places), _NEAR)
            if found[0].size >= 8:
                matches[k] = found
    error, pairs = np.full(count, np.nan), np.zeros(count, int)
    error[reference], pairs[reference] = 0.0, len(home)
    for k, (i, j) in matches.items():
        away = np.hypot(*(_turned(lens, rotations[k], home[i]) - stars[k].places[j]).T)
        if np.median(away) > 1.0 or i.size < _AGREE * min(len(home), len(stars[k])):
            rotations[k] = np.nan
            continue
        error[k], pairs[k] = float(np.median(away)), i.size
    return SkyFit(lens, rotations, error, pairs)


def _turned(lens: Lens, rotation: np.ndarray, places: np.ndarray) -> np.ndarray:
    return lens.pixels(lens.directions(places) @ Rotation.from_rotvec(rotation).as_matrix().T)


def _matched(foretold: np.ndarray, tree: cKDTree, reach: float) -> tuple[np.ndarray, np.ndarray]:
    """Pairs (i, j) of places and their nearest neighbours, each used once."""
    distance, j = tree.query(foretold, distance_upper_bound=reach)
    i = np.flatnonzero(np.isfinite(distance))
    order = i[np.argsort(distance[i])]
    _, first = np.unique(j[order], return_index=True)
    i = order[first]
    return i, j[i]


def _refine(lens: Lens, rotations: np.ndarray, stars: list[Stars], matches: dict, home: np.ndarray):
    """Lens and rotations refined together."""
    frames = sorted(matches)
    if not frames:
        return lens, rotations
    size = lens.size
    counts = [matches[k][0].size for k in frames]

    def unpack(p):
        return Lens(float(np.exp(p[0])), size, float(p[1])), p[2:].reshape(-1, 3)

    def residuals(p):
        own, turns = unpack(p)
        out = []
        for turn, k in zip(turns, frames):
            i, j = matches[k]
            out.append((_turned(own, turn, home[i]) - stars[k].places[j]).ravel())
        # A little knowledge of lenses holds what short turns leave open.
        out.append([(p[0] - np.log(_TANGENT)) / 0.5, p[1] / 0.08])
        return np.concatenate(out)

    start = np.concatenate([[np.log(lens.tangent), lens.distortion], rotations[frames].ravel()])
    sparsity = np.zeros((2 * sum(counts) + 2, start.size), np.uint8)
    sparsity[:, :2] = 1
    row = 0
    for n, c in enumerate(counts):
        sparsity[row : row + 2 * c, 2 + 3 * n : 5 + 3 * n] = 1
        row += 2 * c
    fit = least_squares(
        residuals, start, loss="soft_l1", f_scale=0.3, jac_sparsity=sparsity, x_scale="jac", max_nfev=40
    )
    lens, turns = unpack(fit.x)
    rotations = rotations.copy()
    rotations[frames] = turns
    return lens, rotations
