"""The automatic tone beside public tone mappers: quality index, halos, hue, clipping."""

from functools import partial

import cv2
import numpy as np

from crenn.bench.charts import daylight, shipped, star_field
from crenn.bench.halo import table as halo_table
from crenn.bench.night import table as night_table
from crenn.bench.table import Table
from crenn.bench.tmqi import tmqi
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, luminance, srgb_decode, srgb_encode, srgb_to_lab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

_SIDE = 1200


def scenes() -> dict[str, np.ndarray]:
    """Scenes of the subject: float32 (H, W, 3), noiseless."""
    return {
        "lock basin": shipped("lock-basin", 2, _SIDE),
        "ferry hall": shipped("ferry-hall", 0, _SIDE),
        "dam crest": shipped("dam-crest", 0, _SIDE),
        "kiln yard": shipped("kiln-yard", 0, _SIDE),
        "star field": star_field(),
        "daylight": daylight(),
    }


def _peer(name: str, rgb: np.ndarray) -> np.ndarray:
    return peers(rgb)[name]


def ours(rgb: np.ndarray, luminance_known: bool = False) -> np.ndarray:
    """Default treatment, 8-bit codes; as if nothing were known of the scene's light, or shot as the demo world is."""
    report = {"capture": {"seconds": 1.0, "aperture": 8.0, "iso": 100.0}} if luminance_known else {}
    radiance = RadianceMap(rgb, np.maximum(rgb, 1e-4) * 0.02, report=report)
    renderer = Renderer(PreparedScene.from_radiance(radiance))
    return renderer.picture(Treatment(), Window.whole(rgb.shape[:2]))[0]


def peers(rgb: np.ndarray) -> dict[str, np.ndarray]:
    """Public tone mappers on the same radiance, 8-bit codes."""
    linear = np.maximum(rgb @ REC2020_TO_SRGB.T.astype(np.float32), 1e-7).astype(np.float32)
    scaled = linear / np.quantile(linear, 0.999)
    out = {}
    for name, mapper in (
        ("Drago", cv2.createTonemapDrago(2.2, 1.0, 0.85)),
        ("Mantiuk", cv2.createTonemapMantiuk(2.2, 0.85, 1.2)),
        ("Reinhard", cv2.createTonemapReinhard(2.2, 0, 0, 0)),
    ):
        out[name] = np.clip(np.nan_to_num(mapper.process(scaled)) * 255, 0, 255).astype(np.uint8)
    anchor = np.exp2(np.log2(np.maximum(luminance(rgb), 1e-7)).mean())
    frames = [
        (srgb_encode(np.clip(linear * 0.18 / anchor * 2.0**ev, 0, 1)) * 255).astype(np.uint8)
        for ev in (-4, -2, 0, 2, 4)
    ]
    out["Mertens"] = np.clip(cv2.createMergeMertens().process(frames) * 255, 0, 255).astype(np.uint8)
    stops = np.log2(np.maximum(luminance(linear), 1e-7)).astype(np.float32)
    radius = int(0.03 * max(stops.shape))
    mean = cv2.blur(stops, (radius, radius))
    var = cv2.blur(stops * stops, (radius, radius)) - mean * mean
    a = var / (var + 0.5)
    base = cv2.blur(a, (radius, radius)) * stops + cv2.blur(mean - a * mean, (radius, radius))
    gain = np.exp2(base * (5.0 / np.ptp(base)) - base)
    placed = linear * gain[..., None]
    out["guided base and detail"] = (srgb_encode(np.clip(placed / np.quantile(placed, 0.995), 0, 1)) * 255).astype(
        np.uint8
    )
    return out


def step_halo(render) -> float:
    """Range of L* on the flat sides of strong edges of 3, 5 and 8 stops: what is not flat any more is halo."""
    worst = 0.0
    for bright in (3, 5, 8):
        rgb = np.full((400, 600, 3), 2.0**-8, np.float32)
        rgb[:200] = 2.0 ** (-8 + bright)
        lab = srgb_to_lab(cv2.GaussianBlur(render(rgb), (1, 9), 2.0) / 255.0)
        for rows in (slice(20, 185), slice(215, 380)):
            column = lab[rows, 100:500, 0].mean(1)
            worst = max(worst, float(np.ptp(column)))
    return worst


def hue_shift(rgb: np.ndarray, codes: np.ndarray) -> float:
    """Median shift of CIELAB hue, in degrees, where scene and picture are clearly coloured."""
    linear = rgb @ REC2020_TO_SRGB.T
    target = srgb_decode(codes / 255.0)
    level = luminance(target @ np.linalg.inv(REC2020_TO_SRGB).T) / np.maximum(luminance(rgb), 1e-9)
    one = srgb_to_lab(srgb_encode(np.clip(linear * level[..., None], 0, 1)))
    two = srgb_to_lab(codes / 255.0)
    usable = (np.hypot(one[..., 1], one[..., 2]) > 12) & (np.hypot(two[..., 1], two[..., 2]) > 12)
    usable &= (codes.max(-1) < 250) & (linear.min(-1) > 0)
    if usable.sum() < 100:
        return 0.0
    angle = np.degrees(np.arctan2(one[..., 2], one[..., 1]) - np.arctan2(two[..., 2], two[..., 1]))
    return float(np.median(np.abs((angle[usable] + 180) % 360 - 180)))


def bench() -> list[Table]:
    """One table a scene."""
    tables = []
    for name, rgb in scenes().items():
        table = Table(
            f"Tone, automatic: {name}",
            ("TMQI", "fidelity", "naturalness", "halo L*", "hue shift °", "white %", "black %"),
        )
        hdr = luminance(rgb)
        results = {
            "Crenn": (ours(rgb), ours),
            "Crenn, absolute light": (ours(rgb, True), partial(ours, luminance_known=True)),
        }
        results |= {key: (codes, partial(_peer, key)) for key, codes in peers(rgb).items()}
        for key, (codes, render) in results.items():
            luma = codes @ np.array([0.2126, 0.7152, 0.0722])
            table.add(
                key,
                *tmqi(hdr, luma),
                step_halo(render) if name == "lock basin" else None,
                hue_shift(rgb, codes),
                float(100 * (codes.min(-1) >= 254).mean()),
                float(100 * (codes.max(-1) <= 1).mean()),
            )
        tables.append(table)
    return [*tables, halo_table(), night_table()]
