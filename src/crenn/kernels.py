"""Compiles the kernels ahead of their use: `python -m crenn.kernels`, which set-up runs.

Numba keeps what it has compiled beside each source file; set-up throws that away when any has changed. A kernel is
compiled for the kinds of arrays that it is called with: so small made-up pictures are sent through everything that uses
one, the merge of brackets in one process, stacks and views in another, the simulated camera in a third.
"""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

_SIZE = (256, 384)


def _night(shift: float) -> np.ndarray:
    """A small field of lights over dark ground, moved by some pixels, float32 (H, W, 3)."""
    height, width = _SIZE
    y, x = np.mgrid[:height, :width].astype(np.float32)
    x = x - shift
    rgb = np.repeat(0.02 + 0.01 * np.sin(x / 5.0)[..., None] * np.cos(y / 7.0)[..., None], 3, -1)
    rng = np.random.default_rng(1)
    for cx, cy in rng.uniform((10, 10), (width - 10, height * 0.7), (160, 2)):
        rgb += 0.6 * np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / 1.5)[..., None]
    return np.asarray(rgb, np.float32)


def _frames(folder: Path, shifts: list[float], seconds: list[float]) -> list[Path]:
    from crenn.camera.dng import FrameDescription, write_dng
    from crenn.camera.sensor import Exposure, Sensor

    sensor = Sensor()
    paths = []
    for k, (shift, time_open) in enumerate(zip(shifts, seconds)):
        about = FrameDescription(
            seconds=time_open,
            aperture=8.0,
            iso=100.0,
            taken=datetime(2026, 10, 17, 20) + timedelta(seconds=20 * k),
            black=sensor.black,
            white=sensor.white,
            xyz_to_camera=np.array(sensor.xyz_to_camera),
            neutral=sensor.camera_matrix().sum(axis=1),
            pattern=sensor.pattern,
            noise_profile=sensor.noise_profile(100.0) * 3,
        )
        light = _night(shift)
        if k == 1:
            light[100:130, 50:120] += 0.3
        paths.append(folder / f"{k}.dng")
        write_dng(paths[-1], sensor.expose(light, Exposure(time_open, 8.0, 100.0), k), about)
    return paths


def brackets(folder: Path) -> None:
    """Brackets, hand-held and from a tripod, and single frames."""
    from crenn.core.merge.merge import merge_frames

    paths = _frames(folder, [0.0, 2.3, 4.1, 5.0], [0.25, 1.0, 4.0, 16.0])
    merge_frames(paths)
    merge_frames(paths[:1])


def stacks(folder: Path) -> None:
    """Stacks by every method, on stars and on the ground, with dark frames, and views of the result."""
    from crenn.core.merge.instructions import Instructions
    from crenn.core.merge.merge import merge_frames

    paths = _frames(folder, [0.0, 1.2, 2.4, 3.6, 4.8, 6.0], [2.0] * 6)
    radiance = merge_frames(paths)
    for method in ("mean", "median", "maximum"):
        merge_frames(paths, instructions=Instructions(method=method, follow="ground"))
    views(radiance)


#: A treatment that uses every kind of instruction, mask and map there is.
_EVERYTHING = {
    "lens": {"falloff": 0.5, "red": 1.0},
    "level": {"angle": 2.0},
    "relief": {"fine": 1.5, "broad": 1.2},
    "areas": [
        {
            "parts": [
                {"kind": "gradient", "start": [0.2, 0.2], "end": [0.8, 0.6]},
                {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.3, 0.2]},
                {"kind": "gradient", "start": [0.2, 0.2], "end": [0.8, 0.6], "refine": 3, "soften": 2},
                {"kind": "light", "low": -6},
                {"kind": "colour", "picks": [{"a": 0.1, "b": 0.1, "stop": -3}]},
                {"kind": "brush", "strokes": [{"points": [4000, 4000, 2000, 0], "radius": 0.1, "edges": 50}]},
            ],
            "bends": {"exposure.ev": 0.5, "white_balance.temperature": 20, "tone.contrast": 1.2, "relief.fine": 1.5},
        }
    ],
}


def views(radiance=None) -> None:
    """Everything that shows a scene or delivers it."""
    from crenn.core.radiance import RadianceMap
    from crenn.core.render.probe import probe
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.render.renderer import Renderer
    from crenn.core.render.window import Window
    from crenn.core.treatment import Treatment, parse_treatment

    if radiance is None:
        rgb = np.geomspace(0.001, 1, 32 * 32 * 3).astype(np.float32).reshape(32, 32, 3)
        radiance = RadianceMap(rgb, rgb * 0.1)
    scene = PreparedScene.from_radiance(radiance)
    scene.split_noise()
    renderer = Renderer(scene)
    window = Window(0, 0, 32, 32, 32, 32)
    for treatment in (Treatment(), parse_treatment(_EVERYTHING)):
        for bits in (8, 16):
            renderer.picture(treatment, window, bits)
        renderer.picture(treatment, Window(0, 0, 24, 24, 12, 12))
        renderer.linear(treatment, window)
        probe(renderer, treatment, 16, 16)


def camera(folder: Path) -> None:
    """The simulated camera's scenes: with water, and with stars."""
    from crenn.camera.shoot import shoot

    for name in ("lock-basin", "ridge-observatory"):
        shoot(name, folder / name, (96, 64))


_PARTS: dict[str, Callable[[Path], None]] = {"brackets": brackets, "stacks": stacks, "camera": camera}


def main() -> None:
    """Compile a named part, or all of them side by side, telling how far it is."""
    if names := sys.argv[1:]:
        from crenn.log import log_nothing

        log_nothing()
        with tempfile.TemporaryDirectory(prefix="crenn-kernels-") as folder:
            for name in names:
                _PARTS[name](Path(folder))
        return
    began = time.monotonic()
    running = {name: subprocess.Popen([sys.executable, "-m", "crenn.kernels", name]) for name in _PARTS}
    faults = []
    for number, (name, process) in enumerate(running.items()):
        if process.wait():
            faults.append(name)
        print(f"crenn: kernels for {name} ready, {(number + 1) / len(running):.0%}", flush=True)
    print(f"crenn: kernels took {time.monotonic() - began:.0f} s", flush=True)
    sys.exit(f"crenn: kernels for {', '.join(faults)} cannot be compiled" if faults else 0)


if __name__ == "__main__":
    main()
