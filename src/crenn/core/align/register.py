"""Finds the homography between two exposures of one view: a guess from features, refined on the light itself.

The light is compared on a scale that is linear within the noise and logarithmic above, only where both frames measured
it, with the weights of their noise and Tukey's biweight against what moved. Inverse compositional Gauss-Newton steps
(Baker and Matthews 2004) run from a small size up to half the mosaic's.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.align.places import normal_equations, sample, spreads, weights
from crenn.core.align.proxy import Level
from crenn.core.geometry.mapping import apply_homography

#: Frames whose places all lie within this many pixels were shot from a tripod: they are not touched.
_STILL = 0.12
#: A shift must better the fit by this much, in units of noise squared: nine free parameters fit some noise of their
#: own.
WORTH = 60.0
#: Agreement from which no further guesses are tried.
_SURE = 0.9
#: At most this many places take part, those with most to say.
_PLACES = 300_000
#: Sampling at half size folds detail back: a difference of this share of the local gradient is no error.
_ALIAS = 0.12
#: Deviations expected of a hand-held camera besides shift and rotation: scale and shear, and perspective at the
#: picture's
#: edge. They only matter where the frames share too little light to tell.
_PRIOR_SHAPE, _PRIOR_PERSPECTIVE = 0.005, 0.015


@dataclass
class Registration:
    """How one frame lies against another.

    Attributes
    ----------
    matrix : ndarray, float64 (3, 3)
        Homography from places of the fixed frame to those of the other, in pixels of the level's size.
    agreement : float
        Correlation of structure, tile by tile, relative to what the noise lets one expect; 1 is perfect.
    contrast : float
        Coarse gradients of the other frame relative to the fixed one.
    error : float
        Predicted deviation of a place in the median over the picture, in full-size pixels.
    places : int
        Places compared.
    extent : float
        How far over the picture the compared structure reaches, as a share of its width or height, the smaller.
    improvement : float
        By how much the sum of squared differences, in units of their noise, is less than with no shift at all.
    """

    matrix: np.ndarray
    agreement: float
    contrast: float
    error: float
    places: int
    extent: float = 1.0
    improvement: float = np.inf


def _scale(fixed: Level, other: Level) -> float:
    """Light below which the comparison is linear: deviations of the noisier frame enough that its noise is not bent."""
    both = fixed.variance[::4, ::4]
    return 8.0 * float(np.sqrt(max(np.quantile(both, 0.2), np.quantile(other.variance[::4, ::4], 0.2))))


class _Places:
    """The places of the fixed frame that have most to say about where the other lies."""

    def __init__(self, fixed: Level, other: Level, count: int):
        self.scale = np.float32(_scale(fixed, other))
        self.fixed, self.other = fixed, other
        self.t = np.arcsinh(fixed.light / self.scale)
        self.i = np.arcsinh(other.light / self.scale)
        slope2 = 1.0 / (fixed.light**2 + self.scale**2)
        # The other frame's noise is not known here before it is placed: its own at the same light stands in.
        typical = float(np.median(other.variance[::4, ::4] / np.maximum(fixed.variance[::4, ::4], 1e-30)))
        variance = fixed.variance * slope2 * (1 + max(typical, 0.05))
        weight = np.zeros(self.t.shape, np.float32)
        weights(
            self.t,
            variance,
            cv2.erode(fixed.valid.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0,
            np.float32(_ALIAS),
            weight,
        )
        # Weak places drop out, and no single object may rule: the picture is halved by rank within each tile.
        flat = weight.ravel()
        informative = np.flatnonzero(flat > 0.02)
        if informative.size > count:
            threshold = np.quantile(
                flat[informative[:: max(informative.size // 200_000, 1)]], 1 - count / informative.size
            )
            informative = informative[flat[informative] >= threshold]
        self.ys, self.xs = (a.astype(np.int32) for a in np.divmod(informative, self.t.shape[1]))
        self.target = self.t[self.ys, self.xs].astype(np.float64)
        self.gx = 0.5 * (self.t[self.ys, self.xs + 1] - self.t[self.ys, self.xs - 1]).astype(np.float64)
        self.gy = 0.5 * (self.t[self.ys + 1, self.xs] - self.t[self.ys - 1, self.xs]).astype(np.float64)
        self.noise = variance[self.ys, self.xs].astype(np.float64)
        # Noise of the fixed frame alone, which its gradients carry.
        self.own_noise = self.noise / (1 + max(typical, 0.05))
        self.variance = self.noise + _ALIAS**2 * (self.gx**2 + self.gy**2) + 1e-8
        self.plain_variance = self.variance
        height, width = self.t.shape
        self.half = width / 2
        self.cx, self.cy = (width - 1) / 2, (height - 1) / 2
        nx, ny = (self.xs - self.cx) / self.half, (self.ys - self.cy) / self.half
        self.nx, self.ny = nx, ny
        self.across, self.down = self.gx * self.half, self.gy * self.half

    @property
    def extent(self) -> float:
        """Share of the width or height, the smaller, over which most places spread."""
        if self.xs.size == 0:
            return 0.0
        height, width = self.t.shape
        return float(
            min(np.subtract(*np.quantile(v, (0.9, 0.1))) / n for v, n in ((self.xs, width), (self.ys, height)))
        )

    @property
    def normaliser(self) -> np.ndarray:
        """From pixels to units of half the width round the middle."""
        return np.array([[1 / self.half, 0, -self.cx / self.half], [0, 1 / self.half, -self.cy / self.half], [0, 0, 1]])

    def sampled(self, matrix: np.ndarray) -> np.ndarray:
        value = np.empty(self.xs.size, np.float64)
        sample(self.i, self.other.valid, self.xs, self.ys, np.ascontiguousarray(matrix, np.float64), value)
        return value

    def refine(self, matrix: np.ndarray, steps: int) -> tuple[np.ndarray, np.ndarray | None, int]:
        """Gauss-Newton steps: (matrix, inverse of the information or None, places used)."""
        n = self.normaliser
        information, used = np.eye(9), 0
        for step_count in range(steps):
            value = self.sampled(matrix)
            used = int(np.count_nonzero(value == value))
            if used < 60:
                return matrix, None, used
            step = max(value.size // 20_000, 1)
            r = value[::step] - self.target[::step]
            known = r == r
            if known.sum() < 20:
                step, r = 1, value - self.target
                known = r == r
            r, deviations = r[known], np.sqrt(self.variance[::step][known])
            centre = float(np.median(r))
            if step_count == 0:
                self._weigh_tiles(value, centre)
                deviations = np.sqrt(self.variance[::step][known])
            spread = max(1.4826 * float(np.median(np.abs(r - centre) / deviations)), 0.3)
            sums = normal_equations(
                value, self.target, self.variance, self.across, self.down, self.nx, self.ny, centre, spread
            ).sum(0)
            information, side = sums[:, :9], sums[:, 9]
            total = n @ matrix @ np.linalg.inv(n)
            total = total / total[2, 2]
            deviation = np.zeros(9)
            shear, scale = (total[0, 1] + total[1, 0]) / 2, (total[0, 0] + total[1, 1]) / 2 - 1
            stretch = (total[0, 0] - total[1, 1]) / 2
            deviation[1], deviation[5] = scale + stretch, scale - stretch
            deviation[2] = deviation[4] = shear
            deviation[6], deviation[7] = -total[2, 0], -total[2, 1]
            prior = np.zeros((9, 9))
            for a in (1, 5):
                prior[a, a] = _PRIOR_SHAPE**-2
            # Rotation enters these two with opposite signs and is free.
            prior[np.ix_((2, 4), (2, 4))] = 0.25 * _PRIOR_SHAPE**-2
            for a in (6, 7):
                prior[a, a] = _PRIOR_PERSPECTIVE**-2
            p = np.linalg.solve(information + prior + 1e-9 * np.eye(9), side + prior @ deviation)
            move = np.array([[1 + p[1], p[2], p[0]], [p[4], 1 + p[5], p[3]], [-p[6], -p[7], 1]])
            matrix = matrix @ np.linalg.inv(n) @ np.linalg.inv(move) @ n
            matrix = matrix / matrix[2, 2]
            information = information + prior
            if np.abs(p[:6]).max() * self.half * self.fixed.factor < 0.002:
                break
        return matrix, self._covariance(information), used

    def improvement(self, matrix: np.ndarray) -> float:
        """By how much a homography fits better than none: difference of the sums of squares, each up to 16."""
        a, b = self.sampled(np.eye(3)), self.sampled(matrix)
        known = (a == a) & (b == b)
        if not known.any():
            return np.inf
        sums = []
        for value in (a, b):
            r = (value - self.target)[known]
            sums.append(np.minimum((r - np.median(r)) ** 2 / self.plain_variance[known], 16.0).sum())
        # Where gradients are hardly above their noise, shifting also fits some of that: so much of the gain is not
        # real.
        clear = float(np.median((self.gx**2 + self.gy**2)[known] / self.noise[known]))
        return float(sums[0] - sums[1]) - (0.4 * known.sum() if clear < 8 else 0.0)

    def _covariance(self, information: np.ndarray) -> np.ndarray:
        """Inverse of the information without what only the noise of gradients put in."""
        step = max(self.xs.size // 20_000, 1)
        nx, ny, zero, one = (
            self.nx[::step],
            self.ny[::step],
            np.zeros(self.nx[::step].size),
            np.ones(self.nx[::step].size),
        )
        weight = np.sqrt(0.5 * step * self.own_noise[::step] / self.variance[::step]) * self.half
        across = np.stack([one, nx, ny, zero, zero, zero, nx * nx, nx * ny, zero], 1) * weight[:, None]
        down = np.stack([zero, zero, zero, one, nx, ny, nx * ny, ny * ny, zero], 1) * weight[:, None]
        values, vectors = np.linalg.eigh(information - across.T @ across - down.T @ down)
        return (vectors / np.maximum(values, 1e-9)) @ vectors.T

    def _weigh_tiles(self, value: np.ndarray, centre: float) -> None:
        """Widen the variance where a whole part of the picture differs by more than its noise: water, leaves."""
        tile = max(self.t.shape[1] // 24, 8)
        index = (self.ys // tile) * 1000 + self.xs // tile
        deviation = np.abs(value - self.target - centre) / np.sqrt(self.plain_variance)
        self.variance = self.plain_variance * spreads(deviation, index) ** 2

    def agreement(self, matrix: np.ndarray) -> float:
        """Correlation of the two frames' structure in tiles, relative to what their noise allows."""
        value = self.sampled(matrix)
        known = ~np.isnan(value)
        if known.sum() < 60:
            return 0.0
        a, b = self.target[known], value[known]
        noise = self.plain_variance[known]
        tile = max(self.t.shape[1] // 24, 8)
        index = (self.ys[known] // tile) * 1000 + self.xs[known] // tile
        _, index = np.unique(index, return_inverse=True)
        count = np.bincount(index).astype(np.float64)
        mean_a, mean_b = np.bincount(index, a) / count, np.bincount(index, b) / count
        da, db = a - mean_a[index], b - mean_b[index]
        saa, sbb, sab = np.bincount(index, da * da), np.bincount(index, db * db), np.bincount(index, da * db)
        enough = count >= 24
        if enough.sum() < 3:
            enough = count >= 8
        if not enough.any():
            return 0.0
        noise_tile = np.bincount(index, noise)
        expected = np.clip(1 - noise_tile / np.maximum(saa, 1e-12), 0.05, 1)
        sure = enough & (expected > 0.3)
        if sure.sum() < 3:
            sure = enough
        got = sab[sure] / np.sqrt(np.maximum(saa[sure] * sbb[sure], 1e-24))
        return float(np.median(np.clip(got / expected[sure], -1, 1)))

    def gradient_ratio(self, matrix: np.ndarray) -> float:
        """Gradients of the other frame along those of the fixed one, relative to them."""
        length = np.hypot(self.gx, self.gy) + 1e-12
        clear = length**2 > 10 * self.noise
        if clear.sum() < 200:
            return 1.0
        ux, uy = self.gx / length, self.gy / length
        keep = np.flatnonzero(clear)
        # OpenCV samples rows of up to 32767.
        keep = keep[:: keep.size // 30_000 + 1]
        ends = []
        for sign in (-1.0, 1.0):
            points = np.stack([self.xs[keep] + sign * ux[keep], self.ys[keep] + sign * uy[keep]], -1)
            p = np.concatenate([points, np.ones((len(points), 1))], 1) @ matrix.T
            value = cv2.remap(
                self.i,
                (p[:, 0] / p[:, 2]).astype(np.float32)[None],
                (p[:, 1] / p[:, 2]).astype(np.float32)[None],
                cv2.INTER_CUBIC,
                borderValue=np.nan,
            )[0]
            own = cv2.remap(
                self.t, points[:, 0].astype(np.float32)[None], points[:, 1].astype(np.float32)[None], cv2.INTER_CUBIC
            )[0]
            ends.append((value, own))
        known = ~np.isnan(self.sampled(matrix)[keep])
        difference, own = (ends[1][k] - ends[0][k] for k in (0, 1))
        known &= np.isfinite(difference)
        if known.sum() < 200:
            return 1.0
        return float(np.median(difference[known] / np.where(np.abs(own[known]) > 1e-9, own[known], 1e-9)))


def _as_bytes(level: Level, scale: float) -> np.ndarray:
    """The light with its large differences taken out, for finding features."""
    t = np.arcsinh(np.maximum(level.light, 0) / scale)
    mean = cv2.GaussianBlur(t, (0, 0), 12)
    spread = np.sqrt(cv2.GaussianBlur((t - mean) ** 2, (0, 0), 12) + 0.15**2)
    return np.clip(128 + 55 * (t - mean) / spread, 0, 255).astype(np.uint8)


def _features(fixed: Level, other: Level) -> list[np.ndarray]:
    """Similarity from matched features (Lowe 2004; Fischler and Bolles 1981), or nothing."""
    scale = 2 * _scale(fixed, other)
    finder = cv2.SIFT.create(1500, contrastThreshold=0.02)
    found = [finder.detectAndCompute(_as_bytes(v, scale), v.valid.astype(np.uint8) * 255) for v in (fixed, other)]
    if any(d is None or len(d) < 6 for _, d in found):
        return []
    pairs = cv2.BFMatcher().knnMatch(found[0][1], found[1][1], k=2)
    good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < 0.8 * p[1].distance]
    if len(good) < 6:
        return []
    a = np.array([found[0][0][m.queryIdx].pt for m in good], np.float32)
    b = np.array([found[1][0][m.trainIdx].pt for m in good], np.float32)
    matrix, inside = cv2.estimateAffinePartial2D(a, b, ransacReprojThreshold=2.0, maxIters=4000, confidence=0.999)
    if matrix is None or inside.sum() < 6:
        return []
    return [np.vstack([matrix, [0, 0, 1]])]


def _shifts(fixed: Level, other: Level) -> list[np.ndarray]:
    """Shift by phase correlation (Kuglin and Hines 1975), the light's large differences taken out."""
    scale = 2 * _scale(fixed, other)
    a, b = (np.where(v.valid, _as_bytes(v, scale), 128).astype(np.float32) - 128 for v in (fixed, other))
    window = cv2.createHanningWindow(a.shape[::-1], cv2.CV_32F)
    (dx, dy), _ = cv2.phaseCorrelate(a, b, window)
    return [np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]])]


