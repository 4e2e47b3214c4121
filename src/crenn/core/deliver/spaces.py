"""Spaces that pictures can be delivered in: their primaries, curves and profiles."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal, Protocol

import numpy as np

from crenn.core.colorimetry.icc import matrix_profile
from crenn.core.colorimetry.spaces import D65_XY, REC2020_XY, SRGB_XY, adaptation_matrix, rgb_to_xyz_matrix, xy_to_xyz
from crenn.core.render.display import encoded, space_of

SpaceName = Literal["srgb", "p3", "oprgb", "romm", "rec2020"]
_SRGB_CURVE = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
_ALPHA, _BETA = 1.09929682680944, 0.018053968510807


class CodeSpace(Protocol):
    """What a picture is written in: how light is shown in it, and what its codes are."""

    @property
    def title(self) -> str: ...

    @property
    def shown(self) -> np.ndarray: ...

    @property
    def profile(self) -> bytes: ...

    def encoded(self, light: np.ndarray) -> np.ndarray: ...


@dataclass(frozen=True)
class OutputSpace:
    """A space of pictures.

    Attributes
    ----------
    name, title : str
    primaries : tuple of tuple of float
        CIE xy of red, green and blue.
    white : tuple of float
        CIE xy.
    curve : tuple of float
        From code to light; see `crenn.core.colorimetry.icc.matrix_profile`.
    bits : int
        Bits that a code should have at least: steps of 8 show in wide spaces.
    """

    name: SpaceName
    title: str
    primaries: tuple[tuple[float, float], ...]
    white: tuple[float, float] = D65_XY
    curve: tuple[float, ...] = _SRGB_CURVE
    bits: int = 8

    @cached_property
    def to_xyz(self) -> np.ndarray:
        """From linear light to XYZ under the space's own white, float64 (3, 3)."""
        return rgb_to_xyz_matrix(self.primaries, self.white)

    @cached_property
    def shown(self) -> np.ndarray:
        """What the display needs to know of it: its white is shown where the picture is white."""
        to_d65 = adaptation_matrix(xy_to_xyz(*self.white), xy_to_xyz(*D65_XY))
        return space_of(to_d65 @ self.to_xyz)

    @cached_property
    def profile(self) -> bytes:
        """Its ICC profile."""
        return matrix_profile(self.title, self.to_xyz, xy_to_xyz(*self.white), self.curve)

    def decoded(self, codes: np.ndarray) -> np.ndarray:
        """Light 0–1 of codes 0–1, float64."""
        codes = np.asarray(codes, np.float64)
        if len(self.curve) == 1:
            return codes ** self.curve[0]
        g, a, b, c, d = self.curve
        return np.where(codes >= d, np.maximum(a * codes + b, 0) ** g, c * codes)

    def encoded(self, light: np.ndarray) -> np.ndarray:
        """Codes of 16 bits of light 0–1, uint16 of the same shape."""
        if self.curve == _SRGB_CURVE and light.ndim == 3:
            return encoded(light, 16)
        light = np.clip(light, 0, 1)
        if len(self.curve) == 1:
            codes = light ** np.float32(1 / self.curve[0])
        else:
            g, a, b, c, d = self.curve
            power = (light ** np.float32(1 / g) - np.float32(b)) / np.float32(a)
            codes = np.where(light >= c * d, power, light / np.float32(c))
        return np.rint(np.clip(codes, 0, 1) * 65535).astype(np.uint16)


#: In the order in which they are offered.
SPACES: dict[str, OutputSpace] = {
    space.name: space
    for space in (
        # IEC 61966-2-1.
        OutputSpace("srgb", "sRGB", SRGB_XY),
        # SMPTE EG 432-1, with the white and the curve of screens.
        OutputSpace("p3", "Display P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))),
        # IEC 61966-2-5.
        OutputSpace("oprgb", "opRGB", ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), curve=(563 / 256,)),
        # ISO 22028-2.
        OutputSpace(
            "romm",
            "ROMM RGB",
            ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001)),
            (0.3457, 0.3585),
            (1.8, 1.0, 0.0, 1 / 16, 16 / 512),
            16,
        ),
        # ITU-R BT.2020-2, table 4.
        OutputSpace(
            "rec2020",
            "Rec. 2020",
            REC2020_XY,
            curve=(1 / 0.45, 1 / _ALPHA, (_ALPHA - 1) / _ALPHA, 1 / 4.5, 4.5 * _BETA),
            bits=16,
        ),
    )
}
