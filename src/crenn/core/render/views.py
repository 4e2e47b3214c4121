"""Views of a scene besides the plain picture."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from crenn.core.areas.area import FULL, Area
from crenn.core.colorimetry.spaces import luminance
from crenn.core.colorimetry.stops import stops_of
from crenn.core.finish.sharpness import SHARPNESS, share_of
from crenn.core.noise.averaging import luminance_deviation
from crenn.core.render.colour_analysis import range_mask
from crenn.core.render.display import CRUSHED, OUTSIDE
from crenn.core.render.dust import draw_dust
from crenn.core.render.maps import draw_map, exaggerated
from crenn.core.render.renderer import Renderer
from crenn.core.render.signal import left_by
from crenn.core.render.tone_histogram import tone_histogram
from crenn.core.render.window import Window
from crenn.core.treatment import SHARPENING, WHITE_BALANCE, Treatment

#: Views that can be asked for: the picture, what clips, the untreated start, which frame feeds each place, what moved
#: between the frames, what a stack took for ground, an area's mask over the picture, the mask alone, the scene's stops,
#: its signal to noise, the picture with its colours exaggerated, what no frame recorded whole, the picture with all its
#: noise, what is taken out of it as noise, which places are sharpened, and which for viewing,
#: signal to noise with noise taken out, which places a range of hues takes, what falls
#: outside the delivered space, one part of an area's mask, which place has which of two lights, the picture with the
#: contours of an area's mask, and with a wash of one colour where it is.
VIEWS = (
    "picture",
    "limits",
    "untreated",
    "source",
    "moved",
    "ground",
    "area",
    "mask",
    "stops",
    "noise",
    "cast",
    "dust",
    "lost",
    "noisy",
    "taken",
    "edges",
    "sharp",
    "left",
    "range",
    "outside",
    "part",
    "lights",
    "contours",
    "wash",
)
#: How far a wash covers what is under it.
_WASH = 0.6
#: By how much what is taken out is exaggerated.
_TAKEN_BY = 2.0

_BAND = 256
_HATCH = np.array([240, 190, 92], np.uint8)
_HATCH_DARK = np.array([24, 22, 18], np.uint8)
_DOT = np.array([120, 205, 178], np.uint8)
_WARM, _COLD = np.array([238, 158, 78], np.float32), np.array([88, 138, 226], np.float32)


def _bands(height: int) -> Iterator[slice]:
    """Rows to be drawn at once: what is drawn on a picture must not take many times its memory."""
    for top in range(0, height, _BAND):
        yield slice(top, min(top + _BAND, height))


def _draw_limits(codes: np.ndarray, limits: np.ndarray) -> None:
    """Draw clipped light as diagonal hatching and crushed black as a dot screen, in place.

    The hatching is denser the more channels are lost: every eighth diagonal for one, every fourth for all.
    """
    height, width = limits.shape
    x = np.arange(width)[None, :]
    for rows in _bands(height):
        part, out = limits[rows], codes[rows]
        y = np.arange(rows.start, rows.stop)[:, None]
        lost = (part & 1) + (part >> 1 & 1) + (part >> 2 & 1)
        period = np.array([10, 10, 7, 5])[lost]
        along = (x + y) % period
        out[(lost > 0) & (along < 2)] = _HATCH
        out[(lost > 0) & (along == 2)] = _HATCH_DARK
        out[(part & CRUSHED > 0) & (y % 4 < 2) & ((x + 2 * (y // 4 % 2)) % 4 < 2)] = _DOT


def _draw_lost(codes: np.ndarray, clipped: np.ndarray) -> None:
    """Draw where light was lost in every frame over the picture's greys: the denser the more channels; in place.

    ``clipped`` has bits for red, green and blue, uint8 (h, w).
    """
    for rows in _bands(len(codes)):
        codes[rows] = (codes[rows].astype(np.float32).mean(-1, keepdims=True) * 0.6 + 10).astype(np.uint8)
    _draw_limits(codes, clipped & 7)
    _draw_line(codes, clipped > 0)


def frame_tones(report: dict) -> dict[int, float]:
    """Tone 0–1 by which the source view shows each frame: the darker the frame, the paler; by source index."""
    order = _source_order(report)
    return {index: 0.95 - 0.75 * rank / max(len(order) - 1, 1) for rank, index in enumerate(order)}


def _draw_source(codes: np.ndarray, renderer: Renderer, treatment: Treatment, window: Window) -> None:
    """Tint the picture's greys by the frame that feeds each place, and draw a line round what moved."""
    scene = renderer.scene
    if not scene.has("source"):
        return
    tones = np.zeros(256, np.float32)
    for index, tone in frame_tones(scene.report).items():
        tones[index] = tone
    source = renderer.sampled("source", treatment, window)
    for rows in _bands(len(codes)):
        grey = codes[rows].astype(np.float32).mean(-1) * 0.28
        out = tones[source[rows]] * 200 + grey * 0.6
        codes[rows] = np.clip(out, 0, 255)[..., None].astype(np.uint8)
    if scene.has("moved"):
        _draw_line(codes, renderer.sampled("moved", treatment, window) > 0)


