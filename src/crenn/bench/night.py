"""How bright the automatic picture is, against the luminance of the scene: the demo world at less and less light."""

import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.camera.scenes import SCENES
from crenn.core.colorimetry.spaces import lightness, luminance, srgb_decode
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

_SIDE = 1200
#: Share of the light there is, each shot with an exposure longer by as much.
_LIGHT = (1.0, 1 / 8, 1 / 64)


def shown(name: str, light: float) -> tuple[float, float, float, float]:
    """cd/m² of the bulk of a scene, mean and median L* of its automatic picture, and the share at white in %."""
    scene = SCENES[name]()
    reference = scene.exposures[(len(scene.exposures) - 1) // 2]
    rgb = shipped(name, 0, _SIDE)
    capture = {"seconds": reference.seconds / light, "aperture": reference.aperture, "iso": reference.iso}
    prepared = PreparedScene.from_radiance(RadianceMap(rgb, np.maximum(rgb, 1e-4) * 0.02, report={"capture": capture}))
    codes, _ = Renderer(prepared).picture(Treatment(), Window.whole(rgb.shape[:2]))
    tones = lightness(luminance(srgb_decode(codes / 255.0)))
    return (
        float(prepared.light.luminance or 0.0),
        float(tones.mean()),
        float(np.median(tones)),
        float(100 * (codes.min(-1) >= 254).mean()),
    )


def table() -> Table:
    out = Table(
        "Night stays night: the automatic picture by the scene's light", ("cd/m²", "mean L*", "median L*", "white %")
    )
    for name in SCENES:
        for light in _LIGHT:
            out.add(f"{name}, light × {light:g}", *shown(name, light))
    return out
