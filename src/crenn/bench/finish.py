"""What Finish does: sharpness beside an unsharp mask, glow's energy, grain's spectrum, and the time that it takes."""

import time

import cv2
import numpy as np

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.core.colorimetry.spaces import luminance
from crenn.core.deliver.bands import code_bands
from crenn.core.finish.grain import white_noise
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

#: Relative noise of the edges that are sharpened, EV across them, and the softness of the step in pixels.
_NOISE, _EDGE, _SOFT = 0.02, 2.0, 1.2
_SIDE = (400, 600)
#: Every effect, as in a finished picture.
EVERYTHING: dict = {
    "soft": {"amount": 20},
    "glow": {"amount": 35, "threshold": -1.0},
    "star_glow": {"amount": 40, "rays": 20},
    "sharpness": {"amount": 80, "radius": 1.2},
    "vignette": {"amount": -0.8, "inside": 0.2},
    "grain": {"amount": 15},
}


def _edge() -> tuple[np.ndarray, np.ndarray]:
    """A soft step of light, and the same with noise, float32 (H, W, 3)."""
    x = np.arange(_SIDE[1], dtype=np.float32) - _SIDE[1] / 2
    step = 0.1 * np.exp2(_EDGE / (1 + np.exp(np.clip(-x / _SOFT, -60, 60))))
    clean = np.broadcast_to(step[None, :, None], (*_SIDE, 3)).astype(np.float32)
    noise = np.random.default_rng(1).standard_normal((*_SIDE, 1), dtype=np.float32)
    return clean, clean * (1 + _NOISE * noise)


def _told(stops: np.ndarray, before: np.ndarray) -> tuple[float, float, float]:
    """Pixels from a tenth to nine tenths of the step, EV beyond it, and by how many times noise in the smooth has
    grown."""
    middle, mean = _SIDE[1] // 2, stops.mean(0)
    low, high = mean[: middle - 60].mean(), mean[middle + 60 :].mean()
    part = np.maximum.accumulate(mean[middle - 12 : middle + 12])
    ten, ninety = (np.interp(low + share * (high - low), part, np.arange(part.size)) for share in (0.1, 0.9))
    over = max(mean.max() - high, low - mean.min())
    smooth = np.s_[:, : middle - 60]
    grown = (stops - mean)[smooth].std() / (before - before.mean(0))[smooth].std()
    return float(ninety - ten), float(over), float(grown)


def sharpness() -> Table:
    """An edge with noise, sharpened here and by an unsharp mask of as much."""
    table = Table("Sharpness for viewing: a step of 2 EV with 2 % noise", ("10–90 %, px", "overshoot EV", "noise ×"))
    _, noisy = _edge()
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(noisy, _NOISE * noisy)))
    before = np.log2(luminance(noisy))
    table.add("as it was", *_told(before, before))
    for halo in (0, 25, 100):
        document = {"sharpness": {"amount": 150, "radius": 1.5, "halo": halo}}
        treatment = parse_treatment(Treatment.neutral().model_dump() | document)
        found = _told(np.log2(luminance(renderer.finished(treatment, Window.whole(_SIDE)))), before)
        table.add(f"150 %, 1.5 px, halo {halo} %", *found)
        # The amount at which a plain mask makes the edge as steep.
        amounts = np.arange(0, 3, 0.05)
        detail = before - cv2.GaussianBlur(before, (0, 0), 1.5)
        plain = [_told(before + a * detail, before) for a in amounts]
        table.add("  unsharp mask of that steepness", *min(plain, key=lambda t: abs(t[0] - found[0])))
    return table


