"""Ghosts: error where things moved, signal to noise where nothing did."""

import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.charts import BRACKET, take
from crenn.bench.table import Table
from crenn.camera.shoot import shoot
from crenn.core.colorimetry.spaces import luminance
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import read_exr


def _stops(rgb: np.ndarray, truth: np.ndarray, where: np.ndarray) -> float:
    error = np.log2(np.maximum(luminance(rgb), 1e-9) / np.maximum(luminance(truth), 1e-9))[where]
    return float(np.sqrt((np.clip(error, -3, 3) ** 2).mean()))


def _crossing() -> list[np.ndarray]:
    """A lit thing and a dark one crossing a street with lamps, in five frames."""
    rng = np.random.default_rng(6)
    street = np.kron(rng.uniform(0.5, 1.5, (50, 75, 1)), np.ones((16, 16, 3))).astype(np.float32) * 0.02
    street[:300] = 0.06
    for x in (200, 600, 1000):
        street[240:262, x : x + 18] = 12.0
    out = []
    for k in range(5):
        rgb = street.copy()
        rgb[380:460, 100 + 190 * k : 220 + 190 * k] = 0.25
        rgb[520:640, 900 - 170 * k : 960 - 170 * k] = 0.003
        out.append(rgb)
    return out


def _quiet_loss(merged, full, still: np.ndarray, truth: np.ndarray) -> float:
    """Signal to noise lost where nothing moved, dB."""
    noise = [
        ((luminance(m.rgb) - luminance(truth)) / np.maximum(luminance(truth), 1e-9))[still] for m in (merged, full)
    ]
    return float(20 * np.log10(noise[0].std() / noise[1].std()))


def bench() -> list[Table]:
    """Crenn, no rejection, and the reference frame alone, on a crossing and on the lock basin's barge and water."""
    table = Table(
        "Ghosts: rms error in stops where things moved; signal to noise lost elsewhere, dB",
        ("Crenn", "no rejection", "reference frame alone", "lost, dB"),
        note="Judged where the reference frame does not clip; elsewhere is more than 8 px from what moved.",
    )
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        scenes = _crossing()
        truth = scenes[2]
        paths = take(folder / "crossing", scenes, BRACKET)
        moved = np.any([np.abs(s - truth).max(-1) > 1e-4 for s in scenes], 0)
        shot = shoot("lock-basin", folder / "basin", (3000, 2000))
        for title, files, light, where in (
            ("crossing", paths, truth, moved),
            ("lock basin: barge and water", shot.frames, read_exr(shot.truth).rgb, None),
        ):
            merged = merge_frames(files, 2)
            full = merge_frames(files, 2, instructions=Instructions(deghost=False))
            alone = merge_frames([files[2]])
            scale = np.median(luminance(merged.rgb) / np.maximum(luminance(light), 1e-9))
            light = light * scale
            assert merged.moved is not None
            judged = (alone.clipped == 0) & ((merged.moved > 0) if where is None else where)
            near = cv2.dilate((merged.moved > 0).astype(np.uint8), np.ones((17, 17), np.uint8)) > 0
            quiet = ~near & (alone.clipped == 0) & (luminance(light) < 0.02)
            if where is not None:
                quiet &= cv2.dilate(where.astype(np.uint8), np.ones((17, 17), np.uint8)) == 0
            table.add(
                title,
                *(_stops(m.rgb, light, judged) for m in (merged, full, alone)),
                _quiet_loss(merged, full, quiet, light),
            )
    return [table]
