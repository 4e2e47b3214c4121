"""Compiles the kernels ahead of their use: `python -m crenn.kernels`, which set-up runs, or beside an application that
has started already.

Numba keeps what it has compiled beside each source file; that is thrown away when the file, or any that it imports, has
changed. A kernel is
compiled for the kinds of arrays that it is called with: so small made-up pictures are sent through everything that uses
one, the merge of brackets in one process, views in another, the simulated camera in a third.
"""

import hashlib
import json
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from datetime import datetime, timedelta
from pathlib import Path

import llvmlite
import numba
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.files import replacing

_SIZE = (256, 384)
_VERSIONS = f"{numba.__version__} {llvmlite.__version__} {np.__version__}"


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
    from crenn.camera.record import record
    from crenn.camera.sensor import Exposure, Sensor

    paths = []
    for k, (shift, time_open) in enumerate(zip(shifts, seconds)):
        light, taken = _night(shift), datetime(2026, 10, 17, 20) + timedelta(seconds=20 * k)
        if k == 1:
            light[100:130, 50:120] += 0.3
        paths.append(record(folder / f"{k}.dng", light, Exposure(time_open), Sensor(), k, taken))
    return paths


def brackets(folder: Path) -> None:
    """Brackets from a tripod, and single frames."""
    from crenn.core.merge.merge import merge_frames

    paths = _frames(folder, [0.0, 0.0, 0.0], [0.25, 1.0, 4.0])
    merge_frames(paths)
    merge_frames(paths[:1])


def moved(folder: Path) -> None:
    """Brackets held by hand."""
    from crenn.core.merge.merge import merge_frames

    merge_frames(_frames(folder, [0.0, 2.3, 4.1, 5.0], [0.25, 1.0, 4.0, 16.0]))


def stacks(folder: Path) -> None:
    """Stacks by every method, on stars and on the ground, and the noise of one split off."""
    from crenn.core.merge.instructions import Instructions
    from crenn.core.merge.merge import merge_frames
    from crenn.core.render.pyramid import PreparedScene

    paths = _frames(folder, [0.0, 1.2, 2.4, 3.6, 4.8, 6.0], [2.0] * 6)
    PreparedScene.from_radiance(merge_frames(paths)).split_noise()
    for method in ("mean", "median", "maximum"):
        merge_frames(paths, instructions=Instructions(method=method, follow="ground"))


#: A treatment that uses every kind of instruction, mask and map there is.
_EVERYTHING = {
    "lens": {"falloff": 0.5, "red": 1.0},
    "level": {"angle": 2.0},
    "relief": {"fine": 1.5, "broad": 1.2},
    "motion": {"amount": 20},
    "mist": {"amount": 20},
    "painted_glow": {"colour": 120, "strokes": [{"points": [4000, 4000, 3000, 0], "radius": 0.05}]},
    "soft": {"amount": 20},
    "glow": {"amount": 30, "colour": 120},
    "star_glow": {"amount": 30, "between": 0.2, "rays": 10},
    "sharpness": {"amount": 50},
    "grain": {"amount": 20, "colour": "colour"},
    "areas": [
        {
            "parts": [
                {"kind": "gradient", "start": [0.2, 0.2], "end": [0.8, 0.6]},
                {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.3, 0.2]},
                {"kind": "gradient", "start": [0.2, 0.2], "end": [0.8, 0.6], "refine": 3, "soften": 2},
                {"kind": "light", "low": -6},
                {"kind": "colour", "picks": [{"a": 0.1, "b": 0.1, "stop": -3}]},
                {"kind": "brush", "strokes": [{"points": [4000, 4000, 2000, 0], "radius": 0.1, "edges": 50}]},
                {"kind": "grown", "seeds": [{"place": [0.5, 0.3]}]},
                {"kind": "found", "what": "subject"},
            ],
            "bends": {"exposure.ev": 0.5, "white_balance.temperature": 20, "tone.contrast": 1.2, "relief.fine": 1.5},
        }
    ],
}
#: What looks so far around that a small picture has nothing of it.
_WIDE = {
    "relief": {"fine": 1.5, "colour_broad": 1.5},
    "faint": {"gain": 2.0},
    "motion": {"amount": 20},
    "level": {"angle": 2.0},
}

#: One patch that is copied from one place, and one that is completed from many.
_MENDS = {
    "mend": [
        {
            "patches": [
                {"points": [4096, 4096], "radius": 0.03},
                {"points": [3000, 3000, 10000, 0, 0, 9000, -10000, 0], "closed": True, "radius": 0.0},
            ]
        }
    ]
}


