"""Tables over hue, saturation and value that say what becomes of colours, as camera profiles bring them.

Adobe Digital Negative 1.7, chapter 6, "Hue/Saturation/Value Mapping Table": colours are those of ROMM RGB (ISO
22028-2) with its white D50, taken apart into hue, saturation and value; hues are shifted, saturation and value scaled.
"""

import base64
import zlib
from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.spaces import (
    D65_XY,
    REC2020_TO_XYZ,
    adaptation_matrix,
    rgb_to_xyz_matrix,
    srgb_decode,
    srgb_encode,
    xy_to_xyz,
)

_ROMM_XY, _D50_XY = ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001)), (0.3457, 0.3585)
_TO_ROMM = (
    np.linalg.inv(rgb_to_xyz_matrix(_ROMM_XY, _D50_XY))
    @ adaptation_matrix(xy_to_xyz(*D65_XY), xy_to_xyz(*_D50_XY))
    @ REC2020_TO_XYZ
)
_FROM_ROMM = np.linalg.inv(_TO_ROMM)
#: Nodes that a table may have, and degrees and factors beyond which one is damaged.
MOST_NODES, _TURNED, _SCALED = 120_000, 180.0, 16.0


@dataclass(frozen=True, eq=False)
class HueSaturationMap:
    """One table.

    Attributes
    ----------
    nodes : ndarray, float32 (values, hues, saturations, 3)
        Degrees by which hue is shifted, and factors on saturation and value. Hues go round from red; saturations and
        values from 0 to 1, the last if there is more than one.
    encoded : bool
        Whether values are codes of sRGB, and not light.

    Raises
    ------
    ValueError
        If nodes are of another shape, too many, or no numbers that a table has.
    """

    nodes: np.ndarray
    encoded: bool = False

    def __post_init__(self) -> None:
        nodes = self.nodes
        if nodes.ndim != 4 or nodes.shape[3] != 3 or 0 in nodes.shape or nodes.size // 3 > MOST_NODES:
            raise ValueError(f"a table of hues is (values, hues, saturations, 3), not {nodes.shape}")
        if nodes.shape[2] < 2 or not np.isfinite(nodes).all():
            raise ValueError("a table of hues has saturations from 0 to 1 and numbers at each")
        if np.abs(nodes[..., 0]).max() > _TURNED or nodes[..., 1:].min() < 0 or nodes[..., 1:].max() > _SCALED:
            raise ValueError("a table of hues shifts by half a turn at most, and scales by 0 to 16")

    def applied(self, rgb: np.ndarray) -> np.ndarray:
        """What becomes of linear Rec. 2020 colours, float64 (..., 3); 1 is white."""
        romm = np.maximum(np.asarray(rgb, np.float64) @ _TO_ROMM.T, 0.0)
        value, low = romm.max(-1), romm.min(-1)
        chroma = value - low
        safe = np.where(chroma > 0, chroma, 1.0)
        red, green, blue = np.moveaxis(romm, -1, 0)
        sixth = np.where(
            value == red,
            ((green - blue) / safe) % 6.0,
            np.where(value == green, (blue - red) / safe + 2, (red - green) / safe + 4),
        )
        hue = np.where(chroma > 0, sixth, 0.0)
        saturation = np.where(value > 0, chroma / np.where(value > 0, value, 1.0), 0.0)
        code = srgb_encode(value) if self.encoded else value
        shift, factor, brighter = self._looked_up(hue / 6.0, saturation, np.minimum(code, 1.0))
        # Above white codes end; what is brighter is scaled as white is.
        scaled = srgb_decode(np.clip(code * brighter, 0, 1)) if self.encoded else value * brighter
        value = np.where(self.encoded & (value > 1), value * brighter, scaled)
        return _from_hsv(hue + shift / 60.0, np.clip(saturation * factor, 0, 1), value) @ _FROM_ROMM.T

    def _looked_up(self, turn: np.ndarray, saturation: np.ndarray, value: np.ndarray) -> np.ndarray:
        """The table's numbers between its nodes, linearly, float64 (3, ...)."""
        values, hues, saturations, _ = self.nodes.shape
        at_hue = turn * hues
        at = value * (values - 1), at_hue, saturation * (saturations - 1)
        low = [np.floor(v).astype(np.int64) for v in at]
        low[0] = np.clip(low[0], 0, max(values - 2, 0))
        low[2] = np.clip(low[2], 0, saturations - 2)
        out = np.zeros((3, *np.shape(turn)))
        for corner in np.ndindex(2, 2, 2):
            weight = np.ones(np.shape(turn))
            for share, where, first in zip(corner, at, low):
                weight = weight * ((where - first) if share else 1 - (where - first))
            v, h, s = (first + share for first, share in zip(low, corner))
            found = self.nodes[np.minimum(v, values - 1), h % hues, np.minimum(s, saturations - 1)]
            out += weight * np.moveaxis(found, -1, 0)
        return out

    def text(self) -> str:
        """For a report: shape, kind and nodes in 16 bits, packed."""
        head = ",".join(map(str, (*self.nodes.shape[:3], int(self.encoded))))
        packed = zlib.compress(np.ascontiguousarray(self.nodes, "<f2").tobytes(), 9)
        return f"{head}:{base64.b64encode(packed).decode()}"

    @classmethod
    def from_text(cls, text: str) -> "HueSaturationMap":
        """Of what `text` has written; a `ValueError` if it is something else."""
        try:
            head, packed = text.split(":")
            values, hues, saturations, encoded = map(int, head.split(","))
            if min(values, hues, saturations) < 1 or values * hues * saturations > MOST_NODES:
                raise ValueError(head)
            size = values * hues * saturations * 6
            data = zlib.decompressobj().decompress(base64.b64decode(packed, validate=True), size)
            nodes = np.frombuffer(data, "<f2").astype(np.float32).reshape(values, hues, saturations, 3)
        except (ValueError, zlib.error) as fault:
            raise ValueError(f"{text[:40]!r} is no table of hues") from fault
        return cls(nodes, bool(encoded))


def _from_hsv(sixth: np.ndarray, saturation: np.ndarray, value: np.ndarray) -> np.ndarray:
    """Colours (..., 3) of hue in sixths of the circle, saturation and value (Smith 1978)."""
    parts = [(n + sixth) % 6.0 for n in (5.0, 3.0, 1.0)]
    return np.stack([value * (1 - saturation * np.clip(np.minimum(k, 4 - k), 0, 1)) for k in parts], -1)
