"""The light of a scene as the steps need to know it."""

from dataclasses import dataclass

import numpy as np

from crenn.core.colour.spaces import D65_XY
from crenn.core.colour.white import temperature_of


@dataclass(frozen=True, eq=False)
class SceneLight:
    """The light of a scene as the steps need to know it.

    Attributes
    ----------
    histogram : ndarray (N,)
        Share of the picture per bin of luminance.
    start, bin : float
        Stop of the first bin's lower edge and width of a bin.
    noise_horizon : float
        Stop below which noise rules.
    as_shot : tuple of float
        Temperature in kelvin and tint in thousandths of Duv of the white balance as shot.
    """

    histogram: np.ndarray
    start: float
    bin: float
    noise_horizon: float
    as_shot: tuple[float, float]

    @classmethod
    def from_report(cls, report: dict) -> "SceneLight":
        """From a merge report."""
        as_shot = report.get("as_shot") or temperature_of(*D65_XY)
        return cls(
            np.asarray(report["histogram"], np.float64),
            float(report["histogram_start"]),
            float(report["histogram_bin"]),
            float(report["noise_horizon"]),
            tuple(as_shot),
        )

    def quantile(self, share: float) -> float:
        """Stop below which a share of the picture lies."""
        total = np.concatenate([[0.0], np.cumsum(self.histogram)])
        edges = self.start + self.bin * np.arange(total.size)
        return float(np.interp(share * total[-1], total, edges))

    def bulk(self) -> float:
        """Mean stop of the middle nine tenths."""
        centres = self.start + self.bin * (np.arange(self.histogram.size) + 0.5)
        low, high = self.quantile(0.05), self.quantile(0.95)
        inside = (centres >= low) & (centres <= high)
        weight = self.histogram * inside
        return float((weight * centres).sum() / weight.sum()) if weight.sum() > 0 else self.quantile(0.5)
