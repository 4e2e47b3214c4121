"""How evenly a series is treated: a simulated dawn, its exposures flickering, merged and made into pictures."""

import tempfile
import time
from pathlib import Path

import numpy as np

from crenn.bench.table import Table
from crenn.camera.dawn import shoot_dawn
from crenn.camera.shoot import Bracket, scene_named
from crenn.core.colorimetry.spaces import SRGB_TO_XYZ
from crenn.core.merge.merge import merge_frames
from crenn.core.progress import Progress
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.series.film import Film
from crenn.core.series.treating import SeriesLight, write_film
from crenn.core.treatment import Treatment

_SCENES, _TIMES, _EVERY, _FRAMES = ("lock-basin", "kiln-yard"), 20, 60.0, 3
_RISE, _FLICKER, _SIZE = 4.0, 0.1, (600, 400)
_SEED = 41


def _stops(scenes: list[PreparedScene], treatments: list[Treatment]) -> np.ndarray:
    """Mean luminance of each picture, in stops."""
    means = []
    for scene, treatment in zip(scenes, treatments):
        shown = Renderer(scene).shown(treatment, Window.whole(scene.size, _SIZE[0] // 2))[0]
        means.append(float((shown.astype(np.float64) @ SRGB_TO_XYZ[1]).mean()))
    return np.log2(means)


def flicker_of(stops: np.ndarray) -> float:
    """Deviation of neighbours from each other in stops: what a second difference holds besides a slow change."""
    return float(np.sqrt((np.diff(stops, 2) ** 2).mean() / 6))


def bench() -> list[Table]:
    """Flicker between neighbours in stops, each picture automatic by itself and treated as a series; seconds."""
    table = Table("Series: flicker between neighbours, stops", ("automatic each", "as a series"))
    speed = Table("Series: seconds a scene of 0.24 MP, and seconds of the film", ("merge", "light", "picture"))
    for name in _SCENES:
        with tempfile.TemporaryDirectory() as folder:
            usual = scene_named(name).exposures
            middle = usual[(len(usual) - 1) // 2]
            bracket = Bracket.chosen(scene_named(name), _FRAMES, 3.0, middle.iso)
            frames = shoot_dawn(name, Path(folder), _TIMES, _EVERY, _RISE, _FLICKER, _SIZE, bracket, seed=_SEED)
            began = time.perf_counter()
            scenes = [
                PreparedScene.from_radiance(merge_frames(frames[first : first + _FRAMES]))
                for first in range(0, len(frames), _FRAMES)
            ]
            merged = time.perf_counter()
            light = SeriesLight.of(scenes, [i * _EVERY for i in range(_TIMES)], Progress())
            treatments = light.treatments({})
            seen = time.perf_counter()
            write_film(Path(folder) / "f.mp4", Film(), _TIMES, list(zip(scenes, treatments)).__getitem__, Progress())
            ended = time.perf_counter()
            alone, together = _stops(scenes, [Treatment()] * _TIMES), _stops(scenes, treatments)
            table.add(name, flicker_of(alone), flicker_of(together))
            speed.add(name, (merged - began) / _TIMES, (seen - merged) / _TIMES, (ended - seen) / _TIMES)
    return [table, speed]