def glow() -> Table:
    """Energy, and whether windows and sizes show the same."""
    table = Table(
        "Glow on the lock basin", ("energy, after / before", "window, EV at most", "600 px, mean EV", "99 % EV")
    )
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(shipped("lock-basin", 2), None)))
    for name, dials in (("small", {"size": 0.3}), ("usual", {}), ("wide", {"size": 2.0, "wide": 100})):
        treatment = parse_treatment({"glow": {"amount": 60, "threshold": -1, **dials}})
        height, width = renderer.frame(treatment).size
        whole = Window.whole((height, width))
        before, after = renderer.linear(treatment, whole), renderer.finished(treatment, whole)
        x, y = width // 3, height // 3
        part = renderer.finished(treatment, Window(x, y, 300, 200, 300, 200))
        off = np.abs(np.log2(part / after[y : y + 200, x : x + 300]))
        small = Window.whole((height, width), 600)
        size = small.out_width, small.out_height
        view = renderer.finished(treatment, small)
        differs = np.abs(np.log2(luminance(view) / luminance(cv2.resize(after, size, interpolation=cv2.INTER_AREA))))
        plain = luminance(renderer.linear(treatment, small)) / luminance(
            cv2.resize(before, size, interpolation=cv2.INTER_AREA)
        )
        table.add(
            name,
            float(after.sum() / before.sum()),
            float(off.max()),
            float(differs.mean()),
            float(np.quantile(differs, 0.99)),
        )
        table.add(
            "  without it",
            1.0,
            0.0,
            float(np.abs(np.log2(plain)).mean()),
            float(np.quantile(np.abs(np.log2(plain)), 0.99)),
        )
    return table


def _spread(values: np.ndarray) -> tuple[float, float]:
    """Mean and 99th percentile."""
    return float(values.mean()), float(np.quantile(values, 0.99))


def grain() -> Table:
    """Grain of three sizes at three sizes of the view, against that of the full picture reduced."""
    table = Table(
        "Grain: deviation beside the full picture's reduced, and correlation with it", ("1/2", "", "1/3", "", "1/8", "")
    )
    at = np.arange(1536) + 0.5
    for size in (1.0, 2.0, 4.0):
        full = white_noise(at, at, 1.0, 0, size / 2)
        values: list[float] = []
        for step in (2, 3, 8):
            few = (np.arange(1536 // step) + 0.5) * step
            means = full.reshape(1536 // step, step, 1536 // step, step).mean((1, 3))
            view = white_noise(few, few, 1 / step, 0, size / 2)
            values += [float(view.std() / means.std()), float(np.corrcoef(view.ravel(), means.ravel())[0, 1])]
        table.add(f"{size:g} px", *values)
    return table


def cost() -> Table:
    """What effects cost: a dial dragged at 1280 by 720, fitted, and the whole of 24 MP in bands."""
    table = Table("Finish: time, s", ("amount dragged", "size dragged", "24 MP in bands"))
    light = cv2.resize(shipped("lock-basin", 2), (6000, 4000), interpolation=cv2.INTER_CUBIC)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(np.maximum(light, 1e-5), None)))
    fitted = Window(0, 0, 6000, 4000, 1080, 720)
    sizes = {
        "soft": "size",
        "glow": "size",
        "star_glow": "size",
        "sharpness": "radius",
        "vignette": "size",
        "grain": "size",
    }

    def dragged(document: dict, step: str, dial: str) -> float:
        taken, own = [], parse_treatment(document)
        for k in range(9):
            value = getattr(getattr(own, step), dial) * (1 + 0.02 * k)
            treatment = parse_treatment(document | {step: document[step] | {dial: value}})
            began = time.perf_counter()
            renderer.picture(treatment, fitted, fine=False)
            taken.append(time.perf_counter() - began)
        return float(np.median(taken[1:]))

    def delivered(document: dict) -> float:
        treatment = parse_treatment(document)
        began = time.perf_counter()
        for _ in code_bands(renderer, treatment, (6000, 4000), Progress()):
            pass
        return time.perf_counter() - began

    delivered({})
    table.add("without effects", None, None, delivered({}))
    for step, dials in EVERYTHING.items():
        document = {step: dials}
        table.add(step, dragged(document, step, "amount"), dragged(document, step, sizes[step]), delivered(document))
    table.add(
        "all together",
        dragged(EVERYTHING, "glow", "amount"),
        dragged(EVERYTHING, "glow", "size"),
        delivered(EVERYTHING),
    )
    return table


def bench() -> list[Table]:
    return [sharpness(), glow(), grain(), cost()]
