"""What Colour tells of a picture: where its colours lie, one that is picked, which a range takes, casts."""

from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.oklab import apart, hue_and_saturation, hue_of, to_oklab
from crenn.core.colorimetry.spaces import (
    SRGB_TO_XYZ,
    XYZ_TO_REC2020,
    luminance,
    srgb_decode,
)
from crenn.core.colour.found_cast import Method, asked, find_cast
from crenn.core.colour.hues import belonging
from crenn.core.colour.trust import hue_trusted
from crenn.core.errors import CrennError
from crenn.core.render.display import CRUSHED
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import CAST, HUES, Treatment

#: Sectors of the distribution round the circle, and rings from grey outwards; the last ends at this saturation. Rings
#: are even in the root of saturation.
SECTORS, RINGS, MOST = 72, 16, 0.6
#: Longer side of the picture that is looked at, in pixels.
_SIDE = 600
#: Saturation below which a place has no hue to speak of, and pieces along each side of a patch that tell its spread.
_GREY, _PIECES = 0.012, 4
#: Light of the brightest of the picture is lamps and what was lost: it tells no cast.
_TELLING = 0.995


@dataclass(frozen=True)
class Picked:
    """The colour of a patch.

    Attributes
    ----------
    hue : float
        Degrees on Oklab's circle, of the light that enters the hues.
    saturation : float
        Chroma in proportion to lightness.
    spread : float
        Deviation of hue within the patch, in degrees.
    stop : float
        EV of the light relative to the picture's white.
    code : tuple of int
        Red, green and blue of the finished picture, 0 to 255.
    """

    hue: float
    saturation: float
    spread: float
    stop: float
    code: tuple[int, int, int]


def distribution(renderer: Renderer, treatment: Treatment) -> np.ndarray:
    """Where the colours of a treatment's picture lie: shares of it by hue and saturation, float64 (SECTORS, RINGS)."""
    window = Window.whole(renderer.frame(treatment).size, _SIDE)
    light = renderer.linear(treatment, window)
    recorded = renderer.recorded(treatment, window)
    seen = luminance(light) > 0
    hue, saturation = hue_and_saturation(light[seen if recorded is None else seen & recorded])
    sector = np.minimum((hue * (SECTORS / 360.0)).astype(np.int64), SECTORS - 1)
    ring = np.minimum((np.sqrt(saturation / MOST) * RINGS).astype(np.int64), RINGS - 1)
    counts = np.bincount(sector * RINGS + ring, minlength=SECTORS * RINGS).reshape(SECTORS, RINGS)
    return np.asarray(counts / max(hue.size, 1))


def _patch(renderer: Renderer, treatment: Treatment, place: tuple[float, float], radius: float) -> Window:
    """The window of a patch about a place, in shares of the scene's longer side, that lies in the picture."""
    frame = renderer.frame(treatment)
    x, y = frame.of_shares(np.array([place]))[0]
    return Window.about((float(x), float(y)), radius, frame.size)


def pick(renderer: Renderer, treatment: Treatment, place: tuple[float, float], radius: float) -> Picked:
    """The colour of a patch as it enters the hues, and as the picture shows it.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    place : tuple of float
        Its middle, in shares of the scene's longer side.
    radius : float
        Full-size pixels.

    Raises
    ------
    CrennError
        If the patch lies outside, is clipped, too dark, or grey.
    """
    window = _patch(renderer, treatment, place, radius)
    scene = renderer.scene
    if scene.has("clipped") and (renderer.sampled("clipped", treatment, window) > 0).mean() > 0.1:
        raise CrennError("This place is clipped in every frame: its colour was not recorded.", remedy="Pick another.")
    codes, limits = renderer.picture(treatment, window)
    if (limits & 7 == 7).mean() > 0.5:
        raise CrennError("This place is white in the picture: it shows no colour.", remedy="Pick a darker one.")
    recorded = luminance(renderer.light(renderer.view(treatment, window)))
    if np.median(recorded) < 2.0 ** (scene.light.noise_horizon - 2) or (limits & CRUSHED > 0).mean() > 0.5:
        raise CrennError("This place is black: what colour it has is noise.", remedy="Pick a brighter one.")
    light = renderer.linear(treatment.up_to(HUES), window)
    mean = light.reshape(-1, 3).astype(np.float64).mean(0)
    hue, saturation = (float(v) for v in hue_and_saturation(mean))
    if saturation < _GREY:
        raise CrennError("This place is grey: it has no hue.", remedy="Pick one that has a colour.")
    pieces = [
        hue_and_saturation(piece.reshape(-1, 3).astype(np.float64).mean(0))[0]
        for rows in np.array_split(light, min(_PIECES, light.shape[0]), 0)
        for piece in np.array_split(rows, min(_PIECES, light.shape[1]), 1)
    ]
    spread = float(np.sqrt(np.mean(apart(np.array(pieces), hue) ** 2)))
    red, green, blue = (int(v) for v in np.round(codes.reshape(-1, 3).mean(0)))
    stop = float(np.log2(max(float(luminance(mean)), 2.0**-30)))
    return Picked(hue, saturation, spread, stop, (red, green, blue))


