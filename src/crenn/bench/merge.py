"""How near the merge comes to what the photons allow, beside public peers on the same files."""

import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
import rawpy

from crenn.bench.charts import BRACKET, CLEAN, smooth_chart, take
from crenn.bench.table import Table
from crenn.core.frames.raw import read_raw
from crenn.core.merge.merge import merge_frames
from crenn.core.mosaic.demosaic import demosaic

_BANDS = range(-11, 2)


def _true_weights(paths) -> np.ndarray:
    """Merge with the sensor's true gains, noise and clipping, and the same demosaic."""
    truth = smooth_chart()
    total, weight = np.zeros(truth.shape[:2]), np.zeros(truth.shape[:2])
    matrix = CLEAN.camera_matrix()
    mosaic_truth = np.take_along_axis(truth @ matrix.T, CLEAN.cfa(*truth.shape[:2])[..., None].astype(int), 2)[..., 0]
    for path, exposure in zip(paths, BRACKET):
        frame = read_raw(path)
        gain = exposure.seconds * exposure.shutter_error
        slope, offset = CLEAN.noise_profile(exposure.iso)
        value = (frame.mosaic.astype(np.float64) - CLEAN.black) / (CLEAN.white - CLEAN.black) / gain
        expected = mosaic_truth * gain
        sigma = np.sqrt(slope * expected + offset)
        w = np.where(expected + 3 * sigma < 0.998, gain**2 / (slope * np.maximum(expected, 0) + offset), 0)
        total, weight = total + w * value, weight + w
    frame = read_raw(paths[2])
    gains = frame.neutral_gains[CLEAN.cfa(*truth.shape[:2])]
    light = (total / np.maximum(weight, 1e-30) * gains).astype(np.float32)
    variance = (gains**2 / np.maximum(weight, 1e-30)).astype(np.float32)
    return demosaic(light, variance, frame.pattern, frame.to_rec2020)[0]


def _developed(path: Path, bits: int) -> np.ndarray:
    with rawpy.imread(str(path)) as raw:
        linear = {"gamma": (1, 1)} if bits == 16 else {}
        return raw.postprocess(
            output_bps=bits,
            no_auto_bright=True,
            use_camera_wb=True,
            user_flip=0,
            output_color=rawpy.ColorSpace.sRGB,
            **linear,
        )


def _peers(paths) -> dict[str, np.ndarray]:
    """Public ways to merge the same files; linear, in units of their own."""
    sixteen = [_developed(p, 16).astype(np.float32) / 65535 for p in paths]
    total, weight = np.zeros(sixteen[0].shape), np.zeros((*sixteen[0].shape[:2], 1))
    for image, exposure in zip(sixteen, BRACKET):
        hat = 1 - np.abs(2 * image.max(-1, keepdims=True) - 1) ** 12 + 1e-6
        total, weight = total + hat * image / exposure.seconds, weight + hat
    out: dict[str, np.ndarray] = {"hat weights on LibRaw 16 bits": total / weight}
    eight = [cv2.cvtColor(_developed(p, 8), cv2.COLOR_RGB2BGR) for p in paths]
    times = np.array([e.seconds for e in BRACKET], np.float32)
    for name, calibrate, merge in (
        ("OpenCV Debevec", cv2.createCalibrateDebevec(), cv2.createMergeDebevec()),
        ("OpenCV Robertson", cv2.createCalibrateRobertson(), cv2.createMergeRobertson()),
    ):
        response = calibrate.process(eight, times)
        out[name] = merge.process(eight, times, response)[..., ::-1]
    return out


def _grey(rgb: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Relative error of green on the grey strips, per column, after one scale for all."""
    rows = np.r_[40:160, 640:760]
    ratio = rgb[rows][:, :, 1] / truth[rows][:, :, 1]
    middle = (np.log2(truth[80, :, 1]) > -7) & (np.log2(truth[80, :, 1]) < -1)
    return ratio / np.median(ratio[:, middle])


def bench() -> list[Table]:
    """Efficiency per band, predicted sigma, colour error at hand-overs, speed."""
    truth = smooth_chart()
    stops = np.log2(truth[80, :, 1])
    with tempfile.TemporaryDirectory() as name:
        paths = take(Path(name), truth, BRACKET)
        began = time.perf_counter()
        ours = merge_frames(paths, reference=2)
        first = time.perf_counter() - began
        began = time.perf_counter()
        ours = merge_frames(paths, reference=2)
        seconds = time.perf_counter() - began
        began = time.perf_counter()
        for path in paths:
            _developed(path, 16)
        libraw = time.perf_counter() - began
        results = {"Crenn": ours.rgb, "true weights": _true_weights(paths), **_peers(paths)}
    best = _grey(results["true weights"], truth)
    efficiency = Table(
        "Merge: efficiency against true weights on the same files, per stop",
        tuple(str(b) for b in _BANDS),
        note="1 is what the true weights reach; shutters off by up to 0.1 stop.",
    )
    for name, rgb in results.items():
        if name == "true weights":
            continue
        relative = _grey(rgb, truth)
        row = []
        for band in _BANDS:
            columns = np.flatnonzero((stops >= band) & (stops < band + 1))
            row.append(float(((best[:, columns] - 1) ** 2).mean() / ((relative[:, columns] - 1) ** 2).mean()))
        efficiency.add(name, *row)
    assert ours.sigma is not None
    sigma = Table("Predicted sigma: spread of (value − truth) ÷ sigma, per stop", tuple(str(b) for b in _BANDS))
    for index, colour in enumerate(("red", "green", "blue")):
        row = []
        for band in _BANDS:
            columns = np.flatnonzero((stops >= band) & (stops < band + 1))
            z = (ours.rgb[30:170][:, columns, index] - truth[30:170][:, columns, index]) / ours.sigma[30:170][
                :, columns, index
            ]
            row.append(float(z.std()))
        sigma.add(colour, *row)
    steps = Table(
        "Hand-over: largest departure of the column mean from truth, in its own noise per pixel",
        ("grey", "warm", "cold"),
    )
    row = []
    for rows in (slice(30, 170), slice(230, 370), slice(430, 570)):
        relative = (ours.rgb[rows, 60:-60] / truth[rows, 60:-60]).mean(0)
        smooth = np.stack([np.convolve(relative[:, c], np.ones(15) / 15, "same") for c in range(3)], -1)[10:-10]
        noise = (ours.sigma[rows, 60:-60] / truth[rows, 60:-60]).mean(0)[10:-10]
        row.append(float((np.abs(smooth - 1) / noise).max()))
    steps.add("Crenn", *row)
    speed = Table("Merge: time for 5 frames of 2.2 MP", ("seconds", "first run", "LibRaw decodes them in", "ratio"))
    speed.add("Crenn", seconds, first, libraw, seconds / libraw)
    return [efficiency, sigma, steps, speed]
