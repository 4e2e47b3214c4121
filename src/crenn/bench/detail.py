"""Detail and stars out of frames that were moved: against one frame, and against what moving whole frames gives."""

import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import take
from crenn.bench.table import Table
from crenn.camera.sensor import Exposure, Sensor
from crenn.camera.shoot import shoot
from crenn.core.colorimetry.spaces import luminance
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import RadianceMap, read_exr

#: Half the side of the squares in which a star's flux is taken, and the side within which its sky is.
_FLUX, _SKY = 3, 8


def _fluxes(rgb: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Flux of stars over their sky in each colour, float64 (N, 3)."""
    out = []
    for row, column in places:
        wide = rgb[row - _SKY : row + _SKY + 1, column - _SKY : column + _SKY + 1].astype(np.float64)
        cut = _SKY - _FLUX
        near = wide[cut:-cut, cut:-cut]
        ring = np.ones(wide.shape[:2], bool)
        ring[cut - 1 : 1 - cut, cut - 1 : 1 - cut] = False
        out.append((near - np.median(wide[ring], 0)).sum((0, 1)))
    return np.array(out)


def _stars(truth: np.ndarray, sky: np.ndarray) -> np.ndarray:
    """Places of stars that stand alone, and that no frame clips, (N, 2)."""
    light = luminance(truth)
    base = cv2.medianBlur(light, 5)
    wide = cv2.dilate(light - base, np.ones((15, 15)))
    peaks = (light - base == wide) & (light - base > 0.04) & (light < 0.6) & sky
    places = np.argwhere(peaks)
    inside = (places > 2 * _SKY).all(1) & (places < np.array(light.shape) - 2 * _SKY).all(1)
    return places[inside]


def _row(merged: RadianceMap, truth: np.ndarray, places: np.ndarray) -> tuple[float, ...]:
    got, true = _fluxes(merged.rgb, places), _fluxes(truth, places)
    good = (got > 0).all(1) & (true > 0).all(1)
    off = np.log2(got[good] / true[good])
    red, blue = off[:, 0] - off[:, 1], off[:, 2] - off[:, 1]

    def spread(v: np.ndarray) -> float:
        return float(1.4826 * np.median(np.abs(v - np.median(v))))

    flux = float(np.median(got[good, 1] / true[good, 1]))
    return float(np.median(red)), spread(red), float(np.median(blue)), spread(blue), flux, int(good.sum())


def _frames(light: np.ndarray, matrices: list[np.ndarray]) -> list[np.ndarray]:
    """A picture as frames a quarter its size record it, each light integrated over its sites, float32 (h, w, 3)."""
    height, width = light.shape[:2]
    to_sites = np.array([[0.25, 0, -0.375], [0, 0.25, -0.375], [0, 0, 1]])
    out = []
    for matrix in matrices:
        fine = np.linalg.inv(to_sites) @ matrix @ to_sites
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        moved = cv2.warpPerspective(light, fine, (width, height), flags=flags, borderMode=cv2.BORDER_REFLECT)
        out.append(cv2.resize(np.maximum(moved, 1e-6), (width // 4, height // 4), interpolation=cv2.INTER_AREA))
    return out


def _shaken(count: int, size: tuple[int, int]) -> list[np.ndarray]:
    """How hand-held frames lie, the first as it is: homographies (3, 3)."""
    rng, out = np.random.default_rng(5), [np.eye(3)]
    middle = np.array([[1, 0, size[1] / 2], [0, 1, size[0] / 2], [0, 0, 1.0]])
    for _ in range(count - 1):
        (dx, dy), turn = rng.uniform(-6, 6, 2), np.radians(rng.uniform(-0.3, 0.3))
        turned = np.array([[np.cos(turn), -np.sin(turn), dx], [np.sin(turn), np.cos(turn), dy], [0, 0, 1]])
        out.append(middle @ turned @ np.linalg.inv(middle))
    return out


def _psnr(one: np.ndarray, other: np.ndarray) -> float:
    """Of colours at gamma 2.2, without the border, in dB."""
    a, b = (np.clip(v, 0, 1)[24:-24, 24:-24] ** (1 / 2.2) for v in (one, other))
    return float(-10 * np.log10(np.mean((a - b) ** 2)))


def moved() -> Table:
    """Frames held by hand, of the kiln yard drawn at four times their size, in dB over one of them."""
    table = Table("Detail of hand-held frames, dB", ("one frame", "frames moved", "detail of their sites", "seconds ÷"))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        light = read_exr(shoot("kiln-yard", folder / "light", (3000, 2000)).truth).rgb
        light = np.clip(light / np.quantile(light, 0.98), 1e-5, 0.95).astype(np.float32)
        size = (light.shape[0] // 4, light.shape[1] // 4)
        for label, exposures in (
            ("five at ISO 100", [Exposure(1.0)] * 5),
            ("eight at ISO 3200", [Exposure(1 / 32, 8.0, 3200.0)] * 8),
            ("bracket of five", [Exposure(v) for v in (1.0, 1 / 16, 1 / 4, 4.0, 16.0)]),
            ("two at ISO 100", [Exposure(1.0)] * 2),
        ):
            frames = _frames(light, _shaken(len(exposures), size))
            paths, seconds, figures = take(folder / label, frames, exposures, Sensor(), seed=0), [], []
            for part, detail in ((paths[:1], False), (paths, False), (paths, True)):
                began = time.perf_counter()
                merged = merge_frames(part, 0, instructions=Instructions(detail=detail))
                seconds.append(time.perf_counter() - began)
                figures.append(_psnr(merged.rgb, frames[0]))
            table.add(label, *figures, seconds[2] / seconds[1])
    return table


def stars() -> Table:
    """Colours and flux of the stars of a stack of 12."""
    table = Table(
        "Stars of a stack of 12, in stops off the truth", ("R/G", "scatter", "B/G", "scatter", "flux", "stars")
    )
    with tempfile.TemporaryDirectory() as name:
        shot = shoot("ridge-observatory", Path(name), (1500, 1000))
        truth = read_exr(shot.truth).rgb
        for label, detail in (("frames moved", False), ("detail of their sites", True)):
            merged = merge_frames([*shot.frames, *shot.darks], shot.reference, instructions=Instructions(detail=detail))
            assert merged.ground is not None
            table.add(label, *_row(merged, truth, _stars(truth, merged.ground < 5)))
    return table