def _draw_line(codes: np.ndarray, inside: np.ndarray) -> None:
    """Draw the outline of a mask, dark beside light so that it shows on any ground."""
    kernel = np.ones((3, 3), np.uint8)
    mask = inside.astype(np.uint8)
    codes[(cv2.dilate(mask, np.ones((5, 5), np.uint8)) - cv2.dilate(mask, kernel)) > 0] = _HATCH_DARK
    codes[(cv2.dilate(mask, kernel) - mask) > 0] = _DOT


def _draw_mask(codes: np.ndarray, inside: np.ndarray) -> None:
    """Turn what lies outside a mask grey and dim, and draw the mask's outline."""
    for rows in _bands(len(codes)):
        grey = codes[rows].astype(np.float32).mean(-1, keepdims=True) * 0.55 + 12
        codes[rows] = np.where(inside[rows, :, None], codes[rows], grey.astype(np.uint8))
    _draw_line(codes, inside)


def _draw_area(codes: np.ndarray, mask: np.ndarray, alone: bool) -> None:
    """Show a mask: what lies outside loses its colour by as much, with contours at 25, 50 and 75 %.

    ``alone`` shows the mask itself, as greys.
    """
    for rows in _bands(len(codes)):
        share = mask[rows].astype(np.float32)[..., None] / FULL
        if alone:
            codes[rows] = (share * 255 + 0.5).astype(np.uint8)
        else:
            part = codes[rows].astype(np.float32)
            grey = part.mean(-1, keepdims=True) * 0.55 + 12
            codes[rows] = (grey + share * (part - grey) + 0.5).astype(np.uint8)
    if not alone:
        for level in (0.25, 0.5, 0.75):
            _draw_line(codes, mask > level * FULL)


def _draw_over(codes: np.ndarray, mask: np.ndarray, ink: tuple[int, int, int] | None) -> None:
    """Draw a mask over the picture's own colours: by its contours alone, or as a wash of a colour; in place."""
    if ink is None:
        for level in (0.25, 0.5, 0.75):
            _draw_line(codes, mask > level * FULL)
        return
    for rows in _bands(len(codes)):
        share = mask[rows].astype(np.float32)[..., None] * np.float32(_WASH / FULL)
        part = codes[rows].astype(np.float32)
        # The ink is as bright as the place, so that what is under it can still be made out.
        light = part.max(-1, keepdims=True) * 0.7 + 60
        codes[rows] = np.clip(part + share * (np.array(ink, np.float32) * (light / 255) - part) + 0.5, 0, 255)


def _draw_taken(codes: np.ndarray, noisy: np.ndarray) -> None:
    """Show by how much a picture departs from the one with all its noise, on middle grey, in place."""
    for rows in _bands(len(codes)):
        taken = noisy[rows].astype(np.float32) - codes[rows].astype(np.float32)
        codes[rows] = np.clip(128 + _TAKEN_BY * taken, 0, 255).astype(np.uint8)


def _sharpened(renderer: Renderer, treatment: Treatment, view: str, window: Window, fine: bool) -> np.ndarray:
    """How far places are sharpened, by what lenses and noise took or for viewing, 0 to 1, float32 (h, w)."""
    if view == "edges":
        mask = SHARPENING.mask(treatment.section(SHARPENING), renderer.scene.light)
        return renderer.made(mask, treatment, window, fine)
    light, around = renderer.finishing(treatment).before("sharpness", renderer.view(treatment, window, fine))
    return share_of(light, treatment.section(SHARPNESS), around)


def _draw_edges(codes: np.ndarray, mask: np.ndarray) -> None:
    """Show how far places are sharpened: white on the picture's greys, dimmed; in place."""
    for rows in _bands(len(codes)):
        grey = codes[rows].astype(np.float32).mean(-1) * 0.25
        share = mask[rows]
        codes[rows] = (grey + share * (235 - grey))[..., None].astype(np.uint8)


