"""Where the light of a scene comes from: nothing reads past it."""

from typing import Any, Protocol

import cv2
import numpy as np

from crenn.core.mend.other_frame import OtherFrames
from crenn.core.noise.cleaning import Box
from crenn.core.noise.layers import NoiseLayers
from crenn.core.pipeline.scene import SceneLight
from crenn.core.progress import Progress

#: All of an array along a side.
ALL = slice(None)


class Source(Protocol):
    """A scene's merged light with its noise, and what is known of each place.

    Level *n* is reduced 2ⁿ times; rows and columns are slices of it.

    Attributes
    ----------
    key : tuple
        What tells it from others.
    size : tuple of int
        (H, W) at full size.
    floor : float
        Luminance below which noise hides to which stop a place belongs.
    light : SceneLight
    report : dict
        Of the merge.
    noise : NoiseLayers or None
        What of its noise has been split off, as far as it is known; read by `read_noise`.
    others : OtherFrames
        The frames that it was merged from.
    """

    @property
    def key(self) -> tuple: ...

    @property
    def passing(self) -> bool: ...

    @property
    def coarse(self) -> "Source":
        """The same for whoever looks at the whole of it at a reduced size: what is too small to be told there may be
        as it was, so that it need not be looked at anew for every small mend."""
        ...

    @property
    def size(self) -> tuple[int, int]: ...

    @property
    def floor(self) -> float: ...

    @property
    def light(self) -> SceneLight: ...

    @property
    def report(self) -> dict[str, Any]: ...

    @property
    def noise(self) -> NoiseLayers | None: ...

    @property
    def others(self) -> OtherFrames: ...

    def look(self) -> None:
        """Look at once, with the next question for it, whether noise has been split off meanwhile."""
        ...

    def clean_part(self, box: Box, progress: Progress | None = None) -> None:
        """Split the noise off a part, (top, left, height, width), while the rest still waits for it.

        ``progress`` can call it off between passes of the filter.
        """
        ...

    def level_for(self, scale: float) -> int:
        """Coarsest level that still holds at least ``scale`` pixels per full-size pixel."""
        ...

    def level_size(self, level: int) -> tuple[int, int]:
        """(h, w) of a level."""
        ...

    def read(self, level: int, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        """Light of a part of a level, float32 (h, w, 3); to be read alone."""
        ...

    def noise_size(self, level: int) -> tuple[int, int]:
        """(h, w) of the level of noise nearest to one of light."""
        ...

    def read_noise(self, level: int, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        """Noise layers of a part of the level nearest to one of light, (h, w, CHANNELS); to be read alone.

        Raises
        ------
        ValueError
            If no noise has been split off.
        """
        ...

    def has(self, plane: str) -> bool:
        """Whether a plane is known: "sigma", or one of `crenn.core.radiance.PLANES`."""
        ...

    def plane(self, name: str, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        """A part of a plane at full size, as of `crenn.core.radiance.RadianceMap`; to be read alone.

        Raises
        ------
        KeyError
            If it is not known.
        """
        ...


def reduced_to(source: Source, side: int) -> np.ndarray:
    """The light of all of a source, its longer side at most ``side`` pixels, float32 (h, w, 3)."""
    light = np.array(source.read(source.level_for(min(side / max(source.size), 1.0))), np.float32)
    factor = side / max(light.shape[:2])
    if factor >= 1:
        return light
    size = round(light.shape[1] * factor), round(light.shape[0] * factor)
    return np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA))