def first() -> None:
    """What the first picture of a scene needs."""
    from crenn.core.radiance import RadianceMap
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.render.renderer import Renderer
    from crenn.core.render.views import paint_view
    from crenn.core.render.window import Window
    from crenn.core.treatment import Treatment

    rgb = np.geomspace(0.001, 1, 32 * 32 * 3).astype(np.float32).reshape(32, 32, 3)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.1)))
    for oversample in (1, 2):
        paint_view(renderer, Treatment(), Window(0, 0, 24, 24, 12, 12), "picture", oversample)


def views() -> None:
    """Everything that shows a scene or delivers it."""
    from crenn.core.radiance import RadianceMap
    from crenn.core.render.probe import probe
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.render.renderer import Renderer
    from crenn.core.render.window import Window
    from crenn.core.treatment import Treatment, parse_treatment

    rgb = np.geomspace(0.001, 1, 32 * 32 * 3).astype(np.float32).reshape(32, 32, 3)
    scene = PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.1))
    scene.split_noise()
    renderer = Renderer(scene)
    window = Window(0, 0, 32, 32, 32, 32)
    for treatment in (Treatment(), parse_treatment(_EVERYTHING)):
        for bits in (8, 16):
            renderer.picture(treatment, window, bits)
        renderer.picture(treatment, Window(0, 0, 24, 24, 12, 12), oversample=2)
        renderer.picture(treatment, Window(0, 0, 24, 24, 12, 12), 16, oversample=2)
        renderer.linear(treatment, window)
        probe(renderer, treatment, 16, 16)
    # What looks far around takes a picture that is larger than that.
    wide = np.random.default_rng(2).uniform(0.1, 0.2, (320, 320, 3)).astype(np.float32)
    renderer, window = (
        Renderer(PreparedScene.from_radiance(RadianceMap(wide, wide * 0.1))),
        Window(0, 0, 64, 64, 64, 64),
    )
    renderer.linear(parse_treatment(_WIDE), window)
    renderer.linear(parse_treatment({"level": {"angle": 2.0}}), window, False)


def mends() -> None:
    """Patches that are copied, and completed."""
    from crenn.core.radiance import RadianceMap
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.render.renderer import Renderer
    from crenn.core.treatment import parse_treatment

    grainy = np.random.default_rng(1).uniform(0.1, 0.2, (320, 320, 3)).astype(np.float32)
    Renderer(PreparedScene.from_radiance(RadianceMap(grainy, None))).solved(parse_treatment(_MENDS))


def camera(folder: Path) -> None:
    """The simulated camera's scenes: with water, and with stars."""
    from crenn.camera.shoot import shoot

    for name in ("lock-basin", "ridge-observatory"):
        shoot(name, folder / name, (96, 64))


#: What is compiled at once, by name: what the first picture needs comes first.
_PARTS: dict[str, Callable[[Path], None]] = {
    "brackets": brackets,
    "camera": camera,
    "first": lambda folder: first(),
    "moved": moved,
    "views": lambda folder: views(),
    "mends": lambda folder: mends(),
    # Much of it is compiled for frames that were moved, too.
    "stacks": stacks,
}
#: What gives way to others: an application may be at work already.
_LATER = ("moved", "views", "mends", "stacks")
_SOURCES = Path(__file__).resolve().parents[1]
_STAMP = Path(__file__).with_name(".crenn-stamp")
_IMPORT = re.compile(rb"^\s*(?:from|import)\s+(crenn[\w.]*)(?:\s+import\s+(.*))?", re.MULTILINE)


def _file_of(module: str) -> Path | None:
    """The file of a module of ours; None if there is none."""
    path = _SOURCES.joinpath(*module.split("."))
    return next((p for p in (path.with_suffix(".py"), path / "__init__.py") if p.exists()), None)


