"""How the camera itself showed a scene: its developed picture held against the scene's light."""

from collections.abc import Iterator
from typing import Annotated, Any

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.colorimetry.oklab import to_oklab
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, lightness, luminance

#: Longer side on which both are compared, in pixels.
_SIDE = 160
#: Both show the same if the ranks of their light correlate so far, and their sides are alike within this factor.
_ALIKE, _SIDES = 0.7, 1.12
#: Width in stops of the bins of light whose tone is told, and the least share of the picture in one.
_BIN, _LEAST = 0.5, 0.004
#: Light that the picture shows this near to black or white has no say in what it makes of colours.
_BLACK, _WHITE = 0.002, 0.98
#: Colours less saturated than this in Oklab tell nothing of saturation, and so much of the picture must be coloured.
_COLOURED, _ENOUGH = 0.03, 0.02
#: Parts of the circle of hues whose colours are told, and the least share of the picture in one.
_SECTORS, _FEWEST = 12, 0.005


class CameraTone(BaseModel):
    """Light of about a stop, and how bright the camera's picture shows it."""

    model_config = ConfigDict(allow_inf_nan=False)
    stop: float = Field(description="of the scene")
    lightness: float = Field(ge=0, le=100, description="median L* of the camera's picture")
    share: float = Field(ge=0, le=1, description="of the picture")
    deep: float = Field(0.0, description="EV by which it counts for more than its luminance: its colour is deep")


#: The opponent axes of Oklab over its lightness.
_Axes = tuple[Annotated[float, Field(ge=-10, le=10)], Annotated[float, Field(ge=-10, le=10)]]


class CameraColour(BaseModel):
    """A colour of the scene, and what the camera's picture makes of it: Oklab's opponent axes over its lightness."""

    model_config = ConfigDict(allow_inf_nan=False)
    own: _Axes
    shown: _Axes
    share: float = Field(ge=0, le=1, description="of the picture")


class CameraPicture(BaseModel):
    """What the camera's own picture of the reference frame tells."""

    model_config = ConfigDict(allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    tones: list[CameraTone] = Field(max_length=96, description="the darkest first; brighter light is no darker")
    lightness: float = Field(ge=0, le=100, description="mean L* of the picture")
    brightest: float = Field(ge=0, le=1.1, description="light of the strongest colour that a tenth of it exceeds, of 1")
    saturation: float | None = Field(
        None, ge=0, le=10, description="of its colours over the scene's as bright; none if there are hardly any"
    )
    colours: list[CameraColour] = Field(default_factory=list, max_length=_SECTORS, description="by the scene's hue")


def _reduced(light: np.ndarray) -> np.ndarray:
    factor = _SIDE / max(light.shape[:2])
    size = tuple(max(round(n * factor), 1) for n in light.shape[1::-1])
    return np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA))


def _ranks(values: np.ndarray) -> np.ndarray:
    """Ranks about their mean, with a spread of 1; equal values share theirs."""
    _, inverse, counts = np.unique(values, return_inverse=True, return_counts=True)
    ranks = (np.cumsum(counts) - (counts - 1) / 2)[inverse.ravel()]
    ranks -= ranks.mean()
    return np.asarray(ranks / max(float(np.linalg.norm(ranks)), 1e-12))


def _turned(picture: np.ndarray, shape: tuple[int, int], part: tuple[float, ...]) -> Iterator[tuple[int, np.ndarray]]:
    """The picture in each turn that a scene of a shape (H, W) may be of, cut to its part and as large.

    With each the quarter turns to the left.
    """
    for quarters in range(4):
        turned = np.rot90(picture, quarters)
        height, width = turned.shape[:2]
        x, y, w, h = part
        left, top = round(x * width), round(y * height)
        cut = turned[top : top + max(round(h * height), 1), left : left + max(round(w * width), 1)]
        aspect = cut.shape[1] / cut.shape[0] * shape[0] / shape[1]
        if 1 / _SIDES < aspect < _SIDES:
            yield quarters, np.asarray(cv2.resize(np.ascontiguousarray(cut), shape[::-1], interpolation=cv2.INTER_AREA))


def _likest(y: np.ndarray, picture: np.ndarray, part: tuple[float, ...]) -> tuple[float, int, np.ndarray] | None:
    """How alike to luminance (h, w) a picture is in its likest turn, that, and it turned; None if it shows other."""
    positive = y > 0
    if positive.mean() < 0.02:
        return None
    known = _ranks(np.maximum(y, y[positive].min()).ravel())
    turns = [
        (float(known @ _ranks(luminance(shown).ravel())), quarters, shown)
        for quarters, shown in _turned(picture, y.shape, part)
    ]
    best = max(turns, key=lambda turn: turn[0], default=None)
    return None if best is None or best[0] < _ALIKE else best