def _draw_lights(codes: np.ndarray, share: np.ndarray) -> None:
    """Show which of two lights places have, in the colours of warm and cold over the picture's greys, in place.

    ``share`` is that of the colder one, 0 to 1, float32 (h, w).
    """
    for rows in _bands(len(codes)):
        grey = codes[rows].astype(np.float32).mean(-1, keepdims=True) / 255
        ink = _WARM + share[rows, :, None] * (_COLD - _WARM)
        codes[rows] = np.clip(ink * (0.25 + 0.75 * np.sqrt(grey)), 0, 255).astype(np.uint8)
    _draw_line(codes, share > 0.5)


def _signal_to_noise(renderer: Renderer, treatment: Treatment, window: Window, fine: bool) -> np.ndarray:
    """Predicted signal to noise of single pixels of the scene, in dB, float32 (h, w)."""
    scene = renderer.scene
    deviation = luminance_deviation(renderer.sampled("sigma", treatment, window), scene.light.capture)
    view = renderer.view(treatment, window, fine)
    frame = view.frame
    light = luminance(renderer.light(view))
    if frame.fades:
        # What is given back to the corners raises their noise as well.
        height, width = deviation.shape
        x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
        places = np.stack([window.x + x * window.width / width, window.y + y * window.height / height], -1)
        lifted = frame.falloff_at(frame.to_scene(places.reshape(-1, 2))).reshape(height, width)
        deviation = deviation * np.exp2(lifted)
    # Evened out: where frames were moved, noise has a pattern of its own that a reduced view would sample unevenly.
    light, deviation = (cv2.GaussianBlur(v.astype(np.float32), (0, 0), 3.0) for v in (light, deviation))
    return np.asarray(20 * np.log10(np.maximum(light / np.maximum(deviation, 1e-12), 0.1)), np.float32)


def _signal_after(renderer: Renderer, treatment: Treatment, window: Window, fine: bool) -> np.ndarray:
    """`_signal_to_noise` of what the treatment leaves, in dB, float32 (h, w); as long as it is not known, as before."""
    found = _signal_to_noise(renderer, treatment, window, fine)
    noise, scene = renderer.scene.noise, renderer.scene
    if noise is None or not noise.whole:
        return found
    light = luminance(renderer.light(renderer.view(treatment, window, fine)))
    stops = np.log2(np.maximum(cv2.GaussianBlur(light, (0, 0), 3.0), np.float32(scene.floor)))
    lifts = renderer.noise_visibility(treatment)
    shares = np.ones(stops.shape, np.float32) if lifts is None else lifts.within(window, stops)
    return np.asarray(found - 20 * np.log10(left_by(treatment, noise, scene.light.capture, shares)), np.float32)


def _source_order(report: dict) -> list[int]:
    """Source indices of the merged frames, from the darkest frame to the brightest."""
    frames = report.get("frames") or []
    indices = report.get("source_indices") or list(range(len(frames)))
    return [indices[i] for i in sorted(range(len(frames)), key=lambda i: frames[i]["ev"])]


@dataclass(frozen=True)
class Device:
    """A device that the picture is proofed for.

    Attributes
    ----------
    space : ndarray, float32 (3, 3, 3)
        What the picture is rendered in, see `crenn.core.render.display.space_of`.
    shown : callable
        Of linear light of that, float32 (h, w, 3), gives sRGB codes, uint8 (h, w, 3), and what the device cannot show,
        bool (h, w), or None if that is not to be marked.
    """

    space: np.ndarray
    shown: Callable[[np.ndarray], tuple[np.ndarray, np.ndarray | None]]


@dataclass(frozen=True)
class About:
    """What of a treatment a view is about.

    Ids of an area and of a part of it, the name of a range of hues, the id of the area whose tones are counted, the
    sRGB codes of the colour that a mask is washed in, and the device that the picture is proofed for.
    """

    area: str | None = None
    part: str | None = None
    range: str | None = None
    within: str | None = None
    ink: tuple[int, int, int] | None = None
    device: Device | None = None


def _rendered(
    renderer: Renderer, treatment: Treatment, window: Window, oversample: int, fine: bool, device: Device | None
) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
    """The picture's codes, uint8 (h, w, 3), its limits, and what a device cannot show that it is proofed for."""
    if device is None:
        return *renderer.picture(treatment, window, oversample=oversample, fine=fine), None
    light, limits = renderer.shown(treatment, window, fine, device.space, oversample=oversample)
    codes, outside = device.shown(light)
    return codes, limits, outside


