"""Frames of full colour: developed pictures alone and in brackets, and sensors of six by six."""

import tempfile
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import rawpy
import tifffile
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from crenn.bench.charts import shipped, take
from crenn.bench.table import Table
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, luminance, srgb_encode
from crenn.core.merge.merge import merge_frames

#: Scenes, and the left upper corner of the part that is taken.
_SCENES = {"lock-basin": (1000, 800), "ferry-hall": (300, 1000)}
_SIDE = 512
_TIMES = (1 / 16, 1 / 4, 1.0, 4.0, 16.0)
#: Deviation of the light's noise in a frame, of saturation, at its least and per root of light.
_READ, _PHOTON = 0.0008, 0.004
_SIX = "GGRGGBGGBGGRBRGRBGGGBGGRGGRGGBRBGBRG"
#: Stops about the middle of the scene that are compared.
_STOPS = 5.0


def _part(name: str) -> np.ndarray:
    """Light of a scene in linear sRGB, its brightest tenth at the middle exposure's white, float64 (H, W, 3)."""
    x, y = _SCENES[name]
    rgb = np.maximum(shipped(name, 0)[y : y + _SIDE, x : x + _SIDE].astype(np.float64) @ REC2020_TO_SRGB.T, 0)
    return np.asarray(rgb / np.quantile(rgb, 0.9))


def _s_curve(light: np.ndarray) -> np.ndarray:
    """A camera's tone curve: darker toes and softer shoulders than sRGB."""
    code = srgb_encode(light)
    return np.asarray(code**1.25 * (1.3 - 0.3 * code))


def _jpegs(folder: Path, light: np.ndarray, curve: Callable[[np.ndarray], np.ndarray]) -> list[Path]:
    rng, paths = np.random.default_rng(1), []
    for index, seconds in enumerate(_TIMES):
        exposed = light * seconds
        exposed += rng.standard_normal(light.shape) * np.hypot(_READ, _PHOTON * np.sqrt(exposed))
        tags = Image.Exif()
        block = tags.get_ifd(0x8769)
        block[33434], block[34855] = IFDRational(round(seconds * 10000), 10000), 100
        paths.append(folder / f"frame-{index}.jpg")
        codes = np.rint(curve(np.clip(exposed, 0, 1)) * 255).astype(np.uint8)
        Image.fromarray(codes).save(paths[-1], quality=95, subsampling=0, exif=tags)
    return paths


def _scaled(found: np.ndarray, truth: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Pictures of one scale, and which pixels are compared."""
    one, other = luminance(found), luminance(truth)
    inside = np.zeros(one.shape, bool)
    inside[16:-16, 16:-16] = True
    # White's own unit is where a curve ends.
    known = inside & (np.abs(np.log2(np.maximum(other, 1e-9) / np.median(other))) < _STOPS)
    return found * np.median(other[known] / np.maximum(one[known], 1e-9)), known


def _errors(found: np.ndarray, truth: np.ndarray) -> tuple[float, float]:
    """Root of the mean square of stops, and PSNR of light coded by its logarithm over the stops compared, dB."""
    scaled, known = _scaled(found, truth)
    stops = np.log2(np.maximum(scaled[known], 1e-6) / np.maximum(truth[known], 1e-6))
    error = float(np.sqrt(np.square(np.clip(stops, -2, 2)).mean()))
    return error, float(-20 * np.log10(error / (2 * _STOPS)))


def _debevec(paths: list[Path], curve: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """OpenCV's merge after Debevec and Malik (1997), told the curve."""
    frames = [np.asarray(Image.open(p)) for p in paths]
    codes = np.arange(256) / 255
    light = np.linspace(0, 1, 1 << 16)
    response = np.interp(codes, curve(light), light).astype(np.float32)
    table = np.repeat(response.reshape(256, 1, 1), 3, 2)
    return np.asarray(cv2.createMergeDebevec().process(frames, np.array(_TIMES, np.float32), table))


def brackets() -> Table:
    """Five JPEGs of a still scene, two curves."""
    table = Table(
        "Full colour: five JPEG frames merged, rms stops and dB over ten stops, beside OpenCV's Debevec told the curve",
        ("stops", "Debevec's", "dB", "Debevec's"),
    )
    for name in _SCENES:
        light = _part(name)
        for label, curve in (("sRGB", srgb_encode), ("a camera's curve", _s_curve)):
            with tempfile.TemporaryDirectory() as folder:
                paths = _jpegs(Path(folder), light, curve)
                found = merge_frames(paths).rgb @ REC2020_TO_SRGB.T
                peer = _debevec(paths, curve)
            (stops, own), (peers, other) = _errors(found, light), _errors(peer, light)
            table.add(f"{name}, {label}", stops, peers, own, other)
    return table


def alone() -> Table:
    """A finished TIFF of 16 bits through a merge: how many codes it comes back off by, at most."""
    table = Table("Full colour: a lone TIFF of 16 bits", ("most codes off",))
    for name in _SCENES:
        codes = np.rint(srgb_encode(np.clip(_part(name), 0, 1)) * 65535).astype(np.uint16)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "one.tif"
            tifffile.imwrite(path, codes, photometric="rgb")
            rgb = merge_frames([path]).rgb.astype(np.float64) @ REC2020_TO_SRGB.T
        back = np.rint(srgb_encode(np.clip(rgb, 0, 1)) * 65535)
        table.add(name, float(np.abs(back - codes).max()))
    return table


def six_by_six() -> Table:
    """One frame and a bracket of three from a sensor of six by six, beside LibRaw's own development of the one."""
    table = Table("Full colour: a sensor of six by six, dB over ten stops", ("one frame", "LibRaw's", "bracket"))
    sensor = Sensor(pattern=_SIX, prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
    to_rec2020 = np.linalg.inv(REC2020_TO_SRGB).T
    for name in _SCENES:
        light = np.clip(_part(name), 0, 0.9)
        exposures = tuple(Exposure(2.0**ev / 50, 8.0, 100.0) for ev in (0, -2, 2))
        radiance = (light @ to_rec2020 / exposures[0].relative).astype(np.float32)
        with tempfile.TemporaryDirectory() as folder:
            paths = take(Path(folder), radiance, exposures, sensor)
            one, three = (merge_frames(p).rgb @ REC2020_TO_SRGB.T for p in (paths[:1], paths))
            with rawpy.imread(str(paths[0])) as raw:
                peer = raw.postprocess(
                    gamma=(1, 1), no_auto_bright=True, use_camera_wb=True, output_bps=16, user_flip=0
                ).astype(np.float64)
        table.add(name, *(_errors(v, light)[1] for v in (one, peer, three)))
    return table


def bench() -> list[Table]:
    return [alone(), brackets(), six_by_six()]
