"""What the scene's histogram suggests: the automatic values of the Light station."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from crenn.core.colour.spaces import D65_XY, MIDDLE_GREY
from crenn.core.colour.white import temperature_of
from crenn.core.light.placement import LIGHT_SPAN, placement_ev

#: Tone, in EV below white, on which the bulk of the scene is put: under middle grey, as it is night.
_BULK_TONE = -2.75
#: The darkest twentieth should not fall below this tone.
_DARK_TONE = -6.0
#: The brightest hundredth is held to this tone; bare lamps above it may burn out.
_BRIGHT_TONE = -0.1
#: Noise at the horizon should not be lifted above this tone.
_NOISE_TONE = -6.5


#: Scenes of fewer stops than this, between the darkest and the brightest hundredth, get more contrast.
_FLAT_RANGE, _MOST_CONTRAST = 7.0, 1.35


@dataclass(frozen=True)
class AutomaticLight:
    """Automatic values: EV of exposure, placement and ends, and the contrast factor."""

    exposure: float
    shadows: float
    highlights: float
    white: float
    black: float
    contrast: float


@dataclass(frozen=True)
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

    def _bulk(self) -> float:
        """Mean stop of the middle nine tenths."""
        centres = self.start + self.bin * (np.arange(self.histogram.size) + 0.5)
        low, high = self.quantile(0.05), self.quantile(0.95)
        inside = (centres >= low) & (centres <= high)
        weight = self.histogram * inside
        return float((weight * centres).sum() / weight.sum()) if weight.sum() > 0 else self.quantile(0.5)

    @cached_property
    def automatic(self) -> AutomaticLight:
        """Automatic values for the Light station."""
        exposure = float(np.clip(_BULK_TONE - self._bulk(), -12.0, 12.0))
        dark, bright = self.quantile(0.05) + exposure, self.quantile(0.99) + exposure
        horizon = self.noise_horizon + exposure
        # Lifting acts in full six stops below the middle and in part above.
        shadows = np.clip(_DARK_TONE - dark, 0.0, 4.0)
        shadows = min(shadows, max(_NOISE_TONE - horizon, 0.0))
        share = self._share((bright - MIDDLE_GREY) / LIGHT_SPAN)
        highlights = -np.clip((bright - _BRIGHT_TONE) / max(share, 0.15), 0.0, 6.0) if bright > _BRIGHT_TONE else 0.0
        span = self.quantile(0.99) - self.quantile(0.01)
        contrast = np.clip(_FLAT_RANGE / max(span, 1.0), 1.0, _MOST_CONTRAST)
        stops = np.linspace(-32, 16, 1537)
        placed = stops + placement_ev(stops, float(shadows), float(highlights), [], exposure)

        def tone(share: float) -> float:
            placed_on = float(np.interp(self.quantile(share) + exposure, stops, placed))
            return MIDDLE_GREY + float(contrast) * (placed_on - MIDDLE_GREY)

        white = float(np.clip(tone(0.9995) + 0.3, 0.0, 3.0))
        black = float(np.clip(tone(0.002) - 0.5, -14.0, -7.5))
        return AutomaticLight(*(round(float(v), 2) for v in (exposure, shadows, highlights, white, black, contrast)))

    @staticmethod
    def _share(x: float) -> float:
        x = min(max(x, 0.0), 1.0)
        return x * x * (3 - 2 * x)
