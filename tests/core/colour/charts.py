"""What tests of colour share: charts of known hues, and what a treatment makes of them."""

from typing import Any

import numpy as np

from crenn.core.colorimetry.oklab import apart, from_oklab, hue_and_saturation, to_oklab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

#: Light of the chart's lightness: middle grey.
LIGHTNESS = 0.56


def colours(
    hue: np.ndarray | float, saturation: np.ndarray | float, lightness: np.ndarray | float = LIGHTNESS
) -> np.ndarray:
    """Linear Rec. 2020 of hues in degrees and saturations, float32 (..., 3)."""
    hue, saturation, lightness = np.broadcast_arrays(np.radians(hue), saturation, lightness)
    lab = np.stack([lightness, lightness * saturation * np.cos(hue), lightness * saturation * np.sin(hue)], -1)
    return from_oklab(lab).astype(np.float32)


def circle(
    count: int = 720, saturations: tuple[float, ...] = (0.05, 0.1, 0.2), lightness: float = LIGHTNESS
) -> np.ndarray:
    """Rows of hues round the circle, one for each saturation, float32 (rows, count, 3)."""
    hue = np.arange(count) * (360 / count)
    return colours(hue[None], np.array(saturations)[:, None], lightness)


def document(**sections: dict[str, Any]) -> dict[str, Any]:
    """A treatment that does nothing but what sections say."""
    return Treatment.neutral().model_dump() | {name: {"on": True} | own for name, own in sections.items()}


def scene_of(rgb: np.ndarray, sigma: float | np.ndarray | None = None) -> PreparedScene:
    """A prepared scene of some light; ``sigma`` is its noise, in proportion to light or as it is."""
    rgb = np.ascontiguousarray(rgb, np.float32)
    noise = np.full_like(rgb, 1) * sigma * np.maximum(rgb, 1e-6) if isinstance(sigma, float) else sigma
    return PreparedScene.from_radiance(RadianceMap(rgb, None if noise is None else noise.astype(np.float32)))


def treated(
    rgb: np.ndarray, sigma: float | np.ndarray | None = None, areas: list | None = None, **sections: Any
) -> np.ndarray:
    """Light after the sections, and nothing else, have acted, float32 (h, w, 3)."""
    treatment = parse_treatment(document(**sections) | {"areas": areas or []})
    return Renderer(scene_of(rgb, sigma)).linear(treatment, Window.whole(rgb.shape[:2]))


def drift(before: np.ndarray, after: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """By how much hue, in degrees, and Oklab's lightness, in hundredths, have moved; and the ratio of saturations."""
    (h0, s0), (h1, s1) = hue_and_saturation(before.astype(float)), hue_and_saturation(after.astype(float))
    lightness = 100 * (to_oklab(after.astype(float))[..., 0] - to_oklab(before.astype(float))[..., 0])
    return apart(h1, h0), lightness, s1 / np.maximum(s0, 1e-9)
