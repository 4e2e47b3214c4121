"""What a photographer waits for at 24 MP, in times that LibRaw takes to develop the same files in the same run."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.areas import eight
from crenn.bench.charts import BRACKET, CLEAN, shipped, take
from crenn.bench.table import Table
from crenn.bench.treatments import IN_USE

_DELIVERED = {
    "automatic": IN_USE["automatic"],
    **{name: IN_USE[name] for name in ("level", "lens", "fine relief", "relief of colour", "faint colour")},
    "eight areas of three parts": {"areas": eight()},
}
#: In processes of their own, one after the other; each writes numbers of seconds, and of GiB that were its own.
_TIMED = """
import json, sys, threading, time
from pathlib import Path
from crenn.memory import give_back_memory, keep_memory
keep_memory()
most, done = [0], threading.Event()

def watch():
    while not done.wait(0.02):
        lines = open("/proc/self/status").read().splitlines()
        most[0] = max(most[0], next(int(line.split()[1]) for line in lines if line.startswith("RssAnon")))

def timed(work):
    began = time.perf_counter()
    work()
    return time.perf_counter() - began

threading.Thread(target=watch, daemon=True).start()
"""
_DEVELOP = """
import json, sys, time
import rawpy

def develop(path):
    with rawpy.imread(path) as raw:
        raw.postprocess()

began = time.perf_counter()
for path in sys.argv[1:]:
    develop(path)
print(json.dumps([time.perf_counter() - began]))
"""
_MERGE = (
    _TIMED
    + """
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
paths, wanted = [Path(p) for p in sys.argv[2:]], Instructions(deghost=sys.argv[1] == "ghosts")
merge_frames(paths[:2], instructions=wanted)
seconds = timed(lambda: merge_frames(paths, instructions=wanted))
done.set()
print(json.dumps([seconds, most[0] / 2**20]))
"""
)
_PREPARE = (
    _TIMED
    + """
from crenn.core.merge.merge import merge_frames
from crenn.core.render.pyramid import PreparedScene
folder = Path(sys.argv[1])
PreparedScene.from_radiance(merge_frames([Path(p) for p in sys.argv[2:]])).save(folder)
scene = PreparedScene.open(folder)
give_back_memory()
most[0] = 0
seconds = timed(scene.split_noise)
done.set()
print(json.dumps([seconds, most[0] / 2**20]))
"""
)
_DELIVER = (
    _TIMED
    + """
from crenn.core.deliver.files import deliver
from crenn.core.deliver.output import Output
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import parse_treatment
folder, treatment = Path(sys.argv[1]), parse_treatment(json.loads(sys.argv[2]))

def once():
    deliver(Renderer(PreparedScene.open(folder / "scene")), treatment, folder / "out.jpg", Output())

# The first time, kernels and what lies on disk are read.
once()
print(json.dumps([timed(once), most[0] / 2**20]))
done.set()
"""
)


def _run(code: str, *arguments: str) -> list[float]:
    told = subprocess.run([sys.executable, "-c", code, *arguments], capture_output=True, text=True, check=True)
    return [float(v) for v in json.loads(told.stdout)]


def of_frames(paths: list[Path], moved: list[Path], folder: Path) -> Table:
    """The table of a bracket's frames; what is made of them is put into a folder.

    Parameters
    ----------
    paths : list of Path
        The middle one is what a single frame is.
    moved : list of Path
        The same, held by hand.
    folder : Path
    """
    table = Table(
        f"Waiting: {len(paths)} raw files, in times of LibRaw's development of as many",
        ("seconds", "× LibRaw", "memory, GiB"),
    )
    names = [str(p) for p in paths]
    all_of_them = _run(_DEVELOP, *names)[0]
    one = all_of_them / len(paths)
    table.add("LibRaw's development of all", all_of_them, 1.0, None)
    for label, way in (("merged, no search for motion", "still"), ("merged", "ghosts")):
        seconds, memory = _run(_MERGE, way, *names)
        table.add(label, seconds, seconds / all_of_them, memory)
    seconds, memory = _run(_MERGE, "ghosts", *(str(p) for p in moved))
    table.add("merged, held by hand", seconds, seconds / all_of_them, memory)
    table.add("LibRaw's development of one", one, 1.0, None)
    seconds, memory = _run(_PREPARE, str(folder / "scene"), *names)
    table.add("noise split off", seconds, seconds / one, memory)
    for label, document in _DELIVERED.items():
        seconds, memory = _run(_DELIVER, str(folder), json.dumps(document))
        table.add(f"delivered as JPEG: {label}", seconds, seconds / one, memory)
    return table


def _by_hand(rgb: np.ndarray) -> list[np.ndarray]:
    """Light as frames held by hand see it: moved by some pixels and turned by tenths of a degree."""
    height, width, _ = rgb.shape
    out = []
    for dx, dy, degrees in (
        (3.3, -5.2, 0.12),
        (-7.6, 2.4, -0.21),
        (0.0, 0.0, 0.0),
        (5.5, 8.1, 0.16),
        (-2.2, -9.7, -0.08),
    ):
        matrix = cv2.getRotationMatrix2D((width / 2, height / 2), degrees, 1.0)
        matrix[:, 2] += dx, dy
        seen = cv2.warpAffine(rgb, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
        out.append(np.maximum(seen, 0))
    return out


def bench(width: int = 6000) -> list[Table]:
    """Five frames of the lock basin, laid side by side until they are as wide, each with noise of its own; on a tripod
    and held by hand."""
    tile = shipped("lock-basin", 2)
    times = -(-width // tile.shape[1])
    rgb = np.tile(tile, (times, times, 1))[: width * 2 // 3, :width]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        still = take(folder / "still", rgb, BRACKET, CLEAN)
        return [of_frames(still, take(folder / "moved", _by_hand(rgb), BRACKET, CLEAN), folder)]
