"""Memory of a delivery: what it takes over the scene's own files, which stay on disk."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.bench.treatments import IN_USE
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene

#: Run in a process of its own: delivers, and prints seconds and the most memory, in MiB, that is no file's.
_CODE = """
import json, sys, threading, time
from pathlib import Path
from crenn.core.deliver.files import deliver
from crenn.core.deliver.output import Output
from crenn.core.render.cache import Cache
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment

folder, out, document = Path(sys.argv[1]), Path(sys.argv[2]), json.loads(sys.argv[3])
most, done = [0.0], threading.Event()

def used():
    return int(next(l for l in open("/proc/self/status") if l.startswith("RssAnon")).split()[1]) / 1024

def watch():
    while not done.wait(0.01):
        most[0] = max(most[0], used())

renderer = Renderer(PreparedScene.open(folder), Cache(32 * 2**20))
treatment = parse_treatment(document)
renderer.picture(treatment, Window(0, 0, 64, 64, 64, 64), 16)
before = used()
threading.Thread(target=watch, daemon=True).start()
began = time.perf_counter()
deliver(renderer, treatment, out, Output(format=out.suffix[1:]))
seconds = time.perf_counter() - began
done.set()
print(seconds, most[0] - before)
"""


def bench(megapixels: float = 100.0, suffixes: tuple[str, ...] = ("jpg", "png", "tif", "exr")) -> list[Table]:
    """Deliver a large scene in every format."""
    table = Table(f"Delivering {megapixels:.0f} MP, everything in use", ("seconds", "memory, MiB", "file, MiB"))
    width = round(np.sqrt(megapixels * 1.5e6))
    document = IN_USE["all together"] | {"crop": {"on": False}}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rgb = cv2.resize(shipped("lock-basin", 2), (width, width * 2 // 3), interpolation=cv2.INTER_LINEAR)
        PreparedScene.from_radiance(RadianceMap(rgb, None)).save(folder / "scene")
        del rgb
        for suffix in suffixes:
            out = folder / f"out.{suffix}"
            arguments = [str(folder / "scene"), str(out), json.dumps(document)]
            told = subprocess.run([sys.executable, "-c", _CODE, *arguments], capture_output=True, text=True, check=True)
            table.add(suffix, *map(float, told.stdout.split()), out.stat().st_size / 2**20)
            out.unlink()
    return [table]
