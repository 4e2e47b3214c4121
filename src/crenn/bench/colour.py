"""Colour: drift of a chart under each dial, steps along a fine circle of hues, noise, speed."""

import warnings
from typing import Any

import numpy as np

from crenn.bench.speed import drags, large_renderer
from crenn.bench.table import Table
from crenn.core.colorimetry.oklab import apart, from_oklab, hue_and_saturation, to_oklab
from crenn.core.colorimetry.spaces import REC2020_TO_XYZ, delta_e2000, xyz_to_lab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

#: What must hold hue and lightness, and what must hold lightness alone.
_HOLDS_BOTH: dict[str, dict[str, Any]] = {
    "saturation × 1.5": {"saturation": {"saturation": 1.5}},
    "saturation × 0.5": {"saturation": {"saturation": 0.5}},
    "vibrance 100 %": {"saturation": {"vibrance": 100}},
    "vibrance −100 %": {"saturation": {"vibrance": -100}},
    "a range's saturation × 2": {"hues": {"ranges": [{"name": "a", "hue": 250, "width": 60, "saturation": 2}]}},
}
_HOLDS_LIGHTNESS: dict[str, dict[str, Any]] = {
    "hue 30°": {"saturation": {"hue": 30}},
    "a range's hue 40°": {"hues": {"ranges": [{"name": "a", "hue": 250, "width": 60, "shift": 40}]}},
    "tint 10 %": {"tints": {"points": [{"name": "a", "stop": -3, "hue": 250, "amount": 10}]}},
    "balance by tone 0.5 EV": {"tones": {"midtones_red": 0.5}},
    "inks 0.5 EV": {"inks": {"blue_magenta": 0.5, "neutral_yellow": 0.5}},
    "cast 0.5 EV of midtones": {"cast": {"red": 0.5, "low": -5, "high": -1}},
    "monochrome": {"monochrome": {"amount": 100}},
}
_SHARPEST: tuple[dict[str, float], ...] = (
    {"shift": 60},
    {"saturation": 0},
    {"saturation": 3},
    {"lightness": 2},
    {"lightness": -2},
)


def chart(hues: int = 72, saturations: tuple[float, ...] = (0.03, 0.08, 0.15, 0.25)) -> np.ndarray:
    """Hues round the circle at rising lightness and saturation, float32 (rows, hues, 3)."""
    hue = np.radians(np.arange(hues) * 360 / hues)[None, None]
    light = np.array([0.2, 0.4, 0.6, 0.8])[:, None, None]
    chroma = light * np.array(saturations)[None, :, None]
    lab = np.stack(np.broadcast_arrays(light, chroma * np.cos(hue), chroma * np.sin(hue)), -1)
    return from_oklab(lab).reshape(-1, hues, 3).astype(np.float32)


