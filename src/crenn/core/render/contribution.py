"""What a step does to a picture: the picture with it beside the one without it."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import delta_e2000, srgb_to_lab
from crenn.core.colorimetry.stops import stops_of
from crenn.core.render.renderer import Renderer
from crenn.core.render.view import View
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: Longer side of the pictures that are compared, and side of the part of the shadows that is looked at in full size.
_SIDE, _PART = 300, 192
#: A pixel has changed by more than this, in CIEDE2000.
_SEEN = 1.0
#: Stops across an edge beside which a halo is looked for; how near it is, and how far off it is compared, in shares of
#: the longer side.
_EDGE, _NEAR, _FAR = 3.0, 0.012, 0.06
#: Classes of lightness within which pixels change alike where there is no halo.
_TONES = 40
#: Codes, 0–1, from which on a pixel is white, and below which it is black.
_WHITE, _BLACK = 254.5 / 255, 1.5 / 255


@dataclass(frozen=True)
class Contribution:
    """What steps change.

    Attributes
    ----------
    share : float
        Share of the pixels that change by more than one CIEDE2000.
    delta_e : float
        Mean change of all pixels, in CIEDE2000.
    white, black : float
        By how much the shares of pixels at white and at black grow.
    colour : float
        By how much colourfulness grows, in L*a*b* (the measure of Hasler and Süsstrunk 2003 on a* and b*).
    halo : float
        Mean departure in L* beside strong edges of what the steps do, from what they do farther off on the same side,
        beyond what they do to tones as light everywhere.
    noise : float
        Grain of the darkest smooth place at full size with the steps, over that without: 1 where it stays.
    """

    share: float
    delta_e: float
    white: float
    black: float
    colour: float
    halo: float
    noise: float

    @property
    def harm(self) -> float:
        """What may be wrong with it, in one number: clipping in %, halo in L*, and stops by which grain grows."""
        return float(
            100 * max(self.white, 0) + 100 * max(self.black, 0) + self.halo + 2 * max(np.log2(max(self.noise, 1e-3)), 0)
        )


class Contributions:
    """What steps do to the picture of a treatment, told one group after the other; what changes geometry is not told.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment

    Raises
    ------
    CrennError
        If the treatment's geometry cannot be.
    """

    def __init__(self, renderer: Renderer, treatment: Treatment):
        self._renderer, self._treatment = renderer, treatment
        self._window = Window.whole(renderer.frame(treatment).size, _SIDE)
        self._part = _dark_part(renderer, treatment)
        self._shown = _codes(renderer, treatment, self._window)
        self._lab, self._grain = srgb_to_lab(self._shown), _grain(_codes(renderer, treatment, self._part))
        light = renderer.light(renderer.view(treatment, self._window, False))
        stops = stops_of(light, 2.0**-20)
        self._sides = _sides(stops)

    def of(self, names: Sequence[str]) -> Contribution:
        """What a group of steps does, by their names."""
        without = self._treatment.without(*names)
        shown, lab = self._shown, self._lab
        other = _codes(self._renderer, without, self._window)
        other_lab = srgb_to_lab(other)
        off = delta_e2000(lab, other_lab)
        plain = _grain(_codes(self._renderer, without, self._part))
        return Contribution(
            share=float((off > _SEEN).mean()),
            delta_e=float(off.mean()),
            white=float((shown.min(-1) >= _WHITE).mean() - (other.min(-1) >= _WHITE).mean()),
            black=float((shown.max(-1) <= _BLACK).mean() - (other.max(-1) <= _BLACK).mean()),
            colour=_colourfulness(lab) - _colourfulness(other_lab),
            halo=_halo(_beyond_tone(lab[..., 0], other_lab[..., 0]), self._sides),
            noise=self._grain / plain if plain > 1e-4 and self._grain > 1e-4 else 1.0,
        )


def _codes(renderer: Renderer, treatment: Treatment, window: Window) -> np.ndarray:
    """Codes of a picture, 0–1, float64 (h, w, 3)."""
    return renderer.picture(treatment, window, 16, fine=False)[0] / 65535


def _colourfulness(lab: np.ndarray) -> float:
    a, b = lab[..., 1], lab[..., 2]
    return float(np.hypot(a.std(), b.std()) + 0.3 * np.hypot(a.mean(), b.mean()))


def _dark_part(renderer: Renderer, treatment: Treatment) -> Window:
    """The darkest smooth place of a picture above the noise horizon, in full size."""
    size = renderer.frame(treatment).size
    whole = Window.whole(size, 96)
    view: View = renderer.view(treatment, whole, False)
    stops = stops_of(renderer.light(view), 2.0**-20)
    uneven = cv2.blur(np.abs(stops - cv2.blur(stops, (3, 3))), (5, 5))
    horizon = float(renderer.scene.report.get("noise_horizon", -20.0))
    worth = stops + 3 * uneven + np.where(stops < horizon, 100, 0)
    row, column = np.unravel_index(int(np.argmin(worth)), worth.shape)
    y, x = ((at + 0.5) * side / count for at, side, count in zip((row, column), size, worth.shape))
    high, wide = min(_PART, size[0]), min(_PART, size[1])
    top, left = (int(np.clip(v - n / 2, 0, s - n)) for v, n, s in ((y, high, size[0]), (x, wide, size[1])))
    return Window(left, top, wide, high, wide, high)


def _grain(codes: np.ndarray) -> float:
    """Deviation of what is fine in L*, by the median of its size: edges do not count."""
    light = srgb_to_lab(codes)[..., 0].astype(np.float32)
    fine = light - cv2.GaussianBlur(light, (0, 0), 1.5)
    return float(np.median(np.abs(fine)) * 1.4826)


def _sides(stops: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
    """For the bright and the dark side of strong edges: what lies near them, and what lies farther off, bool (h, w)."""
    side = max(stops.shape)
    near = max(round(_NEAR * side), 2)
    even = cv2.GaussianBlur(stops, (0, 0), near / 2)
    around = np.ones((2 * near + 1, 2 * near + 1), np.uint8)
    high, low = cv2.dilate(even, around), cv2.erode(even, around)
    edge = high - low >= _EDGE
    beside = cv2.dilate(edge.astype(np.uint8), around) > 0
    bright = even > (high + low) / 2
    reach = np.ones((2 * round(_FAR * side) + 1,) * 2, np.uint8)
    close = cv2.dilate(edge.astype(np.uint8), reach) > 0
    # Farther off the side is told by the level that it has at the edge: all that is there is of one side or the other.
    level = cv2.GaussianBlur(np.where(edge, (high + low) / 2, 0), (0, 0), near * 3)
    weight = cv2.GaussianBlur(edge.astype(np.float32), (0, 0), near * 3)
    told = weight > 1e-4
    level = np.where(told, level / np.maximum(weight, 1e-4), 0)
    far = close & ~beside & told
    return [(beside & of, far & of_far) for of, of_far in ((bright, even > level), (~bright, even <= level))]


def _beyond_tone(after: np.ndarray, before: np.ndarray) -> np.ndarray:
    """By how much lightness changes beyond what pixels as light as each do in the mean, float32 (h, w)."""
    change = after - before
    tone = np.clip(before / 100 * _TONES, 0, _TONES - 1).astype(np.int64)
    count = np.maximum(np.bincount(tone.ravel(), minlength=_TONES), 1)
    mean = np.bincount(tone.ravel(), change.ravel(), _TONES) / count
    return np.asarray(change - mean[tone], np.float32)


def _halo(change: np.ndarray, sides: list[tuple[np.ndarray, np.ndarray]]) -> float:
    """Mean departure beside edges from what is farther off on the same side."""
    reach = 2 * round(_FAR * max(change.shape)) + 1
    found, count = 0.0, 0
    for near, far in sides:
        weight = cv2.blur(far.astype(np.float32), (reach, reach))
        mean = cv2.blur(np.where(far, change, 0).astype(np.float32), (reach, reach)) / np.maximum(weight, 1e-3)
        here = cv2.blur(np.where(near, change, 0).astype(np.float32), (3, 3))
        here /= np.maximum(cv2.blur(near.astype(np.float32), (3, 3)), 1e-3)
        told = near & (weight > 0.02)
        found += float(np.abs(here - mean)[told].sum())
        count += int(told.sum())
    return found / count if count else 0.0
