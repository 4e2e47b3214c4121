"""How far a colour is one, and not noise: what raises chroma in the dark asks it."""

import numpy as np

from crenn.core.pipeline.scene import SceneLight

#: Noise, in proportion to light, at which half a rise of saturation is held back.
_HALF = 0.12
#: Saturation at which a hue is half to be believed without noise, and what noise adds to it.
_GREY, _OF_NOISE = 0.025, 0.4


def trusted(scene: SceneLight, stops: np.ndarray, cleaned: bool) -> np.ndarray:
    """The share of a rise of saturation that is let through at stops of the scene, 0 to 1, like them.

    What has been cleaned is trusted more.
    """
    noise = scene.noise_left(stops, cleaned).astype(np.float32)
    return 1.0 / (1.0 + (noise / _HALF) ** 2)


def hue_trusted(scene: SceneLight, stops: np.ndarray, saturation: np.ndarray, cleaned: bool) -> np.ndarray:
    """How far hues are to be believed, 0 for grey, to 1: greys have none, and noise has any."""
    noise = scene.noise_left(stops, cleaned).astype(np.float32)
    return believed(saturation, np.hypot(_GREY, _OF_NOISE * noise))


def believed(saturation: np.ndarray, half: np.ndarray | float = _GREY) -> np.ndarray:
    """A share that rises from 0 at grey by a half at a saturation, to 1."""
    return saturation**2 / (saturation**2 + np.asarray(half) ** 2)
