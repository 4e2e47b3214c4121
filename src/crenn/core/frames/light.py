"""A light frame on its way through a merge: one record for all that is known of it."""

from dataclasses import dataclass, field, replace

import numpy as np

from crenn.core.frames.metadata import FrameMetadata
from crenn.core.frames.raw import RawFrame
from crenn.core.geometry.mapping import Mesh
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.noise import NoiseModel


@dataclass
class Sites:
    """The sites of a frame as its sensor gave them, once the frame has been moved.

    Attributes
    ----------
    mosaic : ndarray, uint16 (H, W)
        `crenn.core.mosaic.moving.MISSING` where a site is to be left out.
    levels : Levels
    share : ndarray, uint8 (H // 4, W // 4)
        With which the frame may speak, of 255, in cells of the reference frame; empty where it always may.
    """

    mosaic: np.ndarray
    levels: Levels
    share: np.ndarray = field(default_factory=lambda: np.empty((0, 0), np.uint8))


@dataclass
class Planes:
    """All three colours of each pixel, as the frame lies.

    Attributes
    ----------
    light : ndarray, float32 (H, W, 3)
        Saturation at 1.
    clip : float
        Light from which on it counts as clipped.
    """

    light: np.ndarray
    clip: float


@dataclass
class LightFrame:
    """A light frame, and what the stages of a merge find out about it.

    Attributes
    ----------
    raw : RawFrame
        What the file says; its mosaic is empty.
    index : int
        Place among all frames given to the merge.
    mosaic : ndarray, uint16 (H, W)
        Empty while the numbers wait elsewhere.
    levels : Levels
        Of the mosaic as it is now: moving a frame changes them.
    noise : NoiseModel
    gain, nominal : float
        Light recorded per radiance relative to the reference frame, as measured and as the files tell.
    gain_error : float or None
        Standard error of the measured gain, in stops; None if it could not be measured.
    clipped : float
        Share of sites that clip.
    mesh : Mesh or None
        From the reference frame's pixels to this frame's; None if it lies right as it is.
    shift, turn, error : float
        By which it was moved, in pixels and degrees, and the deviation that is left, in pixels.
    spread : ndarray, float32 (H // 8 + 1, W // 8 + 1, 3), or None
        What moving did to its variance; None if it was not moved.
    planes : Planes or None
        Of what was made from full colour.
    sites : Sites or None
        What it recorded, before it was moved; kept where detail is gathered from it.
    """

    raw: RawFrame
    index: int
    mosaic: np.ndarray
    levels: Levels
    noise: NoiseModel
    gain: float = 1.0
    nominal: float = 1.0
    gain_error: float | None = None
    clipped: float = 0.0
    mesh: Mesh | None = None
    shift: float = 0.0
    turn: float = 0.0
    error: float = 0.0
    spread: np.ndarray | None = None
    planes: Planes | None = None
    sites: Sites | None = None

    @classmethod
    def of(cls, raw: RawFrame, index: int, noise: NoiseModel, clip: float) -> "LightFrame":
        """A decoded frame, as it begins."""
        about = replace(raw, mosaic=raw.mosaic[:0, :0].copy(), planes=None)
        planes = None
        if raw.planes is not None:
            # In place: the planes of many frames wait on disk.
            planes = Planes(np.multiply(raw.planes, np.float32(1 / raw.white), out=raw.planes), clip / raw.white)
        return cls(about, index, raw.mosaic, Levels(raw.black, raw.white, clip), noise, planes=planes)

    @property
    def name(self) -> str:
        """What the user calls it."""
        return self.raw.name

    @property
    def metadata(self) -> FrameMetadata:
        return self.raw.metadata

    @property
    def pattern(self) -> np.ndarray:
        """Colours of the mosaic's tile, uint8 (2, 2)."""
        return self.raw.pattern

    @property
    def sensitivity(self) -> float:
        """Light recorded per radiance, as the file tells; 1 if it does not."""
        return self.raw.metadata.sensitivity or 1.0

    @property
    def read_noise(self) -> float:
        """Deviation of a green site in the dark, as a share of saturation."""
        return float(np.sqrt(self.noise.offset[1]))

    def detach_mosaic(self) -> np.ndarray:
        """Its mosaic, which it no longer holds."""
        mosaic, self.mosaic = self.mosaic, np.empty((0, 0), np.uint16)
        return mosaic


def sensitivities(frames: list[LightFrame]) -> np.ndarray:
    """Light recorded per radiance, as the files tell, float64 (K,)."""
    return np.array([f.sensitivity for f in frames])
