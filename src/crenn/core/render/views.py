"""Views of a scene besides the plain picture, the placement lines of the ladder, and what lies under the pointer."""

from collections.abc import Iterator

import cv2
import numpy as np

from crenn.core.colour.spaces import LUMINANCE, SRGB_TO_XYZ, lightness, srgb_decode
from crenn.core.render.executor import Renderer, Window, compile_treatment
from crenn.core.render.kernel import CRUSHED
from crenn.core.render.pyramid import PreparedScene
from crenn.core.steps import table_stops
from crenn.core.treatment import Treatment

#: Views that can be asked for: the picture, what clips, the untreated start, which frame feeds each place, what moved
#: between the frames, and what a stack took for ground.
VIEWS = ("picture", "limits", "untreated", "source", "moved", "ground")

_BAND = 256
_HATCH = np.array([240, 190, 92], np.uint8)
_HATCH_DARK = np.array([24, 22, 18], np.uint8)
_DOT = np.array([120, 205, 178], np.uint8)


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


def _sampled(plane: np.ndarray, window: Window) -> np.ndarray:
    """A plane of whole numbers at the places of a window's pixels."""
    height, width = plane.shape
    ys = np.clip(
        (window.y + (np.arange(window.out_height) + 0.5) * window.height / window.out_height).astype(int), 0, height - 1
    )
    xs = np.clip(
        (window.x + (np.arange(window.out_width) + 0.5) * window.width / window.out_width).astype(int), 0, width - 1
    )
    return np.asarray(plane[ys[:, None], xs[None, :]])


def frame_tones(report: dict) -> dict[int, float]:
    """Tone 0–1 by which the source view shows each frame: the darker the frame, the paler; by source index."""
    order = _source_order(report)
    return {index: 0.95 - 0.75 * rank / max(len(order) - 1, 1) for rank, index in enumerate(order)}


def _draw_source(codes: np.ndarray, renderer: Renderer, window: Window) -> None:
    """Tint the picture's greys by the frame that feeds each place, and draw a line round what moved."""
    scene = renderer.scene
    if scene.source is None:
        return
    tones = np.zeros(256, np.float32)
    for index, tone in frame_tones(scene.report).items():
        tones[index] = tone
    source = _sampled(scene.source, window)
    for rows in _bands(len(codes)):
        grey = codes[rows].astype(np.float32).mean(-1) * 0.28
        out = tones[source[rows]] * 200 + grey * 0.6
        codes[rows] = np.clip(out, 0, 255)[..., None].astype(np.uint8)
    if scene.moved is not None:
        _draw_line(codes, _sampled(scene.moved, window) > 0)


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


def _source_order(report: dict) -> list[int]:
    """Source indices of the merged frames, from the darkest frame to the brightest."""
    frames = report.get("frames") or []
    indices = report.get("source_indices") or list(range(len(frames)))
    return [indices[i] for i in sorted(range(len(frames)), key=lambda i: frames[i]["ev"])]


def paint_view(
    renderer: Renderer, treatment: Treatment, window: Window, view: str, oversample: int = 1
) -> tuple[np.ndarray, dict]:
    """Render a view: sRGB codes, uint8 (h, w, 3), and the shares of the window that clip.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    window : Window
    view : str
        One of `VIEWS`.
    oversample : int
        See `Renderer.picture`.
    """
    if view == "untreated":
        treatment = Treatment.untreated()
    codes, limits = renderer.picture(treatment, window, oversample=oversample)
    shares = {
        "white": float((limits & 7 == 7).mean()),
        "some": float((limits & 7 > 0).mean()),
        "black": float((limits & CRUSHED > 0).mean()),
    }
    if view == "limits":
        _draw_limits(codes, limits)
    elif view == "source":
        _draw_source(codes, renderer, window)
    elif view == "moved" and renderer.scene.moved is not None:
        _draw_mask(codes, _sampled(renderer.scene.moved, window) > 0)
    elif view == "ground" and renderer.scene.ground is not None:
        _draw_mask(codes, _sampled(renderer.scene.ground, window) > 127)
    return codes, shares


def ladder(treatment: Treatment, scene: PreparedScene) -> list[tuple[float, float]]:
    """On which tone each whole and half stop of the scene is placed: pairs of stop and tone in %.

    The tone is CIE lightness L*. A large even patch of grey is meant: base and pixel stand on the same stop.
    """
    program = compile_treatment(treatment, scene.light)
    report = scene.report
    low = int(np.floor(report["low_stop"])) - 2
    high = int(np.ceil(max([report["high_stop"]] + [f["clip_stop"] for f in report.get("frames", [])]))) + 2
    stops = np.arange(low * 2, high * 2 + 1) / 2
    grid = table_stops()
    moved = stops + program.shift
    if program.placement is not None:
        moved = moved + np.interp(moved, grid, program.placement)
    if program.curve is not None:
        moved = moved + np.interp(moved, grid, program.curve)
    tones = lightness(np.interp(moved, grid, program.shown))
    return [(float(s), round(float(t), 2)) for s, t in zip(stops, tones)]


def probe(renderer: Renderer, treatment: Treatment, x: float, y: float) -> dict | None:
    """What lies at a place of the picture, in full-size pixels; None outside.

    Returns
    -------
    dict
        ``stop`` of the scene, ``tone`` in % (L*), ``snr_db``, ``frame`` that feeds it, whether it ``moved``,
        ``clipped`` channels in
        every frame, and those at ``white`` or all at ``black`` in the picture.
    """
    scene = renderer.scene
    height, width = scene.size
    column, row = int(np.floor(x)), int(np.floor(y))
    if not (0 <= column < width and 0 <= row < height):
        return None
    rgb = np.asarray(scene.levels[0][row, column], np.float64)
    value = max(float(LUMINANCE @ rgb), 2.0**-30)
    out: dict = {
        "x": column,
        "y": row,
        "stop": round(float(np.log2(value)), 2),
        "snr_db": None,
        "frame": None,
        "clipped": "",
    }
    if scene.sigma is not None:
        deviation = float(np.sqrt(((np.asarray(scene.sigma[row, column], np.float64) * LUMINANCE) ** 2).sum()))
        out["snr_db"] = round(float(20 * np.log10(max(value / max(deviation, 1e-12), 1e-3))), 1)
    if scene.source is not None:
        frames = scene.report.get("frames") or []
        indices = scene.report.get("source_indices") or list(range(len(frames)))
        source = int(scene.source[row, column])
        if source in indices:
            out["frame"] = frames[indices.index(source)]["name"]
            out["seconds"] = frames[indices.index(source)]["seconds"]
    if scene.moved is not None:
        out["moved"] = bool(scene.moved[row, column])
    if scene.clipped is not None:
        bits = int(scene.clipped[row, column])
        out["clipped"] = "".join(n for n, b in zip("RGB", (1, 2, 4)) if bits & b)
    codes, limits = renderer.picture(treatment, Window(column, row, 1, 1, 1, 1))
    code = codes[0, 0].astype(np.float64) / 255
    out["tone"] = round(float(lightness(srgb_decode(code) @ SRGB_TO_XYZ[1])), 1)
    out["white"] = "".join(n for n, b in zip("RGB", (1, 2, 4)) if limits[0, 0] & b)
    out["black"] = bool(limits[0, 0] & CRUSHED)
    return out