def quarters_to_held(rgb: np.ndarray, picture: np.ndarray, part: tuple[float, ...]) -> int | None:
    """Quarter turns to the left by which a camera's picture lies as the scene; None if it shows something else."""
    best = _likest(luminance(_reduced(rgb)), picture, part)
    return None if best is None else best[1]


def held_against(rgb: np.ndarray, picture: np.ndarray, part: tuple[float, float, float, float]) -> CameraPicture | None:
    """Hold a camera's picture against the light of a scene.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Light of the scene, as the camera was held.
    picture : ndarray, float32 (h, w, 3)
        Linear Rec. 2020, in any turn, as of `crenn.core.frames.embedded.embedded_picture`.
    part : tuple of float
        x, y, width and height of the scene in what the sensor recorded, as held, in shares of the latter.

    Returns
    -------
    CameraPicture or None
        None if the picture does not show the scene.
    """
    light = _reduced(rgb)
    y = luminance(light)
    likest = _likest(y, picture, part)
    if likest is None:
        return None
    shown = likest[2]
    stops = np.log2(np.maximum(y, y[y > 0].min()))
    l_star = np.clip(lightness(np.maximum(luminance(shown), 0)), 0, 100)
    return CameraPicture(
        tones=_tones(stops, l_star, _deep_ev(light, y)),
        lightness=round(float(l_star.mean()), 2),
        brightest=round(float(np.clip(np.quantile((shown @ REC2020_TO_SRGB.T).max(-1), 0.9), 0, 1)), 4),
        **_colours(light, shown),
    )


def _deep_ev(light: np.ndarray, y: np.ndarray) -> np.ndarray:
    """EV by which light, as the display measures it, is more than its luminance, (h, w)."""
    measured = (y + light.max(-1)) / 2
    return np.log2(np.maximum(measured, 1e-12) / np.maximum(y, 1e-12)).clip(0, 4)


def _tones(stops: np.ndarray, l_star: np.ndarray, deep: np.ndarray) -> list[CameraTone]:
    bins = np.floor(stops / _BIN).astype(int)
    out: list[CameraTone] = []
    for index in np.unique(bins):
        inside = bins == index
        share = float(inside.mean())
        if share >= _LEAST:
            least = out[-1].lightness if out else 0.0
            tone = max(float(np.median(l_star[inside])), least)
            means = round(float(stops[inside].mean()), 3), round(float(deep[inside].mean()), 3)
            out.append(CameraTone(stop=means[0], lightness=round(tone, 2), share=round(share, 5), deep=means[1]))
    return out[-96:]


def _colours(light: np.ndarray, shown: np.ndarray) -> dict[str, Any]:
    """How colours of the light are shown, where both are as bright: fields of `CameraPicture`."""
    y = luminance(shown)
    bright = light * (y / np.maximum(luminance(light), 1e-9))[..., None]
    # What sRGB cannot show the camera could not either.
    inside = np.clip(bright @ REC2020_TO_SRGB.T.astype(np.float32), 0, 1)
    back = np.linalg.inv(REC2020_TO_SRGB).T.astype(np.float32)
    own, other = (_axes(np.clip(v, 0, None)) for v in (inside @ back, shown))
    saturation, others = (np.hypot(v[..., 0], v[..., 1]) for v in (own, other))
    top = (shown @ REC2020_TO_SRGB.T.astype(np.float32)).max(-1)
    good = (y > _BLACK) & (top < _WHITE) & (saturation > _COLOURED) & np.isfinite(saturation + others)
    if good.mean() < _ENOUGH:
        return {"saturation": None}
    sector = np.floor(np.arctan2(own[..., 1], own[..., 0]) / (2 * np.pi) * _SECTORS).astype(int) % _SECTORS
    colours = []
    for index in range(_SECTORS):
        where = good & (sector == index)
        if (share := float(where.mean())) >= _FEWEST:
            pair = [[round(float(v), 4) for v in np.median(axes[where], 0).clip(-10, 10)] for axes in (own, other)]
            colours.append({"own": pair[0], "shown": pair[1], "share": round(share, 5)})
    ratio = np.median(others[good] / saturation[good])
    return {"saturation": round(float(np.clip(ratio, 0, 10)), 3), "colours": colours}


def _axes(rgb: np.ndarray) -> np.ndarray:
    """Opponent axes over lightness in Oklab, which do not go by how bright a colour is, (..., 2)."""
    lab = to_oklab(rgb)
    return np.asarray(lab[..., 1:] / np.maximum(lab[..., :1], 1e-6))
