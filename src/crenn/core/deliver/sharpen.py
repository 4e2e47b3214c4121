"""Sharpening of a picture as large as it is delivered, for what it is looked at on.

An unsharp mask on the luminance of codes. What screens blur is about half a pixel; ink spreads on paper by about a
twentieth of a millimetre, on matt paper more, so that the mask's width in pixels follows a print's dots per inch.
Noise is spared: detail that is no larger than the picture's own noise is left, and what grows is held to the range
that the pixels about it have, give or take a little, so that edges get no rims.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

#: By what it is for: deviation of the mask in pixels, at 300 dpi for prints, and strength.
_FOR = {"screen": (0.7, 1.0), "glossy": (0.9, 1.2), "matt": (1.2, 1.5)}
#: Dots per inch of those, and within what a mask's deviation stays.
_DPI, _WITHIN = 300.0, (0.5, 3.0)
#: Deviations of noise up to which detail is spared, the share of a place's range by which it may go beyond that,
#: and the share of even places, whose noise is the picture's.
_NOISE, _BEYOND, _EVEN = 2.0, 0.12, 0.2
#: Luminance of codes: weights of sRGB are near enough to all spaces' for a mask.
_WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)
_BLOCK = 16


@dataclass(frozen=True)
class Sharpening:
    """How a picture is sharpened.

    Attributes
    ----------
    deviation : float
        Of the mask, in pixels.
    strength : float
        By how many times detail grows.
    """

    deviation: float
    strength: float

    @classmethod
    def made_for(cls, medium: str, percent: float, dpi: float | None = None) -> "Sharpening | None":
        """That for "screen", "glossy" or "matt", by a strength in %, and for prints by their dpi; None for "none"."""
        if medium not in _FOR or percent <= 0:
            return None
        deviation, strength = _FOR[medium]
        if medium != "screen":
            deviation *= (dpi or _DPI) / _DPI
        return cls(float(np.clip(deviation, *_WITHIN)), strength * percent / 100)

    @property
    def margin(self) -> int:
        """Pixels around a place that it looks at."""
        return int(np.ceil(3 * self.deviation)) + 1

    def sharpened(self, codes: np.ndarray, noise: float) -> np.ndarray:
        """Codes, uint16 (h, w, 3), sharpened, by the deviation of the picture's noise in codes."""
        light = codes.astype(np.float32)
        y = light @ _WEIGHTS
        detail = y - cv2.GaussianBlur(y, (0, 0), self.deviation, borderType=cv2.BORDER_REPLICATE)
        spared = detail * detail / (detail * detail + (_NOISE * max(noise, 1.0)) ** 2)
        square = np.ones((3, 3), np.uint8)
        low = cv2.erode(y, square, borderType=cv2.BORDER_REPLICATE)
        high = cv2.dilate(y, square, borderType=cv2.BORDER_REPLICATE)
        more = _BEYOND * (high - low)
        added = np.clip(y + self.strength * spared * detail, low - more, high + more) - y
        return np.asarray(np.rint(np.clip(light + added[..., None], 0, 65535)), np.uint16)

    def bands(self, bands: Iterable[np.ndarray], noise: float) -> Iterator[np.ndarray]:
        """Bands of codes, uint16 (rows, w, 3) from the top down, sharpened: as if the picture were whole."""
        above: np.ndarray | None = None
        waiting: np.ndarray | None = None
        for band in bands:
            waiting = band if waiting is None else np.concatenate([waiting, band])
            if len(waiting) > self.margin:
                yield self._cut(above, waiting, len(waiting) - self.margin, noise)
                before = waiting if above is None else np.concatenate([above, waiting])
                above = before[: len(before) - self.margin][-self.margin :]
                waiting = waiting[len(waiting) - self.margin :]
        if waiting is not None:
            yield self._cut(above, waiting, len(waiting), noise)

    def _cut(self, above: np.ndarray | None, rows: np.ndarray, count: int, noise: float) -> np.ndarray:
        first = 0 if above is None else len(above)
        whole = rows if above is None else np.concatenate([above, rows])
        return self.sharpened(whole, noise)[first : first + count]


def noise_of(parts: Iterable[np.ndarray]) -> float:
    """Deviation of a picture's noise in codes, by the evenest places of some of its parts, uint16 (h, w, 3).

    By second differences across and down (Immerkær 1996, "Fast noise variance estimation"), robustly.
    """
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    found: list[float] = []
    for part in parts:
        differences = np.abs(cv2.filter2D(part.astype(np.float32) @ _WEIGHTS, -1, kernel))
        height, width = (n // _BLOCK * _BLOCK for n in differences.shape)
        if min(height, width) == 0:
            continue
        blocks = differences[:height, :width].reshape(height // _BLOCK, _BLOCK, width // _BLOCK, _BLOCK)
        found += np.median(blocks.swapaxes(1, 2).reshape(-1, _BLOCK * _BLOCK), 1).tolist()
    # The kernel's numbers squared add up to 36.
    return float(np.quantile(found, _EVEN)) / (0.6745 * 6.0) if found else 0.0
