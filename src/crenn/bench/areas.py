"""Areas: masks against the truth, halos along them, what they cost, and nothing where they bend nothing."""

import resource
import tempfile
import time
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.speed import drags, large_renderer
from crenn.bench.table import Table
from crenn.camera.scenes import SCENES
from crenn.camera.seen import open_sky
from crenn.camera.shoot import SHIPPED_SIZE, shoot
from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.found.part import Found
from crenn.core.areas.part import Part
from crenn.core.areas.ranges import ColourRange, Pick
from crenn.core.areas.shapes import Ellipse, Gradient
from crenn.core.colorimetry.oklab import from_oklab
from crenn.core.colorimetry.spaces import srgb_to_lab
from crenn.core.deliver.files import deliver
from crenn.core.deliver.output import Output
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.view import View
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

#: Pixels within which a border counts as right, and of the rings beside it in which a halo is looked for.
_CLOSE, _RINGS = 2.0, range(3, 40, 4)


def _border(mask: np.ndarray) -> np.ndarray:
    """The outermost pixels of a mask, bool (h, w)."""
    kernel = np.ones((3, 3), np.uint8)
    return mask & (cv2.erode(mask.astype(np.uint8), kernel, borderType=cv2.BORDER_REPLICATE) == 0)


def agreement(found: np.ndarray, truth: np.ndarray) -> tuple[float, float, float]:
    """Share of pixels that are right; of the true border near the found one; of the found near the true."""
    one, other = found > 0.5, truth > 0.5
    right = float((one == other).mean())
    borders = _border(one), _border(other)
    away = [cv2.distanceTransform((~b).astype(np.uint8), cv2.DIST_L2, 5) for b in borders]
    near = [float((away[i][borders[1 - i]] <= _CLOSE).mean()) if borders[1 - i].any() else 1.0 for i in (0, 1)]
    return right, near[0], near[1]


def skies() -> list[Table]:
    """The sky of each Tarrowick scene as it is found in its merged frames, and what a treatment of it leaves beside."""
    columns = ("pixels right", "true border within 2 px", "found border within 2 px", "seconds")
    table = Table("Areas: the sky, against the ray tracer's own", columns)
    halos = Table(
        "Areas: halo along the found sky's edge, darkened by 2 EV: most of a ring's mean, L*, against the true mask",
        ("in the sky", "on the ground"),
    )
    for name in SCENES:
        with tempfile.TemporaryDirectory() as folder:
            shot = shoot(name, Path(folder), SHIPPED_SIZE, truth=False)
            scene = PreparedScene.from_radiance(merge_frames([*shot.frames, *shot.darks], shot.reference))
        truth = open_sky(name, SHIPPED_SIZE)
        left, top = scene.light.capture.part[:2]
        y, x = (round(v * n) for v, n in ((top, truth.shape[0]), (left, truth.shape[1])))
        truth = truth[y : y + scene.size[0], x : x + scene.size[1]]
        renderer, whole = Renderer(scene), Window.whole(scene.size)
        view = View.of_scene(scene, whole)
        renderer.light(view)
        began = time.perf_counter()
        mask = renderer.share(Found(what="sky"), view)
        seconds = time.perf_counter() - began
        table.add(name, *agreement(mask, truth), seconds)
        halos.add(name, *_halo(renderer, mask, truth))
    return [table, halos]


def _halo(renderer: Renderer, mask: np.ndarray, truth: np.ndarray) -> tuple[float, float]:
    """Most by which a ring's mean L* departs from what the true mask would have made of it."""
    whole = Window.whole(renderer.scene.size)
    plain = parse_treatment({"noise": {"on": False}})
    light = renderer.linear(plain, whole)
    shown = []
    for share in (mask, truth):
        dimmed = light * np.exp2(-2.0 * share)[..., None].astype(np.float32)
        scene = PreparedScene.from_radiance(RadianceMap(dimmed, None, report=dict(renderer.scene.report)))
        codes = Renderer(scene).picture(Treatment.neutral(), whole, 16)[0]
        shown.append(srgb_to_lab(codes / 65535.0)[..., 0])
    off = np.abs(shown[0] - shown[1])
    out = []
    for inside in (truth > 0.5, truth <= 0.5):
        away = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
        means = [off[(away > r) & (away <= r + _RINGS.step)].mean() for r in _RINGS]
        out.append(float(max(means)))
    return out[0], out[1]


