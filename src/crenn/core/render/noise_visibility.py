"""How much of its noise each place is freed of, by how the picture would show it.

Noise is seen as a spread of lightness: the noise of a place, in EV, times the slope at which the treatment turns EV
into lightness there. What is lifted stands on a steep part and shows its noise; what is held down does not.
"""

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import map_coordinates

from crenn.core.colorimetry.spaces import lightness, luminance
from crenn.core.noise.reduction import GRAIN
from crenn.core.pipeline.instructions import TABLE_PER_STOP, table_stops
from crenn.core.pipeline.scene import SceneLight
from crenn.core.render.grid import LAYER, BaseGrid
from crenn.core.render.window import Window

#: Longer side of the reduced picture by which lift is found, in pixels, and the reach of what carries it, in %.
SIDE, REACH = 240, 2.5


@dataclass(frozen=True)
class NoiseVisibility:
    """By how much places are lifted, and the shares of their luminance noise that are taken by it.

    Attributes
    ----------
    grid : BaseGrid
        EV, over the picture; over the scene where that is only cut.
    shares : ndarray, float32 like the grid's cells
        See `amounts`.
    offset : tuple of int or None
        Where the picture begins in the scene, if it is only cut.
    """

    grid: BaseGrid
    shares: np.ndarray
    offset: tuple[int, int] | None

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes + self.shares.nbytes

    def by_stop(self, stops: np.ndarray) -> np.ndarray:
        """Shares that light at stops (N,) is freed of, in the middle of all places."""
        layers = self.grid.start + LAYER * np.arange(self.shares.shape[2])
        return np.asarray(np.interp(stops, layers, np.median(self.shares, (0, 1))))

    def within(self, window: Window, stops: np.ndarray) -> np.ndarray:
        """Shares that places of a window are freed of, float32 (h, w), whose light is at stops, float32 (h, w)."""
        x, y = self.offset or (0, 0)
        height, width = stops.shape
        across = (window.x + x + (np.arange(width) + 0.5) * window.width / width) / self.grid.cell + 1.0
        down = (window.y + y + (np.arange(height) + 0.5) * window.height / height) / self.grid.cell + 1.0
        places = np.broadcast_to(down[:, None], stops.shape), np.broadcast_to(across, stops.shape)
        at = np.stack([*places, (stops - self.grid.start) / LAYER])
        return np.asarray(map_coordinates(self.shares, at, order=1, mode="nearest"), np.float32)


def lift_of(before: np.ndarray, after: np.ndarray, floor: float) -> np.ndarray:
    """EV by which places are lifted, float32 (h, w), from light before and after, float32 (h, w, 3)."""
    one, other = (np.maximum(luminance(light), np.float32(floor) * np.float32(0.25)) for light in (before, after))
    return np.asarray(np.clip(np.log2(other / one), -20, 20), np.float32)


def noise_shares(lift: BaseGrid, light: SceneLight, shown: np.ndarray) -> np.ndarray:
    """Shares of luminance noise that are taken out at a grid's cells, float32 like them.

    Of noise that shows as a deviation v in L*, the share a = 1 / (1 + (g / v)²) is taken: what is left stays below the
    grain g. Of colour noise, of which less may stay, that is a / (a + k (1 - a)), where k is
    `crenn.core.noise.reduction.COLOUR_LEFT`.

    Parameters
    ----------
    lift : BaseGrid
        EV by which places of a stop are lifted.
    light : SceneLight
        Tells the noise by stop.
    shown : ndarray, float64 (TABLE_SIZE,)
        The display: luminance of the picture over the stop.
    """
    stops = lift.start + LAYER * np.arange(lift.cells.shape[2])
    noise = light.noise_ev(stops)
    slope = np.gradient(lightness(np.maximum(shown, 0.0)), 1.0 / TABLE_PER_STOP)
    seen = np.abs(np.interp(stops + lift.cells, table_stops(), slope)) * noise
    # What has no light of its own is noise: it shows as soon as anything of it does.
    seen = np.maximum(seen, 1e-6)
    return np.asarray(1.0 / (1.0 + (GRAIN / seen) ** 2), np.float32)
