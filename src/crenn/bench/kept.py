"""What noise reduction leaves: evenness of a sky by scale, stars, letters."""

import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import star_field, take
from crenn.bench.table import Table
from crenn.camera.sensor import Exposure
from crenn.core.colorimetry.spaces import luminance
from crenn.core.merge.merge import merge_frames
from crenn.core.noise.averaging import reduced
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

_ISO = (800, 3200, 12800)
_SCALES = (1, 2, 4, 8, 16)
#: Radius of the aperture in which a star's light is counted, and of the ring that tells its sky, in pixels.
_APERTURE, _SKY = 4, 7
_LINES = ("TARROWICK FERRY", "LOCK 7  1742", "KILN YARD 38", "OPEN UNTIL TEN")


def _cleaned(light: np.ndarray, iso: int, white: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Truth, one frame of it merged, and that with noise taken out as it is by default; float32 (H, W, 3) each.

    ``white`` is the share of saturation that a light of 1 gets.
    """
    exposure = Exposure(1 / 50, 8.0, float(iso))
    truth = light * np.float32(white)
    with tempfile.TemporaryDirectory() as folder:
        merged = merge_frames(take(Path(folder), truth / np.float32(exposure.relative), (exposure,)))
    scene = PreparedScene.from_radiance(merged)
    scene.split_noise()
    treatment = parse_treatment(Treatment.neutral().model_dump() | {"noise": {"on": True}})
    return truth, merged.rgb, Renderer(scene).linear(treatment, Window.whole(scene.size))


def evenness() -> Table:
    """What is left of luminance noise in a sky, in pictures made smaller: blotches show at the larger scales."""
    table = Table(
        "Noise left in a flat sky, % of what there was, in pictures made smaller by",
        tuple(f"{scale}×" for scale in _SCALES),
    )
    y, x = np.mgrid[:640, :960].astype(np.float32)
    sky = (0.05 + 0.05 * y / 640 + 0.02 * x / 960)[..., None] * np.array([0.8, 1.0, 1.3], np.float32)
    inner = np.s_[64:-64, 64:-64]
    for iso in _ISO:
        truth, noisy, clean = _cleaned(sky, iso, 0.5)
        departs = [np.ascontiguousarray(luminance(v - truth)[inner], np.float32) for v in (noisy, clean)]
        left = [[float(reduced(d, scale).std()) for scale in _SCALES] for d in departs]
        table.add(f"ISO {iso}", *(round(100 * after / before, 1) for before, after in zip(*left)))
    return table


def _measured(light: np.ndarray, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Flux over the sky and width (the second moment's root) of stars at places (N, 2), each (N,)."""
    y, x = np.mgrid[-_SKY : _SKY + 1, -_SKY : _SKY + 1]
    distance = np.hypot(y, x)
    near, ring = distance <= _APERTURE, distance > _APERTURE + 1
    flux, width = [], []
    for row, column in places:
        part = light[row - _SKY : row + _SKY + 1, column - _SKY : column + _SKY + 1]
        over = part - np.median(part[ring])
        flux.append(over[near].sum())
        core = np.maximum(over, 0) * near
        width.append(np.sqrt((core * distance**2).sum() / max(core.sum(), 1e-12)))
    return np.array(flux), np.array(width)


def stars() -> Table:
    """Stars of one frame: how many keep their light, and how wide they are."""
    table = Table(
        "Stars kept, by how far they stand out of the noise (peak / deviation); truth is 1",
        ("stars", "flux noisy", "flux", "5th percentile", "width", "flux > 0.7 noisy", "flux > 0.7"),
    )
    field = star_field(800, 1200)
    grey = luminance(field)
    peak = (grey == cv2.dilate(grey, np.ones((2 * _SKY + 1, 2 * _SKY + 1)))) & (grey > 0.02)
    peak[:_SKY] = peak[:, :_SKY] = peak[:, -_SKY:] = False
    peak[540:] = False
    places = np.argwhere(peak)
    truth, noisy, clean = _cleaned(field, 3200, 0.5)
    true, before, after = (_measured(luminance(v), places) for v in (truth, noisy, clean))
    sky = (luminance(noisy) - luminance(truth))[:500].std()
    strength = (luminance(truth)[tuple(places.T)] - 0.5 * 0.015) / sky
    for low, high in ((5, 10), (10, 30), (30, np.inf)):
        those = (strength >= low) & (strength < high) & (true[0] > 0)
        kept = after[0][those] / true[0][those]
        table.add(
            f"{low} to {high}" if np.isfinite(high) else f"over {low}",
            int(those.sum()),
            float(np.median(before[0][those] / true[0][those])),
            float(np.median(kept)),
            float(np.quantile(kept, 0.05)),
            float(np.median(after[1][those] / true[1][those])),
            float((before[0][those] / true[0][those] > 0.7).mean()),
            float((kept > 0.7).mean()),
        )
    return table


def letters() -> Table:
    """Letters on signs: correlation with the truth."""
    table = Table("Letters 14 px high: correlation with the truth", ("contrast", "noisy", "clean"))
    for iso in _ISO:
        for contrast in (0.15, 0.5):
            words = np.zeros((256, 512), np.uint8)
            for number, line in enumerate(_LINES):
                place = 40, 60 + 48 * number
                cv2.putText(words, line, place, cv2.FONT_HERSHEY_SIMPLEX, 0.65, 255, 1, cv2.LINE_AA)
            sign = 0.3 * (1 - contrast * cv2.GaussianBlur(words.astype(np.float32) / 255, (0, 0), 0.6))
            light = sign[..., None] * np.array([1.2, 1.0, 0.6], np.float32)
            truth, noisy, clean = (luminance(v)[40:220, 30:400] for v in _cleaned(light, iso, 0.25))
            alike = [float(np.corrcoef(v.ravel(), truth.ravel())[0, 1]) for v in (noisy, clean)]
            table.add(f"ISO {iso}", contrast, *alike)
    return table


def bench() -> list[Table]:
    return [evenness(), stars(), letters()]