def shapes() -> Table:
    """Shapes by their definition, and a colour range on a chart."""
    table = Table("Areas: masks against what they are defined to be", ("largest error", "mean error"))
    size = (600, 900)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(np.full((*size, 3), 0.2, np.float32), None)))
    view = View.of_scene(renderer.scene, Window.whole(size))
    y, x = (np.mgrid[: size[0], : size[1]] + 0.5) / size[1]

    def smooth(t: np.ndarray) -> np.ndarray:
        t = np.clip(t, 0, 1)
        return t * t * (3 - 2 * t)

    def off(name: str, part: Part, wanted: np.ndarray) -> None:
        error = np.abs(renderer.share(part, view) - wanted)
        table.add(name, float(error.max()), float(error.mean()))

    gradient = Gradient(start=[0.2, 0.1], end=[0.7, 0.5])
    off("gradient", gradient, smooth(1 - ((x - 0.2) * 0.5 + (y - 0.1) * 0.4) / (0.5**2 + 0.4**2)))
    ellipse = Ellipse(centre=[0.5, 0.3], radii=[0.3, 0.15], feather=0.4)
    off("ellipse", ellipse, smooth(0.5 + (1 - np.hypot((x - 0.5) / 0.3, (y - 0.3) / 0.15)) / 0.8))
    return table


def colours() -> Table:
    """A range on each of 24 paints of a chart, in noisy light of 8 stops: what it takes of its own, and of others."""
    rng = np.random.default_rng(4)
    hues = np.arange(24) * 2 * np.pi / 24
    # Chroma of real paints: 10 to 22 % of lightness.
    chroma = 0.10 + 0.12 * rng.random(24)
    lab = np.stack([np.full(24, 0.7), 0.7 * chroma * np.cos(hues), 0.7 * chroma * np.sin(hues)], -1)
    paints = from_oklab(lab.astype(np.float32))
    light = np.exp2(-np.arange(8.0))
    patches = (paints[None] * light[:, None, None]).repeat(24, 0).repeat(24, 1)
    noisy = (patches * (1 + 0.03 * rng.standard_normal(patches.shape))).astype(np.float32)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(noisy, noisy * 0.03)))
    view = View.of_scene(renderer.scene, Window.whole(noisy.shape[:2]))
    own, others = [], []
    for k in range(24):
        stop, a, b = (float(v) for v in appearance_features(paints[None, k : k + 1].astype(np.float32), 1e-4)[0, 0])
        part = ColourRange(picks=[Pick(a=a, b=b, stop=stop)], width=4.0)
        share = renderer.share(part, view)
        patch = share.reshape(8, 24, 24, 24)[:, 4:20, :, 4:20].mean((1, 3))
        own.append(patch[:, k].min())
        near = [(k + d) % 24 for d in (-1, 0, 1)]
        others.append(np.delete(patch, near, 1).max())
    table = Table("Areas: a colour range of 4 % on 24 paints in 8 stops of light", ("worst", "mean"))
    table.add("of its own paint", float(min(own)), float(np.mean(own)))
    table.add("of paints more than 30° away", float(max(others)), float(np.mean(others)))
    return table


def eight(exposure: float = 0.3, more: dict[str, float] | None = None) -> list[dict[str, Any]]:
    """Eight areas of three parts each, of all kinds, that bend exposure and what else is given."""
    out = []
    for i in range(8):
        u = 0.1 + 0.1 * i
        thirds: list[dict[str, Any]] = [
            {"kind": "light", "low": -9.0 + 0.3 * i, "high": -1.0, "mode": "intersect"},
            {"kind": "found", "what": ("sky", "ground")[i % 2], "mode": "intersect"},
            {
                "kind": "brush",
                "mode": "add",
                "strokes": [{"points": [1500 * i + 500, 6000, 800, 900], "radius": 0.03, "edges": 50 * (i % 2)}],
            },
            {"kind": "colour", "picks": [{"a": 0.05, "b": 0.06, "stop": -4}], "mode": "subtract"},
        ]
        parts = [
            {"kind": "gradient", "start": [u, 0.1], "end": [0.5, 0.5], "bow": 0.2},
            {"kind": "ellipse", "centre": [u, 0.35], "radii": [0.2, 0.15], "refine": 12.0 * (i % 2)},
            thirds[i % 4],
        ]
        bends = {"exposure.ev": exposure} | (more or {})
        out.append({"name": f"Area {i + 1}", "parts": parts, "bends": bends})
    return out