def range_mask(renderer: Renderer, treatment: Treatment, name: str, window: Window, fine: bool = True) -> np.ndarray:
    """How far the places of a window belong to a range of hues, uint16 (h, w); nothing if there is none of the name."""
    wanted = next((r for r in treatment.section(HUES).ranges if r.name == name), None)
    if wanted is None:
        return np.zeros((window.out_height, window.out_width), np.uint16)
    entering = treatment.up_to(HUES)

    view = renderer.view(entering, window, fine)

    def found(entering: Treatment, noise: tuple) -> np.ndarray:
        hue, saturation = hue_and_saturation(renderer.linear(entering, window, fine))
        light = luminance(renderer.light(view))
        stops = np.log2(np.maximum(light, renderer.scene.floor))
        trust = hue_trusted(renderer.scene.light, stops, saturation, treatment.takes_noise)
        return np.stack([hue, saturation, trust])

    # While a range is moved, what it is moved over stays.
    noise = renderer.scene.noise
    given = entering, () if noise is None else noise.key
    hue, saturation, trust = renderer.cache.get(view, "hues", given, found)
    return (belonging(wanted, hue, saturation) * trust * 65535 + 0.5).astype(np.uint16)


def cast_of(
    renderer: Renderer,
    treatment: Treatment,
    by: Method,
    box: tuple[float, float, float, float] | None = None,
    tones: tuple[float | None, float | None] = (None, None),
) -> tuple[float, float]:
    """The cast of the light that enters the Colour station: red and blue over green, in EV; see `find_cast`.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    by : "edges" or "dull"
    box : tuple of float, optional
        x, y, width and height of the part that is asked, in shares of the scene's longer side.
    tones : tuple of float or None
        EV, relative to the picture's white, from which on and up to which places are asked.

    Raises
    ------
    CrennError
        If the box lies outside, or nothing in it tells a cast.
    """
    entering = treatment.up_to(CAST)
    frame = renderer.frame(entering)
    window = Window.whole(frame.size, _SIDE)
    if box is not None:
        x, y, w, h = box
        corners = np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]) * frame.long_side
        low, high = frame.to_plane(corners).min(0), frame.to_plane(corners).max(0)
        (left, top), (right, bottom) = low, high
        window = Window.of_box(left, top, right, bottom, frame.size, _SIDE)
        if min(window.width, window.height) < 8:
            raise CrennError("This box is too small, or lies outside the picture.", remedy="Draw one inside.")
    light = renderer.linear(entering, window)
    scene = renderer.scene
    recorded = luminance(renderer.light(renderer.view(entering, window)))
    floor, ceiling = 2.0**scene.light.noise_horizon, 2.0 ** scene.light.quantile(_TELLING)
    speaking = (recorded > floor) & (recorded < ceiling) & asked(light, *tones)
    if scene.has("clipped"):
        speaking &= renderer.sampled("clipped", entering, window) == 0
    try:
        red, blue = find_cast(light, speaking, by)
    except ValueError as fault:
        raise CrennError(str(fault)) from None
    return round(red, 3), round(blue, 3)


def colour_of_code(code: np.ndarray) -> tuple[float, float, float]:
    """Oklab's hue in degrees, chroma and lightness in % of white, of an sRGB code 0–1, float64 (3,)."""
    light, a, b = to_oklab(srgb_decode(code) @ SRGB_TO_XYZ.T @ XYZ_TO_REC2020.T)
    return float(hue_of(a, b)), 100 * float(np.hypot(a, b)), 100 * float(light)
