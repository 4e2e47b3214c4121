"""How sharp a picture is: the blur of its sharpest edges."""

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance

#: Deviation of the smoothing under which gradients are taken, and by which the picture is blurred once more, in pixels.
_UNDER, _MORE = 0.8, 1.0
#: An edge's gradient is at least so many deviations of its noise, and so large a share of the light there per pixel.
_NOISE, _LEAST = 12.0, 0.06
#: Pixels beside an edge at which the gradient is looked at: it must not turn back by more than this share of the edge's
#: own, and be at most that share of it farthest away.
_BESIDE, _COUNTER, _EVEN = (2, 3, 4, 6), 0.08, 0.2
#: Pixels at the border of a part in which no edge is looked for.
_BORDER = 8
#: The share of edges that count as sharp: what lies in focus, of a subject that is crisp itself.
_SHARP = 0.25
#: So many edges tell something; parts of the picture that are looked at, each way, and their side in pixels.
_FEW, _PARTS, _SIDE = 200, 6, 256


def _gradient(plane: np.ndarray, deviation: float) -> tuple[np.ndarray, np.ndarray]:
    """Gradient of a plane under a Gaussian, (x, y), float32 (h, w) each."""
    half = int(np.ceil(4 * deviation))
    at = np.arange(-half, half + 1)
    even = np.exp(-0.5 * (at / deviation) ** 2)
    even /= even.sum()
    slope = at * even / deviation**2
    x = cv2.sepFilter2D(plane, cv2.CV_32F, slope, even, borderType=cv2.BORDER_REPLICATE)
    y = cv2.sepFilter2D(plane, cv2.CV_32F, even, slope, borderType=cv2.BORDER_REPLICATE)
    return x, y


def edge_blurs(light: np.ndarray, deviation: np.ndarray | None = None) -> np.ndarray:
    """Blur of the edges of a picture, as deviations in pixels, float32 (N,).

    Along an edge that is a step under a Gaussian, blurring once more makes the gradient smaller by a ratio that tells
    the Gaussian's deviation (Zhuo and Sim 2011).

    Parameters
    ----------
    light : ndarray, float32 (h, w)
    deviation : ndarray, float32 (h, w), optional
        Of its noise.
    """
    x, y = _gradient(light, _UNDER)
    further = np.hypot(*_gradient(light, float(np.hypot(_UNDER, _MORE))))
    steep = np.hypot(x, y)
    mean = cv2.GaussianBlur(light, (0, 0), 2.0)
    strong = steep > _LEAST * np.abs(mean)
    if deviation is not None:
        # White noise of deviation 1 has a gradient under a Gaussian s of 1 / (√8π s²).
        strong &= steep > _NOISE / (np.sqrt(8 * np.pi) * _UNDER**2) * deviation
    strong[:_BORDER] = strong[-_BORDER:] = False
    strong[:, :_BORDER] = strong[:, -_BORDER:] = False
    rows, columns = np.nonzero(strong)
    # Across the edge, along rows or columns: the gradient on its ridge there, with even ground on both sides.
    down = (np.abs(y) > np.abs(x))[rows, columns]
    before, after = ((rows + by * down, columns + by * ~down) for by in (-1, 1))
    here = steep[rows, columns]
    ridge = (here >= steep[before]) & (here > steep[after])
    rows, columns, down = rows[ridge], columns[ridge], down[ridge]
    own = np.where(down, y[rows, columns], x[rows, columns])
    ridge = np.ones(own.size, bool)
    for step in _BESIDE:
        for by in (-step, step):
            where = rows + by * down, columns + by * ~down
            beside = np.where(down, y[where], x[where]) * np.sign(own)
            ridge &= beside > -_COUNTER * np.abs(own)
            if step == _BESIDE[-1]:
                ridge &= np.abs(beside) < _EVEN * np.abs(own)
    ratio = steep[rows, columns] / np.maximum(further[rows, columns], 1e-12)
    found = ratio[ridge & (ratio > 1.02)]
    return np.sqrt(np.maximum(_MORE**2 / (found**2 - 1) - _UNDER**2, 0)).astype(np.float32)


def blur_of(rgb: np.ndarray, sigma: np.ndarray | None = None, clipped: np.ndarray | None = None) -> float | None:
    """Deviation in pixels by which a picture's sharpest edges are blurred; None if there are too few to tell.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
    clipped : ndarray, uint8 (H, W), optional
        Not 0 where light was lost: edges there were cut off.
    """
    height, width = rgb.shape[:2]
    # No more parts than cover it: each place has one say.
    tops, lefts = (np.linspace(0, max(n - _SIDE, 0), min(_PARTS, -(-n // _SIDE))).astype(int) for n in (height, width))
    found = []
    for top in tops:
        for left in lefts:
            where = np.s_[top : top + _SIDE, left : left + _SIDE]
            light = np.ascontiguousarray(luminance(np.asarray(rgb[where], np.float32)), np.float32)
            noise = None if sigma is None else luminance(np.asarray(sigma[where], np.float32))
            if clipped is not None:
                lost = cv2.dilate((np.asarray(clipped[where]) > 0).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
                noise = np.zeros_like(light) if noise is None else noise.copy()
                noise[lost] = np.inf
            found.append(edge_blurs(light, noise))
    blurs = np.concatenate(found)
    return None if blurs.size < _FEW else round(float(np.quantile(blurs, _SHARP)), 2)