def _told(
    renderer: Renderer,
    treatment: Treatment,
    window: Window,
    fine: bool,
    codes: np.ndarray,
    limits: np.ndarray,
    within: Area | None,
) -> dict[str, Any]:
    """What a picture comes to; see `paint_view`."""
    recorded = renderer.recorded(treatment, window)
    # Corners that nothing was recorded in are no crushed shadows.
    counted = limits if recorded is None else limits[recorded]
    # Where nothing was recorded at all, nothing clips.
    count = max(counted.size, 1)
    mask = None if recorded is None else recorded.astype(np.uint16) * FULL
    if within is not None:
        mask = renderer.mask(within.opaque, renderer.view(treatment, window, fine))
    return {
        "white": float((counted & 7 == 7).sum() / count),
        "some": float((counted & 7 > 0).sum() / count),
        "black": float((counted & CRUSHED > 0).sum() / count),
        "bins": tone_histogram(codes, mask),
    }


def paint_view(
    renderer: Renderer,
    treatment: Treatment,
    window: Window,
    view: str,
    oversample: int = 1,
    fine: bool = True,
    about: About | None = None,
) -> tuple[np.ndarray, dict[str, Any]]:
    """Render a view: sRGB codes, uint8 (h, w, 3), and what the window's picture comes to.

    That is the shares at ``white``, ``some`` of its channels there, and at ``black``, and its tones as ``bins``; see
    `tone_histogram`.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    window : Window
    view : str
        One of `VIEWS`.
    oversample, fine
        See `Renderer.picture`.
    about : About, optional
        What the views "area", "mask", "part" and "range" show, within which area tones are counted, and for which
        device "picture" is proofed.
    """
    about = about or About()
    if view == "untreated":
        treatment = treatment.untreated()
    if view == "noisy":
        treatment = treatment.without("noise")
    # Under its own mask sharpening is not seen: it need not be made twice.
    unseen = {"edges": "sharpening", "sharp": "sharpness"}.get(view)
    painted = treatment if unseen is None else treatment.without(unseen)
    device = about.device if view == "picture" else None
    codes, limits, outside = _rendered(renderer, painted, window, oversample, fine, device)
    area = treatment.area(about.area)
    shares = _told(renderer, treatment, window, fine, codes, limits, treatment.area(about.within))
    if outside is not None and outside.any():
        _draw_line(codes, outside)
    elif view == "limits":
        _draw_limits(codes, limits)
    elif view == "source":
        _draw_source(codes, renderer, treatment, window)
    elif view == "moved" and renderer.scene.has("moved"):
        _draw_mask(codes, renderer.sampled("moved", treatment, window) > 0)
    elif view in ("area", "mask") and area is not None:
        mask = renderer.mask(area.opaque, renderer.view(treatment, window, fine))
        _draw_area(codes, mask, alone=view == "mask")
    elif view in ("contours", "wash") and area is not None:
        mask = renderer.mask(area.opaque, renderer.view(treatment, window, fine))
        _draw_over(codes, mask, about.ink if view == "wash" else None)
    elif view == "part" and area is not None and about.part is not None:
        if (one := area.alone(about.part)) is not None:
            _draw_area(codes, renderer.mask(one, renderer.view(treatment, window, fine)), alone=False)
    elif view == "range" and about.range is not None:
        _draw_area(codes, range_mask(renderer, treatment, about.range, window, fine), alone=False)
    elif view == "outside":
        _draw_mask(codes, limits & OUTSIDE > 0)
    elif view == "stops":
        light = renderer.light(renderer.view(treatment, window, fine))
        draw_map(codes, stops_of(light, renderer.scene.floor), 1.0, " EV", bold=4)
    elif view in ("noise", "left") and renderer.scene.has("sigma"):
        signal = _signal_to_noise if view == "noise" else _signal_after
        draw_map(codes, signal(renderer, treatment, window, fine), 6.0, " dB")
    elif view in ("edges", "sharp"):
        _draw_edges(codes, _sharpened(renderer, treatment, view, window, fine))
    elif view == "lights" and (share := WHITE_BALANCE.share(treatment.section(WHITE_BALANCE), renderer.scene.light)):
        _draw_lights(codes, renderer.made(share, treatment, window, fine))
    elif view == "taken":
        noisy, _ = renderer.picture(treatment.without("noise"), window, oversample=oversample, fine=fine)
        _draw_taken(codes, noisy)
    elif view == "dust":
        draw_dust(codes, renderer.light(renderer.view(treatment, window, fine)), renderer.scene.floor)
    elif view == "cast":
        exaggerated(codes)
    elif view == "lost" and renderer.scene.has("clipped"):
        _draw_lost(codes, renderer.sampled("clipped", treatment, window))
    elif view == "ground" and renderer.scene.has("ground"):
        _draw_mask(codes, renderer.sampled("ground", treatment, window) > 127)
    return codes, shares
