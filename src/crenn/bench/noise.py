"""Noise reduction of one frame, beside public libraries at their best strength on the same frame."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import shipped, take
from crenn.bench.peers import library
from crenn.bench.table import Table
from crenn.camera.sensor import Exposure
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, delta_e2000, srgb_decode, srgb_encode, srgb_to_lab
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

#: Photographs that ship with scikit-image, and scenes of the demo world: name, and the left upper corner of the part
#: that peers are given too, which take minutes for a megapixel.
_PHOTOGRAPHS = {"astronaut.png": (150, 100), "chelsea.png": (150, 100), "rocket.jpg": (150, 100)}
_SCENES = {"lock-basin": (1100, 900), "ferry-hall": (300, 1150)}
_SIDE, _AROUND = 256, 192
#: ISO, and by how many stops the frame is exposed too little, and lifted again.
_SHOTS = ((400, 0), (3200, 0), (12800, 0), (1600, 3), (1600, 5))
#: Share of saturation that white gets.
_WHITE = 0.9
#: (H, W) of the scene whose split is timed.
_LARGE = (4000, 6000)
_NEUTRAL = Treatment.neutral().model_dump()


def _light(name: str) -> np.ndarray:
    """Light of a photograph or a scene, Rec. 2020, white at 1, as a lens draws it, float32 (H, W, 3)."""
    if name in _SCENES:
        x, y = _SCENES[name]
        rgb = shipped(name, 0)
        part = rgb[max(y - _AROUND, 0) : y + _SIDE + _AROUND, max(x - _AROUND, 0) : x + _SIDE + _AROUND]
        return np.asarray(part / np.quantile(part, 0.9), np.float32)
    file = Path(library("skimage").__file__).parent / "data" / name
    codes = np.asarray(cv2.imread(str(file)))[..., ::-1].astype(np.float32) / 255
    # Photographs of few pixels are sharper than any lens: enlarged by half and softened they are as from a camera.
    codes = cv2.resize(codes, None, fx=1.5, fy=1.5, interpolation=cv2.INTER_CUBIC).clip(0, 1)
    codes = cv2.GaussianBlur(codes, (0, 0), 0.6)
    even = codes[: codes.shape[0] // 2 * 2, : codes.shape[1] // 2 * 2]
    return np.asarray(srgb_decode(even) @ np.linalg.inv(REC2020_TO_SRGB).T, np.float32)


def _shot(name: str, iso: int, under: int) -> tuple[RadianceMap, np.ndarray]:
    """One frame of it merged, and its truth; both so bright that white is `_WHITE` / 2^under."""
    exposure = Exposure(1 / 50, 8.0, float(iso))
    truth = _light(name) * np.float32(_WHITE * 2.0**-under)
    with tempfile.TemporaryDirectory() as folder:
        merged = merge_frames(take(Path(folder), truth / np.float32(exposure.relative), (exposure,)))
    return merged, truth


def _shown(rgb: np.ndarray, factor: float) -> np.ndarray:
    return np.asarray(srgb_encode(np.clip(rgb * factor @ REC2020_TO_SRGB.T, 0, 1)))


def _psnr(found: np.ndarray, truth: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean((found - truth) ** 2)))


def _ssim(found: np.ndarray, truth: np.ndarray) -> float:
    return float(library("skimage.metrics").structural_similarity(found, truth, channel_axis=2, data_range=1.0))


def _delta_e(found: np.ndarray, truth: np.ndarray) -> float:
    return float(delta_e2000(srgb_to_lab(found), srgb_to_lab(truth)).mean())


def _best(filters: Callable[[float], np.ndarray], strengths, truth: np.ndarray) -> float:
    return max(_psnr(np.clip(filters(s), 0, 1), truth) for s in strengths)


def _peers(noisy: np.ndarray, truth: np.ndarray) -> tuple[float, float, float]:
    """PSNR of OpenCV's non-local means, scikit-image's wavelets and BM3D, each at its best of several strengths."""
    spread = float(np.std(noisy - truth))
    codes = np.rint(noisy * 255).astype(np.uint8)
    means = _best(
        lambda h: cv2.fastNlMeansDenoisingColored(codes, None, h, h, 7, 21).astype(np.float64) / 255,
        (3, 6, 10, 15, 22, 30, 40),
        truth,
    )
    wavelet = library("skimage.restoration").denoise_wavelet
    waves = _best(
        lambda k: wavelet(noisy, sigma=k * spread, channel_axis=2, convert2ycbcr=True, rescale_sigma=True),
        (0.5, 1.0, 1.5, 2.0, 3.0),
        truth,
    )
    blocks = _best(lambda k: library("bm3d").bm3d_rgb(noisy, spread * k), (1.2, 1.9, 2.4, 3.0), truth)
    return means, waves, blocks


def quality() -> Table:
    """PSNR of the automatic reduction, SSIM and colour error after the lift, beside peers."""
    table = Table(
        f"Noise: one frame, white at {_WHITE:.0%} of saturation or stops below and lifted; dB, parts of {_SIDE} px",
        ("none", "NLM", "wavelet", "BM3D", "ours", "SSIM none", "ours", "ΔE none", "ours"),
    )
    for name, (x, y) in {**_PHOTOGRAPHS, **_SCENES}.items():
        for iso, under in _SHOTS:
            merged, truth = _shot(name, iso, under)
            scene = PreparedScene.from_radiance(merged)
            scene.split_noise()
            lifted = parse_treatment(_NEUTRAL | {"noise": {"on": True}, "exposure": {"on": True, "ev": float(under)}})
            found = Renderer(scene).linear(lifted, Window.whole(scene.size))
            if name in _SCENES:
                x, y = (min(v, _AROUND) for v in (x, y))
            part = np.s_[y : y + _SIDE, x : x + _SIDE]
            factor = 2.0**under / _WHITE
            noisy, true = _shown(merged.rgb[part], factor), _shown(truth[part], factor)
            own = _shown(found[part], 1 / _WHITE)
            table.add(
                f"{name}, ISO {iso}" + (f", lifted {under}" if under else ""),
                round(_psnr(noisy, true), 2),
                *(round(v, 2) for v in _peers(noisy, true)),
                round(_psnr(own, true), 2),
                *(_ssim(v, true) for v in (noisy, own)),
                *(_delta_e(v, true) for v in (noisy, own)),
            )
    return table


def speed() -> Table:
    """Time of the split, per megapixel, and until what is in view is clean."""
    table = Table("Noise: time of the split", ("seconds", "seconds/MP"))
    merged, _ = _shot("lock-basin", 3200, 0)
    assert merged.sigma is not None
    tiles = [-(-whole // part) for whole, part in zip(_LARGE, merged.shape)]
    rgb, sigma = (np.tile(v, (*tiles, 1))[: _LARGE[0], : _LARGE[1]] for v in (merged.rgb, merged.sigma))
    scene = PreparedScene.from_radiance(RadianceMap(rgb, sigma, report={"capture": merged.report["capture"]}))
    scene.clean_part((0, 0, 64, 64))
    began = time.perf_counter()
    scene.clean_part((2000, 2000, 800, 1280))
    table.add("a window of 1280x800", time.perf_counter() - began, None)
    began = time.perf_counter()
    scene.split_noise()
    took, size = time.perf_counter() - began, rgb.shape[0] * rgb.shape[1] / 1e6
    table.add(f"a scene of {size:.0f} MP", took, took / size)
    return table


def bench() -> list[Table]:
    return [quality(), speed()]
