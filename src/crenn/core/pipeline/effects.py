"""Effects: what the steps of Finish do to the picture's light before the display, by what lies around each place.

Other than an instruction, an effect sees the light as the whole program has left it. What is wide it finds on the whole
picture, reduced, so that a window, a band and the whole come out the same.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Literal, Protocol

import numpy as np

#: How an effect acts: on all of the light, or on its lightness or colour alone.
Way = Literal["light", "lightness", "colour"]
#: Longer side of the whole picture as wide effects see it, in pixels, and the least deviation of a blur that is found
#: on it, in its pixels.
WHOLE, WIDE = 1024, 2.0
Amount = float | np.ndarray
#: Shares and deviations.
Spread = Sequence[tuple[float, float]]


class Surroundings(Protocol):
    """What an effect may ask for about the window that it acts in.

    Attributes
    ----------
    scale : float
        Pixels per full-size pixel of the picture.
    size : tuple of int
        (H, W) of the full picture.
    white : float
        Stop of the light from which on the picture is white, or nearly.
    """

    scale: float
    size: tuple[int, int]
    white: float

    def spread(
        self, depends: tuple, of: "Callable[[np.ndarray, Surroundings], np.ndarray]", light: np.ndarray, parts: Spread
    ) -> np.ndarray:
        """A function of light, (h, w, 3) to (h, w, C), and of what is around it, blurred by a sum of Gaussians, each
        with a share and a deviation in full-size pixels; of the window's light, or of the whole picture's where that is
        wide.

        ``depends`` is what the function and the sum are made by.
        """
        ...

    def kept(self, depends: tuple, make: Callable[[], np.ndarray], of_light: bool = True) -> np.ndarray:
        """What an effect makes of the window by what it ``depends`` on, and by the light that it is given or not; made
        once."""
        ...

    def at(self) -> tuple[np.ndarray, np.ndarray]:
        """x, float64 (w,), and y, float64 (h,), of the pixels' middles in full-size pixels of the picture."""
        ...

    def place(self, place: list[float]) -> tuple[float, float]:
        """x and y of a place of a document, in full-size pixels of the picture."""
        ...

    def noise(self) -> np.ndarray:
        """Deviation of the noise of each pixel's luminance, in EV, float32 (h, w)."""
        ...

    def found(self, what: Literal["lamps", "stars", "sky", "water"]) -> np.ndarray:
        """How far places belong to what is found in the scene, float32 (h, w)."""
        ...


def near_reach(sigmas: Sequence[float], long_side: int) -> float:
    """Full-size pixels around a window that blurs look at there, by their deviations: wider ones see the whole picture.

    OpenCV cuts its Gaussians off at four deviations.
    """
    scale = min(WHOLE / long_side, 1.0)
    return max((4 * sigma for sigma in sigmas if sigma * scale < WIDE), default=0.0) + 2


#: From light, float32 (h, w, 3), an amount, a number or float32 (h, w, 1), and what is around: the light after.
Apply = Callable[[np.ndarray, Amount, Surroundings], np.ndarray]


@dataclass(frozen=True, eq=False)
class Effect:
    """An effect of the picture, with how much of it there is in each area.

    Attributes
    ----------
    name : str
        Of its step.
    apply : callable
    reach : callable
        Full-size pixels around a window that it looks at, by the longer side of the picture.
    way : str
    opacity : float
        0 to 1.
    amounts : tuple of (int, float)
        Of each area, as programs count them, or everywhere; they add up.
    low, high : float
        What they may come to together.
    """

    name: str
    apply: Apply
    reach: Callable[[int], float] = field(default=lambda long_side: 0.0)
    way: Way = "light"
    opacity: float = 1.0
    amounts: tuple[tuple[int, float], ...] = ()
    low: float = 0.0
    high: float = 1.0
