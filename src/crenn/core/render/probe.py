"""What lies at a place of the picture."""

import numpy as np

from crenn.core.colorimetry.oklab import hue_and_saturation
from crenn.core.colorimetry.spaces import LUMINANCE, SRGB_TO_XYZ, lightness, srgb_decode
from crenn.core.noise.averaging import luminance_deviation
from crenn.core.render.colour_analysis import colour_of_code
from crenn.core.render.curve_input import entering_at
from crenn.core.render.display import CRUSHED, OUTSIDE
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import HUES, Treatment


def probe(renderer: Renderer, treatment: Treatment, x: float, y: float) -> dict | None:
    """What lies at a place of the picture, in full-size pixels; None outside.

    Returns
    -------
    dict
        ``place`` in the scene, as documents say it; ``stop`` of the scene, ``tone`` in % (L*), ``snr_db``, ``frame``
        that feeds it, whether it ``moved``, ``clipped`` channels in every frame, those at ``white`` or all at ``black``
        in the picture, the stops of luminance, red, green and blue that are ``entering`` the curve, ``colour``: Oklab's
        hue, chroma and lightness of the picture, its sRGB ``code``, whether sRGB could not show it (``outside``), and
        hue and saturation of what enters the hues, ``on_circle``.
    """
    scene = renderer.source(treatment)
    frame = renderer.frame(treatment)
    at_x, at_y = int(np.floor(x)), int(np.floor(y))
    if not (0 <= at_x < frame.size[1] and 0 <= at_y < frame.size[0]):
        return None
    place = frame.to_scene(np.array([[at_x + 0.5, at_y + 0.5]]))[0]
    column, row = (int(v) for v in np.floor(place))
    if not (0 <= column < scene.size[1] and 0 <= row < scene.size[0]):
        return None
    here = slice(row, row + 1), slice(column, column + 1)
    rgb = np.asarray(scene.read(0, *here)[0, 0], np.float64)
    recorded = max(float(LUMINANCE @ rgb), 2.0**-30)
    lifted = float(frame.falloff_at(place[None])[0])
    out: dict = {
        "x": at_x,
        "y": at_y,
        "place": [round(float(v) / frame.long_side, 6) for v in place],
        "stop": round(float(np.log2(recorded)) + lifted, 2),
        "snr_db": None,
        "frame": None,
        "clipped": "",
    }
    if scene.has("sigma"):
        deviation = float(luminance_deviation(scene.plane("sigma", *here)[0, 0], scene.light.capture))
        out["snr_db"] = round(float(20 * np.log10(max(recorded / max(deviation, 1e-12), 1e-3))), 1)
    if scene.has("source"):
        frames = scene.report.get("frames") or []
        indices = scene.report.get("source_indices") or list(range(len(frames)))
        source = int(scene.plane("source", *here)[0, 0])
        if source in indices:
            out["frame"] = frames[indices.index(source)]["name"]
            out["seconds"] = frames[indices.index(source)]["seconds"]
    if scene.has("moved"):
        out["moved"] = bool(scene.plane("moved", *here)[0, 0])
    if scene.has("clipped"):
        bits = int(scene.plane("clipped", *here)[0, 0])
        out["clipped"] = "".join(n for n, b in zip("RGB", (1, 2, 4)) if bits & b)
    out["entering"] = entering_at(renderer, treatment, at_x, at_y)
    one = Window(at_x, at_y, 1, 1, 1, 1)
    codes, limits = renderer.picture(treatment, one)
    code = codes[0, 0].astype(np.float64) / 255
    out["colour"] = [round(v, 1) for v in colour_of_code(code)]
    out["code"] = [int(v) for v in codes[0, 0]]
    out["outside"] = bool(limits[0, 0] & OUTSIDE)
    hue, saturation = hue_and_saturation(renderer.linear(treatment.up_to(HUES), one)[0, 0])
    out["on_circle"] = [round(float(hue), 1), round(float(saturation), 4)]
    out["tone"] = round(float(lightness(srgb_decode(code) @ SRGB_TO_XYZ[1])), 1)
    out["white"] = "".join(n for n, b in zip("RGB", (1, 2, 4)) if limits[0, 0] & b)
    out["black"] = bool(limits[0, 0] & CRUSHED)
    return out
