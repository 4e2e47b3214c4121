"""A scale of light on which its noise is the same everywhere."""

import numba as nb
import numpy as np

from crenn.core.fastmath import arsinh

#: Entries of the tables.
_TABLE = 16384
#: Light in so many groups of equal size tells how noise grows with it.
_GROUPS = 48


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _forward(light, scale, start, per, table, out):
    last = np.float32(table.size - 2)
    flat, result = light.ravel(), out.ravel()
    for block in nb.prange((flat.size + 8191) // 8192):
        for i in range(block * 8192, min((block + 1) * 8192, flat.size)):
            # Beyond the table, on along its last stretch.
            p = (arsinh(flat[i] / scale) - start) * per
            k = np.uint32(min(max(p, np.float32(0)), last))
            result[i] = table[k] + (p - np.float32(k)) * (table[k + np.uint32(1)] - table[k])


@nb.njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def _backward(stable, start, per, table, out):
    last = np.float32(table.size - 2)
    flat, result = stable.ravel(), out.ravel()
    for block in nb.prange((flat.size + 8191) // 8192):
        for i in range(block * 8192, min((block + 1) * 8192, flat.size)):
            # Beyond the table, on along its last stretch.
            p = (flat[i] - start) * per
            k = np.uint32(min(max(p, np.float32(0)), last))
            result[i] = table[k] + (p - np.float32(k)) * (table[k + np.uint32(1)] - table[k])


class Stabiliser:
    """A scale on which the noise of light x has a deviation of 1: the integral of dx / σ(x).

    For photon and read noise this is the generalised Anscombe transform but for a constant; here σ is whatever a merge
    predicts. The way back is unbiased: what is averaged on the scale comes back as the mean of the light (Mäkitalo and
    Foi 2013, "Optimal inversion of the generalized Anscombe transformation").

    Parameters
    ----------
    light, variance : ndarray, float (N,)
        Samples of light, and the variance that is predicted for them; N at least 1.
    brightest : float
        Light for which the scale must hold as well.

    Raises
    ------
    ValueError
        If there are no samples.
    """

    def __init__(self, light: np.ndarray, variance: np.ndarray, brightest: float = 0.0):
        light, variance = np.ravel(light).astype(np.float64), np.ravel(variance).astype(np.float64)
        if light.size == 0 or light.size != variance.size:
            raise ValueError(f"{light.size} samples of light and {variance.size} of variance tell no noise")
        groups = np.array_split(np.argsort(light, kind="stable"), min(_GROUPS, light.size))
        x = np.array([light[g].mean() for g in groups])
        # Noise grows with light; where a longer exposure takes over it may be less for a while.
        v = np.maximum(np.array([np.median(variance[g]) for g in groups]), 1e-18)
        if x[0] > 0 and x.size > 1:
            # Darker than all that was sampled, noise goes on falling as it did.
            slope = (v[1] - v[0]) / max(x[1] - x[0], 1e-12)
            x, v = np.concatenate([[0.0], x]), np.concatenate([[np.clip(v[0] - slope * x[0], 0.2 * v[0], v[0])], v])
        least = float(np.sqrt(v.min()))
        top = max(2.0 * max(float(light.max()), brightest), 100.0 * least)
        self._scale = 8.0 * least
        u = np.linspace(-np.arcsinh(top / self._scale), np.arcsinh(top / self._scale), _TABLE)
        at = self._scale * np.sinh(u)
        known = np.interp(np.maximum(at, 0.0), np.maximum(x, 0.0), v)
        slope = max((v[-1] - v[-min(8, v.size)]) / max(x[-1] - x[-min(8, x.size)], 1e-12), 0.0)
        self._light = at
        self._deviation = np.sqrt(known + slope * np.maximum(at - x[-1], 0.0))
        rate = 1.0 / self._deviation
        stable = np.concatenate([[0.0], np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(at))])
        stable -= np.interp(0.0, at, stable)
        # The mean of noisy light on the scale, by Gauss's quadrature.
        nodes, weights = np.polynomial.hermite_e.hermegauss(15)
        mean = np.zeros_like(at)
        for node, weight in zip(nodes, weights / weights.sum()):
            mean += weight * np.interp(at + node * self._deviation, at, stable)
        # Beyond the ends nothing more is known: there it goes on as the scale does.
        mean = np.maximum.accumulate(np.where(np.abs(at) > 0.5 * top, stable, mean))
        self._table = stable.astype(np.float32)
        self._start, self._per = np.float32(u[0]), np.float32((_TABLE - 1) / (u[-1] - u[0]))
        low, high = float(mean[0]), float(mean[-1])
        self._first, self._rate = np.float32(low), np.float32((4 * _TABLE - 1) / max(high - low, 1e-9))
        self._back = np.interp(np.linspace(low, high, 4 * _TABLE), mean, at).astype(np.float32)

    def stable(self, light: np.ndarray) -> np.ndarray:
        """Light on the scale, float32 like ``light``."""
        light = np.ascontiguousarray(light, np.float32)
        out = np.empty_like(light)
        _forward(light, np.float32(self._scale), self._start, self._per, self._table, out)
        return out

    def light(self, stable: np.ndarray) -> np.ndarray:
        """The light whose mean on the scale is ``stable``, float32 like it."""
        stable = np.ascontiguousarray(stable, np.float32)
        out = np.empty_like(stable)
        _backward(stable, self._first, self._rate, self._back, out)
        return out

    def rate(self, light: np.ndarray) -> np.ndarray:
        """By how much the scale grows per light: one over the deviation, float64 like ``light``."""
        return 1.0 / np.interp(light, self._light, self._deviation)