def closures() -> dict[str, str]:
    """By source file that holds kernels, a digest of it and of all that it imports of ours.

    Constants and functions of other files are compiled into a kernel, which Numba does not look at again.
    """
    texts: dict[Path, bytes] = {path: path.read_bytes() for path in sorted(_SOURCES.rglob("*.py"))}
    imports: dict[Path, set[Path]] = {}
    for path, text in texts.items():
        found = set()
        for module, names in _IMPORT.findall(text):
            parts = [module.decode(), *(f"{module.decode()}.{n.strip()}" for n in names.decode().split(","))]
            found |= {file for part in parts if (file := _file_of(part)) is not None}
        imports[path] = found
    out = {}
    for path, text in texts.items():
        if b"njit" not in text:
            continue
        reached, ahead = {path}, [path]
        while ahead:
            ahead = [p for p in imports.get(ahead.pop(), ()) if p not in reached] + ahead
            reached |= set(ahead)
        total = hashlib.sha256(sys.version.encode() + _VERSIONS.encode())
        for one in sorted(reached):
            total.update(str(one.relative_to(_SOURCES)).encode() + b"\0" + texts[one])
        out[str(path.relative_to(_SOURCES))] = total.hexdigest()
    return out


def compiled() -> bool:
    """Whether all kernels are compiled as they are now."""
    return _stamp() == closures()


def _stamp() -> dict[str, str]:
    try:
        return dict(json.loads(_STAMP.read_text()))
    except (OSError, ValueError, TypeError):
        return {}


def _forget_changed(now: dict[str, str]) -> None:
    """Throw away what Numba has kept of sources whose closure has changed."""
    before = _stamp()
    for path in _SOURCES.rglob("*.py"):
        name = str(path.relative_to(_SOURCES))
        if name in now and before.get(name) != now[name]:
            for kept in (path.parent / "__pycache__").glob(f"{path.stem}.*.nb[ci]"):
                kept.unlink()


class Compilation:
    """Kernels being compiled by processes beside this one, the first parts first.

    ``share`` is how much of it is done, 0 to 1.

    Parameters
    ----------
    but : tuple of str
        Parts that are compiled by whoever asks for this.
    """

    def __init__(self, but: tuple[str, ...] = ()) -> None:
        self.share, self.fault = 0.0, ""
        self._ready = {name: threading.Event() for name in _PARTS if name not in but}
        self._thread = threading.Thread(target=self._run, name="kernels", daemon=True)

    def start(self) -> "Compilation":
        """Begin, if anything is to be compiled."""
        now = closures()
        if _stamp() == now:
            self._end()
        else:
            self._now = now
            self._thread.start()
        return self

    def wait(self, part: str) -> None:
        """Wait until a part is compiled, or cannot be: then it is as it is used."""
        self._ready[part].wait()

    def join(self) -> None:
        """Wait until all of it is done, and noted as done."""
        if self._thread.ident is not None:
            self._thread.join()

    @property
    def done(self) -> bool:
        return all(ready.is_set() for ready in self._ready.values())

    def _end(self) -> None:
        self.share = 1.0
        for ready in self._ready.values():
            ready.set()

    def _run(self) -> None:
        try:
            _forget_changed(self._now)
            faults = []
            # Few at a time: what the first picture needs is not to wait for the rest.
            with ThreadPoolExecutor(min(max(os.cpu_count() or 2, 2), 4)) as pool:
                running = {pool.submit(_compile, name): name for name in self._ready}
                for number, done in enumerate(as_completed(running)):
                    self.share = (number + 1) / len(running)
                    faults += [] if done.result() == 0 else [running[done]]
                    self._ready[running[done]].set()
            self.fault = ", ".join(faults)
            if not faults:
                with replacing(_STAMP) as temporary:
                    temporary.write_text(json.dumps(self._now))
        except (OSError, CrennError) as fault:
            self.fault = str(fault)
        finally:
            self._end()


def _compile(name: str) -> int:
    command = [sys.executable, "-m", "crenn.kernels", name]
    return subprocess.run(command, env=os.environ | {"PYTHONPATH": str(_SOURCES)}).returncode


def main() -> None:
    """Compile a named part in this process, or all that is not compiled, telling how far it is."""
    if names := sys.argv[1:]:
        from crenn.log import log_nothing

        log_nothing()
        if set(names) <= set(_LATER):
            os.nice(10)
        with tempfile.TemporaryDirectory(prefix="crenn-kernels-") as folder:
            for name in names:
                _PARTS[name](Path(folder))
        return
    if compiled():
        return
    print("crenn: compiling kernels; this takes a minute or two, once", flush=True)
    began = time.monotonic()
    compilation = Compilation().start()
    compilation.join()
    if compilation.fault:
        sys.exit(f"crenn: kernels cannot be compiled: {compilation.fault}")
    print(f"crenn: kernels took {time.monotonic() - began:.0f} s", flush=True)


if __name__ == "__main__":
    main()
