"""Noise by place in the mosaic in light of any colour, and sites that no lens could have drawn."""

import tempfile
from pathlib import Path

import cv2
import numpy as np
import rawpy

from crenn.bench.charts import CLEAN, take
from crenn.bench.table import Table
from crenn.camera.flaws import Flaws
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.merge.merge import merge_frames
from crenn.core.mosaic.bayer import sites
from crenn.core.mosaic.lone import mend_lone
from crenn.core.noise.cleaning import Cleaner
from crenn.core.noise.spectrum import tile_of
from crenn.core.pipeline.scene import Capture

#: Balanced light of red, green and blue, of saturation.
_LIGHTS = {
    "white": (0.05, 0.05, 0.05),
    "white, dark": (0.003, 0.003, 0.003),
    "stage blue": (0.004, 0.008, 0.015),
    "red a thirtieth of blue": (0.1 / 30, 0.05, 0.1),
    "sodium": (0.1, 0.045, 0.002),
    "deep red": (0.05, 0.006, 0.003),
}
_PLACES = {"red": (0, 0), "green": (0, 1), "blue": (1, 1)}
#: (H, W) of flat light, and of what is smooth.
_FLAT, _SMOOTH = (400, 600), (700, 1000)
#: Share of the frame's border that is not looked at, in pixels.
_BORDER = 20


def places() -> Table:
    """Error over predicted deviation at red, green and blue sites, the most of the colours, and what noise is left."""
    table = Table(
        "Sites: flat light at ISO 3200; error over predicted deviation by place, and what noise reduction leaves of it",
        ("z red", "green", "blue", "least z", "left red", "green", "blue"),
    )
    exposure = Exposure(1 / 50, 8.0, 3200.0)
    matrix = CLEAN.camera_matrix()
    for name, colour in _LIGHTS.items():
        rgb = np.linalg.solve(matrix, np.array(colour) * matrix.sum(1)).astype(np.float32)
        truth = np.broadcast_to(rgb, (*_FLAT, 3)).copy()
        # Something dark, by which the compressive scale is chosen.
        truth[: _FLAT[0] // 4] /= 12
        with tempfile.TemporaryDirectory() as folder:
            merged = merge_frames(take(Path(folder), (truth / exposure.relative).astype(np.float32), (exposure,)))
        assert merged.sigma is not None
        even = np.s_[_FLAT[0] // 4 + 2 * _BORDER : -_BORDER, _BORDER:-_BORDER]
        errors = ((merged.rgb - truth) / merged.sigma)[even]
        clean = Cleaner(merged.rgb, merged.sigma, Capture.from_report(merged.report)).clean((0, 0, *_FLAT))[0]
        left = (clean - truth)[even] / np.median(merged.sigma[even], (0, 1))
        table.add(
            name,
            *(float(errors[y::2, x::2].std((0, 1)).max()) for y, x in _PLACES.values()),
            float(errors.min()),
            *(float(left[y::2, x::2].std((0, 1)).max()) for y, x in _PLACES.values()),
        )
    return table


def _smooth(colour: tuple[float, ...]) -> np.ndarray:
    y, x = np.mgrid[: _SMOOTH[0], : _SMOOTH[1]].astype(np.float32)
    light = np.exp2(-1.5 - 5 * x / _SMOOTH[1] - y / _SMOOTH[0])
    return np.asarray(light[..., None] * np.array(colour, np.float32))


def _standing_out(rgb: np.ndarray) -> float:
    """Percentage of values that depart from what is around them by more than four of the deviations there."""
    out = []
    for plane in cv2.split(np.ascontiguousarray(rgb, np.float32)):
        departs = plane - cv2.GaussianBlur(cv2.medianBlur(plane, 5), (0, 0), 4)
        deviation = np.sqrt(np.pi / 2) * cv2.blur(np.abs(departs), (41, 41))
        out.append((np.abs(departs) > 4 * deviation)[_BORDER:-_BORDER, _BORDER:-_BORDER].mean())
    return 100 * float(sum(out)) / len(out)


def _decoded(path: Path) -> np.ndarray:
    with rawpy.imread(str(path)) as raw:
        return np.asarray(
            raw.postprocess(gamma=(1, 1), no_auto_bright=True, use_camera_wb=True, output_bps=16, user_flip=0)
        )


def lone() -> Table:
    """Values that stand out of smooth light, from a sensor without flaws and with them."""
    table = Table(
        "Sites: percentage of values over four deviations from smooth light (of normal noise 0.006)",
        ("no flaws", "LibRaw's", "flaws", "LibRaw's"),
    )
    for iso in (100, 800, 3200):
        for name, colour in (("white", (1.0, 1.0, 1.0)), ("blue", (0.1, 0.35, 1.0))):
            exposure = Exposure(1 / 50, 8.0, float(iso))
            found: list[float] = []
            for sensor in (CLEAN, Sensor(flaws=Flaws.all(1.0))):
                with tempfile.TemporaryDirectory() as folder:
                    paths = take(Path(folder), _smooth(colour) / exposure.relative, (exposure,), sensor)
                    found += [_standing_out(merge_frames(paths).rgb), _standing_out(_decoded(paths[0]))]
            table.add(f"ISO {iso}, {name}", *found)
    return table


def faint_stars() -> Table:
    """Light that mending lone sites takes from faint stars, as sharp as lenses draw them."""
    table = Table("Sites: light of faint stars that mending takes, %", ("ISO 800", "ISO 3200"))
    height, width = _SMOOTH
    tile = tile_of(CLEAN.pattern)
    matrix = CLEAN.camera_matrix()
    for deviation in (0.65, 0.8, 1.0):
        rng = np.random.default_rng(5)
        points = np.zeros((height, width, 3), np.float32)
        for _ in range(2500):
            cx, cy = rng.uniform(8, width - 8), rng.uniform(8, height - 8)
            near = np.s_[int(cy) - 5 : int(cy) + 7, int(cx) - 5 : int(cx) + 7]
            y, x = np.mgrid[near]
            power = min(0.004 * (rng.pareto(1.3) + 0.3), 0.03)
            spot = power * np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * deviation**2))
            points[near] += (spot[..., None] * rng.uniform(0.6, 1.4, 3)).astype(np.float32)
        sky = np.array([0.0096, 0.012, 0.0156], np.float32)
        taken = []
        for iso in (800, 3200):
            exposure = Exposure(10.0, 8.0, float(iso))
            numbers = CLEAN.expose(((sky + points) / exposure.relative).astype(np.float32), exposure, 3).astype(
                np.float32
            )
            light = (numbers - CLEAN.black) / np.float32(CLEAN.white - CLEAN.black)
            slope, offset = CLEAN.noise_profile(iso)
            variance, own = slope * np.maximum(light, 0) + np.float32(offset), np.empty_like(light)
            for c, where in sites(tile):
                gain = np.float32(1 / matrix[c].sum())
                own[where] = (points[where] @ matrix[c].astype(np.float32)) * gain
                light[where] *= gain
                variance[where] *= gain * gain
            before = light.copy()
            mend_lone(light, variance)
            stars = own > 1e-4
            taken.append(100 * float((before - light)[stars].sum() / own[stars].sum()))
        table.add(f"width {deviation} px", *taken)
    return table


def bench() -> list[Table]:
    return [places(), lone(), faint_stars()]