#: What areas may bend besides exposure.
MORE = {"tone.contrast": 1.05, "saturation.saturation": 1.1}


def strokes(count: int) -> list[dict[str, Any]]:
    """Strokes all over the picture, every other with its edges kept."""
    rng = np.random.default_rng(9)
    out = []
    for k in range(count):
        first = rng.integers(0, (16000, 10500))
        way = rng.integers(-400, 400, (20, 2))
        points = [int(v) for v in np.concatenate([first[None], way]).ravel()]
        out.append({"points": points, "radius": 0.02, "flow": 60.0, "edges": 50.0 * (k % 2)})
    return out


def cost() -> list[Table]:
    """What areas cost while something is dragged, and when a picture is delivered."""
    table = Table("Areas: dragged in 1280x800, ms to encoded bytes, 24 MP scene", ("median", "95 %"))
    renderer = large_renderer()
    whole, full = Window.whole(renderer.scene.size, 1200), Window(2000, 1400, 1280, 800, 1280, 800)
    coarse = Window(0, 0, whole.width, whole.height, whole.out_width // 2, whole.out_height // 2)
    painted = strokes(200)

    def brush(some: list[dict[str, Any]]) -> dict:
        return {"areas": [{"parts": [{"kind": "brush", "strokes": some}], "bends": {"exposure.ev": 0.5}}]}

    def growing(share: float) -> dict:
        last = {"points": [4000, 4000, *[60, 20] * (1 + int(100 * share))], "radius": 0.02, "edges": 50.0}
        return brush([*painted, last])

    def moved(share: float) -> dict:
        areas = eight()
        areas[3]["parts"][1]["centre"] = [0.3 + share / 3, 0.4]
        return {"areas": areas}

    changes = {
        "exposure, no areas": lambda s: {"exposure": {"ev": s}},
        "exposure under 8 areas of 3 parts": lambda s: {"exposure": {"ev": s}, "areas": eight()},
        "a dial bent by all 8": lambda s: {"areas": eight(s)},
        "the same, with two more dials bent by each": lambda s: {"areas": eight(s, MORE)},
        "an ellipse of one of them": moved,
        "a stroke growing over 200": growing,
        "exposure over 200 strokes": lambda s: brush(painted) | {"exposure": {"ev": s}},
    }
    for name, change in changes.items():
        table.add(f"{name}, fitted (coarse)", *drags(renderer, coarse, change))
    for name in ("a dial bent by all 8", "a stroke growing over 200"):
        table.add(f"{name}, at 100 %", *drags(renderer, full, changes[name]))
    table.add("a dial bent by all 8, after letting go", *drags(renderer, whole, changes["a dial bent by all 8"], True))
    written = Table("Areas: delivering 24 MP as JPEG", ("seconds", "memory GiB"))
    with tempfile.TemporaryDirectory() as name:
        for label, document in {
            "no areas": {},
            "8 areas of 3 parts": {"areas": eight()},
            "the same, with two more dials bent by each": {"areas": eight(0.3, MORE)},
            "200 strokes": brush(painted),
        }.items():
            treatment = parse_treatment(document)
            fresh = Renderer(renderer.scene)
            began = time.perf_counter()
            deliver(fresh, treatment, Path(name) / "out.jpg", Output())
            seconds = time.perf_counter() - began
            written.add(label, seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20)
    return [table, written]


def identity() -> Table:
    """Eight areas that bend nothing: codes that differ from those of no areas."""
    table = Table("Areas: codes of 16 bits that differ where nothing is bent", ("codes",))
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(shipped("lock-basin", 2), None)))
    whole = Window.whole(renderer.scene.size, 1200)
    plain = renderer.picture(parse_treatment({}), whole, 16)[0]
    neutral = {"exposure.ev": 0.0, "tone.contrast": 1.0, "saturation.saturation": 1.0, "white_balance.temperature": 0.0}
    nothing: dict[str, dict[str, Any]] = {
        "bends at nothing": {"bends": neutral},
        "switched off": {"on": False},
        "opacity 0": {"opacity": 0},
    }
    for name, changes in nothing.items():
        areas = [area | changes for area in eight()]
        table.add(name, int((renderer.picture(parse_treatment({"areas": areas}), whole, 16)[0] != plain).sum()))
    return table


def bench() -> list[Table]:
    return [*skies(), shapes(), colours(), *cost(), identity()]