def _at(matrix: np.ndarray, factor: float) -> np.ndarray:
    """A homography at a size ``factor`` times larger; pixel centres stay centres."""
    up = np.array([[factor, 0, (factor - 1) / 2], [0, factor, (factor - 1) / 2], [0, 0, 1.0]])
    out = up @ matrix @ np.linalg.inv(up)
    return out / out[2, 2]


def refined(fixed: list[Level], other: list[Level], found: Registration) -> Registration:
    """A registration taken to the finest level."""
    places = _Places(fixed[0], other[0], _PLACES)
    matrix, covariance, used = places.refine(_at(found.matrix, 1 / fixed[0].factor), 8)
    if covariance is None:
        return found
    return Registration(
        _at(matrix, fixed[0].factor),
        places.agreement(matrix),
        found.contrast,
        _expected_error(places, covariance),
        used,
        found.extent,
        places.improvement(matrix),
    )


def _expected_error(places: _Places, covariance: np.ndarray) -> float:
    """Predicted deviation of a place, in the median over the picture, in full-size pixels."""
    grid = np.stack(np.meshgrid(np.linspace(-1, 1, 9), np.linspace(-0.67, 0.67, 7)), -1).reshape(-1, 2)
    x, y = grid.T
    zero, one = np.zeros_like(x), np.ones_like(x)
    jx = np.stack([one, x, y, zero, zero, zero, x * x, x * y, zero], 1)
    jy = np.stack([zero, zero, zero, one, x, y, x * y, y * y, zero], 1)
    spread = np.einsum("ni,ij,nj->n", jx, covariance, jx) + np.einsum("ni,ij,nj->n", jy, covariance, jy)
    return float(np.median(np.sqrt(np.maximum(spread, 0)))) * places.half * places.fixed.factor


