"""Pictures for screens that show more than white: codes of absolute light, and how much of it a picture has.

White is shown at 203 cd/m² (ITU-R BT.2408-7, 2.2), so that such a picture stands beside others as bright as they do.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

import numpy as np

from crenn.core.deliver.spaces import SPACES

#: cd/m² of white, and of the greatest code.
WHITE, GREATEST = 203.0, 10_000.0
#: Rec. 2020's primaries, PQ, and its matrix of luminance and colour (ITU-T H.273, tables 2 to 4).
REC2100_PQ = (9, 16, 9)
#: SMPTE ST 2084:2014, 5.2.
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
#: From Rec. 2020 to cone responses, and from their codes to intensity and two axes of colour (ITU-R BT.2124-0).
_CONES = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_ITP = np.array([[2048, 2048, 0], [3305, -6806.5, 3501.5], [17933, -17390, -543]]) / 4096
#: Codes are read from a table over the fourth root of light, which they are nearly even in.
_ENTRIES = 65536
#: Share of the pixels up to which the brightest is told by.
_BRIGHTEST = 0.99999


def pq_of(nits: np.ndarray) -> np.ndarray:
    """Codes 0–1 of light in cd/m², float64 (SMPTE ST 2084:2014, 5.2)."""
    y = np.clip(np.asarray(nits, np.float64) / GREATEST, 0, 1) ** _M1
    return ((_C1 + _C2 * y) / (1 + _C3 * y)) ** _M2


def nits_of(codes: np.ndarray | np.floating) -> np.ndarray:
    """Light in cd/m² of codes 0–1, float64 (SMPTE ST 2084:2014, 5.1)."""
    v = np.clip(np.asarray(codes, np.float64), 0, 1) ** (1 / _M2)
    return GREATEST * (np.maximum(v - _C1, 0) / (_C2 - _C3 * v)) ** (1 / _M1)


def delta_itp(nits: np.ndarray, others: np.ndarray) -> np.ndarray:
    """How far colours lie apart, float64 (...): 1 is just seen (ITU-R BT.2124-0).

    Parameters
    ----------
    nits, others : ndarray (..., 3)
        Linear light of Rec. 2020 in cd/m².
    """
    one, other = (pq_of(np.asarray(light) @ _CONES.T) @ _ITP.T for light in (nits, others))
    return np.asarray(720 * np.linalg.norm(one - other, axis=-1))


_TABLE = np.rint(65535 * pq_of(GREATEST * np.linspace(0, 1, _ENTRIES) ** 4)).astype(np.uint16)


class PqSpace:
    """Rec. 2020 with the codes of ITU-R BT.2100-2 (PQ); see `crenn.core.deliver.spaces.OutputSpace`.

    It has no profile: what codes are is told by numbers (ITU-T H.273).
    """

    profile = b""
    title = "Rec. 2100 PQ"
    shown = SPACES["rec2020"].shown

    def encoded(self, light: np.ndarray) -> np.ndarray:
        """Codes of 16 bits of light, 1 being white, uint16 of the same shape."""
        share = np.clip(np.asarray(light, np.float32) * np.float32(WHITE / GREATEST), 0, 1)
        return np.asarray(_TABLE[np.rint(np.sqrt(np.sqrt(share)) * np.float32(_ENTRIES - 1)).astype(np.uint16)])


@dataclass
class LightLevel:
    """How bright a picture is (CTA-861.3-A, annex P), of codes that go by.

    Attributes
    ----------
    most, mean : float
        cd/m² of the brightest pixel, by its greatest channel, and the mean of those; 0 before any went by.
    """

    _counts: np.ndarray = field(default_factory=lambda: np.zeros(65536, np.int64))

    def watching(self, bands: Iterable[np.ndarray]) -> Iterator[np.ndarray]:
        """Bands of codes, uint16 (rows, w, 3), as they are."""
        for band in bands:
            self._counts += np.bincount(band.max(2).ravel(), minlength=65536)
            yield band

    @property
    def most(self) -> float:
        # A few pixels of noise say nothing of a picture.
        told = np.cumsum(self._counts) >= _BRIGHTEST * self._counts.sum()
        return float(nits_of(np.argmax(told) / 65535)) if self._counts.any() else 0.0

    @property
    def mean(self) -> float:
        count = self._counts.sum()
        return float(self._counts @ nits_of(np.arange(65536) / 65535) / count) if count else 0.0