def delta_e(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Colour difference CIEDE2000 of linear Rec. 2020, white at 1, (..., 3) twice to (...)."""
    return delta_e2000(*(xyz_to_lab(np.asarray(v, np.float64) @ REC2020_TO_XYZ.T) for v in (one, other)))


def _treated(rgb: np.ndarray, sections: dict[str, Any]) -> np.ndarray:
    document = Treatment.neutral().model_dump() | {name: {"on": True} | own for name, own in sections.items()}
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, None)))
    return renderer.linear(parse_treatment(document), Window.whole(rgb.shape[:2]))


def _drift(before: np.ndarray, after: np.ndarray) -> tuple[float, float]:
    """Largest drift of hue in degrees and of lightness in hundredths of white, in Oklab."""
    hue = np.abs(apart(hue_and_saturation(after)[0], hue_and_saturation(before)[0]))
    light = np.abs(to_oklab(after)[..., 0] - to_oklab(before)[..., 0])
    return float(hue.max()), 100 * float(light.max())


def drift() -> Table:
    """Hue and lightness under dials that should hold them, in Oklab and, as a second opinion, in CAM16-UCS."""
    table = Table(
        "Colour chart: largest drift (goal: hue 1.5°, lightness 0.5)",
        ("hue, °", "lightness", "CAM16-UCS hue, °", "CAM16-UCS J'"),
        note="Oklab (Ottosson 2020), CIELAB's successor, is what colours are worked on in; lightness in hundredths of "
        "white. CAM16-UCS (Li and others 2017) is another one that does not quite agree with it; of it 95 % lie below. "
        "Hue is not told where it is asked to move.",
    )
    before = chart()
    for name, sections in (_HOLDS_BOTH | _HOLDS_LIGHTNESS).items():
        after = _treated(before, sections)
        hue, light = _drift(before, after)
        other_hue, other_light = _in_cam16(before, after)
        held = name in _HOLDS_BOTH
        table.add(name, hue if held else None, light, other_hue if held else None, other_light)
    return table


def _in_cam16(before: np.ndarray, after: np.ndarray) -> tuple[float | None, float | None]:
    """95th percentiles of the drift of hue and lightness in CAM16-UCS; None where it is not at hand."""
    try:
        with warnings.catch_warnings(action="ignore"):
            import colour
    except ImportError:
        return None, None
    one, other = (colour.XYZ_to_CAM16UCS(np.clip(v @ REC2020_TO_XYZ.T, 0, None)) for v in (before, after))
    told = np.minimum(*(np.hypot(v[..., 1], v[..., 2]) for v in (one, other))) > 3
    hue = np.degrees(np.arctan2(other[..., 2], other[..., 1]) - np.arctan2(one[..., 2], one[..., 1]))
    light = np.abs(other[..., 0] - one[..., 0])
    off = np.abs(apart(hue, 0.0))[told]
    return float(np.percentile(off, 95)) if off.size else None, float(np.percentile(light, 95))


def steps() -> Table:
    """Largest difference from a hue to the next, a twentieth of a degree on, that a range adds to the circle's own."""
    table = Table(
        "Circle of 7200 hues: largest step that a range adds, ΔE2000 (goal 0.5)",
        ("5° wide, 20° soft", "30° wide, 30° soft", "100° wide, 60° soft"),
    )
    fine = chart(7200, (0.05, 0.15, 0.3))
    own = delta_e(fine, np.roll(fine, 1, 1))
    for change in _SHARPEST:
        worst = []
        for width, soft in ((5, 20), (30, 30), (100, 60)):
            found = []
            for hue in (20.3, 77.7, 140.1, 255.9):
                one = {"name": "a", "hue": hue, "width": width, "soft": soft} | change
                after = _treated(fine, {"hues": {"ranges": [one]}})
                found.append(float((delta_e(after, np.roll(after, 1, 1)) - own).max()))
            worst.append(max(found))
        ((name, value),) = change.items()
        table.add(f"{name} {value:g}", *worst)
    return table


def _dragged() -> dict[str, Any]:
    """Dials by name: the document at a share of their way."""
    range_ = {"name": "a", "hue": 270.0, "width": 40}
    tint = {"name": "s", "stop": -6.5, "hue": 250}
    return {
        "exposure, to compare": lambda s: {"exposure": {"ev": 4 * s}},
        "saturation": lambda s: {"saturation": {"saturation": 0.5 + s}},
        "vibrance": lambda s: {"saturation": {"vibrance": 100 * s}},
        "hue of a range": lambda s: {"hues": {"ranges": [range_ | {"shift": -20 * s}]}},
        "a range moved": lambda s: {"hues": {"ranges": [range_ | {"hue": 360 * s, "lightness": 0.5}]}},
        "amount of a tint": lambda s: {"tints": {"points": [tint | {"amount": 10 * s}]}},
        "balance by tone": lambda s: {"tones": {"shadows_blue": s}},
        "inks": lambda s: {"inks": {"blue_magenta": -s}},
        "primaries": lambda s: {"primaries": {"red_hue": 20 * s}},
        "channels": lambda s: {"channels": {"red_green": 50 * s}},
        "cast": lambda s: {"cast": {"red": 0.3, "blue": -0.2, "amount": 100 * s}},
        "sky, strength": lambda s: {"sky": {"strength": 2 * s}},
        "sky, turn": lambda s: {"sky": {"strength": 1, "turn": 60 * s}},
        "faint colour": lambda s: {"faint": {"gain": 1 + 3 * s}},
        "monochrome, blue": lambda s: {"monochrome": {"amount": 100, "blue": -s}},
        "saturation, all in use": lambda s: {
            "saturation": {"saturation": 0.5 + s},
            "hues": {"ranges": [range_ | {"shift": -20}]},
            "tints": {"points": [tint | {"amount": 5}]},
            "tones": {"shadows_blue": 0.2},
            "inks": {"blue_magenta": -0.3},
            "primaries": {"red_hue": 5},
            "sky": {"strength": 1},
            "faint": {"gain": 2},
        },
    }


def speed() -> Table:
    """Time from a change to an encoded picture, 24 megapixels in 1280x800."""
    table = Table(
        "Colour dragged, 24 MP in 1280x800, ms (goal: median 33 while dragging, 250 at rest)",
        ("fitted, median", "95 %", "100 %, median", "95 %", "at rest, median", "95 %"),
    )
    renderer = large_renderer()
    whole, full = Window.whole(renderer.scene.size, 1200), Window(2000, 1400, 1280, 800, 1280, 800)
    coarse = Window(0, 0, whole.width, whole.height, whole.out_width // 2, whole.out_height // 2)
    for name, change in _dragged().items():
        table.add(
            name,
            *drags(renderer, coarse, change),
            *drags(renderer, full, change),
            *drags(renderer, whole, change, True),
        )
    return table


def bench() -> list[Table]:
    """The subject ``colour``."""
    return [drift(), steps(), speed()]
