"""What mends put in, against scenes without the object: in five scenes, beside three ways of inpainting."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.peers import library
from crenn.bench.table import Table
from crenn.camera.shoot import shoot
from crenn.core.areas.brush import GRID
from crenn.core.colorimetry.spaces import luminance
from crenn.core.mend.patch import MendLayer, Patch
from crenn.core.mend.region import Region, region_of
from crenn.core.radiance import RadianceMap, read_exr
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

_SIZE = (1500, 1000)
#: Objects in each scene: a name, whether it is an outline, its places in pixels, and its radius.
_OBJECTS: dict[str, list[tuple[str, bool, list[tuple[int, int]], int]]] = {
    "lock-basin": [
        ("bird before a roof", False, [(350, 330)], 12),
        ("buoy on water", True, [(560, 780), (660, 770), (690, 860), (570, 880)], 0),
    ],
    "dam-crest": [
        ("wire over the sky", False, [(200, 120), (1300, 260)], 3),
        ("sign on a slope", True, [(260, 640), (360, 640), (360, 740), (260, 740)], 0),
    ],
    "ferry-hall": [
        ("stain on the floor", False, [(740, 900)], 20),
        ("person in the hall", True, [(420, 480), (490, 480), (510, 720), (410, 720)], 0),
    ],
    "kiln-yard": [
        ("bird before bricks", False, [(800, 500)], 12),
        ("crate on the ground", True, [(860, 800), (1000, 800), (1000, 900), (860, 900)], 0),
    ],
    "ridge-observatory": [
        ("trail over stars", False, [(300, 100), (1200, 400)], 3),
        ("rock on the ridge", True, [(500, 860), (640, 850), (660, 940), (490, 950)], 0),
    ],
}
#: Inpainting by whole equations takes too long for more pixels than this.
_MOST = 8000
#: Stops that codes go over, from the darkest hundredth of a scene.
_STOPS = 14.0


def _patch(outline: bool, places: list[tuple[int, int]], radius: int) -> Patch:
    whole = np.round(np.array(places) / max(_SIZE) * GRID).astype(int)
    points = np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist()
    return Patch(points=points, closed=outline, radius=radius / max(_SIZE))


def _codes(light: np.ndarray, low: float) -> np.ndarray:
    """Stops of each colour as codes 0–1, float64."""
    return np.clip((np.log2(np.maximum(light, 2.0 ** (low - 2))) - low) / _STOPS, 0, 1).astype(np.float64)


def _figures(found: np.ndarray, truth: np.ndarray, mask: np.ndarray) -> tuple[float, float, float]:
    """Structural similarity, PSNR in dB, and the error of gradients over the truth's, within a mask."""
    _, similar = library("skimage.metrics").structural_similarity(
        found, truth, channel_axis=-1, data_range=1.0, full=True
    )
    error = float(np.mean((found - truth)[mask] ** 2))
    slopes = [np.stack(np.gradient(luminance(v.astype(np.float32)))) for v in (found, truth)]
    wrong = np.hypot(*(slopes[0] - slopes[1]))[mask].mean() / max(float(np.hypot(*slopes[1])[mask].mean()), 1e-6)
    return float(similar[mask].mean()), float(-10 * np.log10(max(error, 1e-12))), float(wrong)


def _peers(codes: np.ndarray, mask: np.ndarray) -> dict[str, Callable[[], np.ndarray]]:
    """Other ways of filling a mask of codes."""
    biharmonic = library("skimage.restoration").inpaint_biharmonic
    eight, hole = np.round(codes * 255).astype(np.uint8), mask.astype(np.uint8)
    out: dict[str, Callable[[], np.ndarray]] = {
        "OpenCV, Telea": lambda: cv2.inpaint(eight, hole, 5, cv2.INPAINT_TELEA) / 255.0,
        "OpenCV, Navier-Stokes": lambda: cv2.inpaint(eight, hole, 5, cv2.INPAINT_NS) / 255.0,
    }
    if mask.sum() <= _MOST:
        out["scikit-image, biharmonic"] = lambda: np.asarray(biharmonic(codes, mask, channel_axis=-1))
    return out


def objects() -> Table:
    """Ten objects in five scenes."""
    table = Table("Mends against the scene without the object", ("pixels", "SSIM", "PSNR dB", "gradient error", "s"))
    with tempfile.TemporaryDirectory() as name:
        for scene, things in _OBJECTS.items():
            truth = read_exr(shoot(scene, Path(name) / scene, _SIZE).truth).rgb.astype(np.float32)
            low = float(np.log2(max(float(np.quantile(luminance(truth), 0.01)), 1e-9)))
            for what, outline, places, radius in things:
                patch = _patch(outline, places, radius)
                region = region_of(patch, truth.shape[:2])
                assert region is not None
                _rows(table, f"{scene}, {what}", truth, patch, region, low)
    return table


def _rows(table: Table, name: str, truth: np.ndarray, patch: Patch, region: Region, low: float) -> None:
    """Rows of one object: ours, and the peers'."""
    mask = np.zeros(truth.shape[:2], bool)
    mask[region.top : region.bottom, region.left : region.right] = region.mask
    broken = truth.copy()
    broken[mask] = np.float32(0.18)
    prepared = PreparedScene.from_radiance(RadianceMap(broken, None))
    began = time.perf_counter()
    ours = np.array(Renderer(prepared).source(Treatment(mend=[MendLayer(patches=[patch])])).read(0))
    seconds = time.perf_counter() - began
    around = 60
    box = Window.of_box(
        region.left - around, region.top - around, region.right + around, region.bottom + around, truth.shape[:2]
    )
    cut = np.s_[int(box.y) : int(box.y + box.height), int(box.x) : int(box.x + box.width)]
    right, hole = _codes(truth, low)[cut], mask[cut]
    table.add(name, int(mask.sum()), *_figures(_codes(ours, low)[cut], right, hole), seconds)
    for peer, fill in _peers(_codes(broken, low)[cut], hole).items():
        began = time.perf_counter()
        found = fill()
        table.add(f"  {peer}", None, *_figures(found, right, hole), time.perf_counter() - began)


def bench() -> list[Table]:
    """What mends come to."""
    return [objects()]