def register(
    fixed: list[Level], other: list[Level], guesses: Sequence[np.ndarray] = (), finest: int = 0
) -> Registration | None:
    """Register a frame against a fixed one.

    Parameters
    ----------
    fixed, other : list of Level
        From `crenn.core.align.proxy`, of the same sizes.
    guesses : list of ndarray, float64 (3, 3)
        Homographies worth trying, between full-size pictures.
    finest : int
        Level to stop at.

    Returns
    -------
    Registration or None
        None if the frames share too little to compare.
    """
    top = len(fixed) - 1
    coarse = _Places(fixed[top], other[top], 20_000)
    middle = max(top - 1, 0)
    # The costlier guesses are only made where the cheaper ones fail.
    makers = [
        lambda: [_at(g, 1 / fixed[top].factor) for g in guesses],
        lambda: [np.eye(3)],
        lambda: _shifts(fixed[top], other[top]),
        lambda: [_at(m, 0.5 ** (top - middle)) for m in _features(fixed[middle], other[middle])],
    ]
    best, score = None, -2.0
    for maker in makers:
        if score > _SURE:
            break
        for candidate in maker():
            matrix, _, used = coarse.refine(candidate, 12)
            agreement = coarse.agreement(matrix) if used >= 60 else -2.0
            if agreement > score + 0.01:
                best, score = matrix, agreement
    if best is None:
        return None
    contrast = coarse.gradient_ratio(best)
    matrix, covariance, used = coarse.refine(best, 6)
    places = coarse
    for level in range(top - 1, finest - 1, -1):
        matrix = _at(matrix, 2)
        places = _Places(fixed[level], other[level], _PLACES)
        matrix, covariance, used = places.refine(matrix, 8)
    if used < 60:
        return None
    error = np.inf if covariance is None else _expected_error(places, covariance)
    return Registration(
        _at(matrix, places.fixed.factor),
        places.agreement(matrix),
        contrast,
        error,
        used,
        places.extent,
        places.improvement(matrix),
    )


def shifts_of(matrix: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """How far a homography moves corners, edges and, fifth, the middle of a picture of a size (H, W): (9, 2)."""
    height, width = size
    places = [(x, y) for x in (0, width / 2, width - 1) for y in (0, height / 2, height - 1)]
    points = np.array(places, np.float64)
    return apply_homography(matrix, points) - points


def is_still(found: Registration, size: tuple[int, int]) -> bool:
    """Whether a frame lies right as it is: it moved by no more than can be told from nothing."""
    return bool(np.hypot(*shifts_of(found.matrix, size).T).max() <= max(_STILL, 2.5 * found.error))
