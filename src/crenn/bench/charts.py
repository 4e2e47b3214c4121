"""Scenes of known truth for the bench, and their frames."""

from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
import OpenEXR

from crenn.camera.record import record
from crenn.camera.sensor import Exposure, Sensor
from crenn.camera.shoot import _SHIPPED

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)


def smooth_chart(height: int = 1200, width: int = 1800) -> np.ndarray:
    """Grey and coloured strips rising smoothly over 15 stops, float32 (H, W, 3)."""
    stops = np.linspace(-12.5, 2.5, width, dtype=np.float32)
    tints = np.array([[1, 1, 1], [1.3, 0.95, 0.6], [0.7, 1.0, 1.35], [1, 1, 1], [1.15, 0.9, 1.1], [0.85, 1.1, 0.8]])
    rows = tints[np.arange(height) * len(tints) // height]
    return (np.exp2(stops)[None, :, None] * rows[:, None, :]).astype(np.float32)


def shipped(name: str, index: int, side: int | None = None) -> np.ndarray:
    """Noiseless light of a Tarrowick scene, reduced to a longer side."""
    with OpenEXR.File(str(_SHIPPED / f"{name}-{index}.exr")) as file:
        rgb = np.maximum(file.channels()["RGB"].pixels.astype(np.float32), 0)
    if side:
        factor = side / max(rgb.shape[:2])
        rgb = cv2.resize(rgb, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    return rgb


def star_field(height: int = 800, width: int = 1200) -> np.ndarray:
    """A made-up night sky over a dark ridge with one lit hut, float32 (H, W, 3)."""
    rng = np.random.default_rng(12)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    rgb = (0.012 + 0.02 * (y / height) ** 2)[..., None] * np.array([0.8, 1.0, 1.35], np.float32)
    for _ in range(1800):
        cx, cy, power = rng.uniform(0, width), rng.uniform(0, height * 0.7), 0.02 * rng.pareto(1.2) + 0.01
        x0, y0 = int(cx) - 3, int(cy) - 3
        if x0 < 0 or y0 < 0 or x0 + 7 > width or y0 + 7 > height:
            continue
        part = (slice(y0, y0 + 7), slice(x0, x0 + 7))
        spot = np.exp(-((x[part] - cx) ** 2 + (y[part] - cy) ** 2) / 1.6) * min(power, 3.0)
        rgb[part] += spot[..., None] * rng.uniform(0.75, 1.25, 3).astype(np.float32)
    ridge = height * 0.74 + 40 * np.sin(x / 170) + 14 * np.sin(x / 37)
    ground = y > ridge
    grain = cv2.GaussianBlur(rng.random((height, width), dtype=np.float32), (0, 0), 1.5)
    rgb[ground] = (0.0006 + 0.0012 * grain[ground])[:, None] * np.array([1.1, 1.0, 0.8])
    rgb[640:652, 820:834] = (0.9, 0.5, 0.18)
    return rgb.astype(np.float32)


def daylight(height: int = 800, width: int = 1200) -> np.ndarray:
    """A made-up bright day: sky, hills, a wall in shade, float32 (H, W, 3)."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    rgb = (0.55 + 0.35 * y / height)[..., None] * np.array([0.62, 0.82, 1.15], np.float32)
    cloud = cv2.GaussianBlur(rng.random((height, width), dtype=np.float32), (0, 0), 40)
    cloud = np.clip((cloud - cloud.mean()) / cloud.std(), 0, 2)[..., None]
    rgb = rgb * (1 - 0.4 * cloud) + 0.45 * cloud
    hill = y > height * 0.5 + 60 * np.sin(x / 260)
    grain = cv2.GaussianBlur(rng.random((height, width), dtype=np.float32), (0, 0), 1.2)
    rgb[hill] = (0.10 + 0.25 * grain[hill])[:, None] * np.array([0.75, 1.0, 0.45])
    wall = (x > 760) & (y > 300) & (y < 720)
    rgb[wall] = (0.012 + 0.02 * grain[wall])[:, None] * np.array([1.15, 1.0, 0.85])
    return rgb.astype(np.float32)


def take(folder: Path, radiance, exposures, sensor: Sensor = CLEAN, seed: int = 1) -> list[Path]:
    """Write frames of one still radiance, or of one per exposure."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for index, exposure in enumerate(exposures):
        path = folder / f"frame-{index}.dng"
        light = radiance[index] if isinstance(radiance, list) else radiance
        taken = datetime(2026, 10, 17, 18) + timedelta(seconds=index * 20)
        paths.append(record(path, light, exposure, sensor, seed * 100 + index, taken))
    return paths


BRACKET = tuple(
    Exposure(2.0**ev, shutter_error=error) for ev, error in ((-4, 1.07), (-2, 0.95), (0, 1.0), (2, 1.03), (4, 0.96))
)
