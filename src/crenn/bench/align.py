"""Alignment: residual against the true map, also in dark tiles; and what it does to the predicted sigma."""

import json
import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.table import Table
from crenn.camera.shoot import Bracket, scene_named, shoot
from crenn.core.align.bracket import align
from crenn.core.colorimetry.spaces import luminance
from crenn.core.frames.light import LightFrame
from crenn.core.frames.raw import RawFrame, read_raw
from crenn.core.geometry.mapping import apply_homography
from crenn.core.merge.exposures import saturation_level
from crenn.core.merge.load_frames import noise_of
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import read_exr

SIZE = (3000, 2000)


def _grey(frame: RawFrame) -> np.ndarray:
    """Half-size tone-mapped picture, as a photographer would give it to a library."""
    m = frame.mosaic.astype(np.float32)
    green = (m[::2, 1::2] + m[1::2, ::2]) / 2 - frame.black[1]
    return np.clip(255 * (np.maximum(green, 0) / (frame.white - frame.black[1])) ** (1 / 2.2), 0, 255).astype(np.uint8)


def _ecc(fixed: np.ndarray, moving: np.ndarray) -> np.ndarray | None:
    """OpenCV's ECC homography between half-size pictures, as one between full-size ones."""
    start = np.eye(3, dtype=np.float32)
    try:
        _, matrix = cv2.findTransformECC(
            fixed,
            moving,
            start,
            cv2.MOTION_HOMOGRAPHY,
            (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6),
            None,
            5,
        )
    except cv2.error:
        return None
    up = np.array([[2, 0, 0.5], [0, 2, 0.5], [0, 0, 1.0]])
    return up @ matrix @ np.linalg.inv(up)


def bench() -> list[Table]:
    """Residuals of each frame of two hand-held sets; spread of the merged light over its sigma."""
    table = Table(
        "Alignment: residual against the true map, full-size px",
        ("stops off", "median", "95 %", "dark tiles, median", "ECC median"),
        note="Dark tiles lie in the darkest quarter of the picture. A dash: ECC did not converge.",
    )
    sigma = Table(
        "Alignment: spread of (value − truth) ÷ sigma on smooth parts of a hand-held merge, per stop",
        tuple(str(b) for b in range(-11, 0)),
    )
    basin = scene_named("lock-basin")
    sets = {
        "dam crest": ("dam-crest", None),
        "lock basin, 12 stops in all": ("lock-basin", Bracket.chosen(basin, 5, 3.0, 400, 0.4, -1.0)),
    }
    for title, (name, bracket) in sets.items():
        with tempfile.TemporaryDirectory() as folder:
            shot = shoot(name, Path(folder), SIZE, bracket=bracket)
            maps = [np.array(m) for m in json.loads((Path(folder) / "truth.json").read_text())["maps"]]
            frames = [read_raw(p) for p in shot.frames]
            gains = np.array([f.metadata.sensitivity for f in frames])
            lights = [LightFrame.of(f, k, noise_of(f), saturation_level(f)) for k, f in enumerate(frames)]
            found = align(lights, shot.reference)
            truth = read_exr(shot.truth).rgb
            light = cv2.resize(luminance(truth), (30, 20), interpolation=cv2.INTER_AREA).ravel()
            grid = np.stack(
                np.meshgrid(np.linspace(50, SIZE[0] - 50, 30), np.linspace(50, SIZE[1] - 50, 20)), -1
            ).reshape(-1, 2)
            dark = light <= np.quantile(light, 0.25)
            for k, a in enumerate(found):
                if k == shot.reference:
                    continue
                true = apply_homography(maps[k], grid)
                ecc = _ecc(_grey(frames[shot.reference]), _grey(frames[k]))
                peer = None if ecc is None else float(np.median(np.hypot(*(apply_homography(ecc, grid) - true).T)))
                if a.mesh is None:
                    table.add(
                        f"{title}, frame {k + 1}: {a.fault or 'taken as still'}",
                        float(np.log2(gains[k] / gains[shot.reference])),
                        None,
                        None,
                        None,
                        peer,
                    )
                    continue
                away = np.hypot(*(a.mesh.at(grid) - true).T)
                table.add(
                    f"{title}, frame {k + 1}",
                    float(np.log2(gains[k] / gains[shot.reference])),
                    float(np.median(away)),
                    float(np.quantile(away, 0.95)),
                    float(np.median(away[dark])),
                    peer,
                )
            del frames
            if name == "dam-crest":
                sigma.add(title, *_spread(merge_frames(shot.frames, shot.reference), truth))
    return [table, sigma]


def _spread(merged, truth: np.ndarray) -> list[float | None]:
    y = luminance(truth)
    around = cv2.GaussianBlur(y, (0, 0), 2)
    smooth = cv2.dilate(y, np.ones((7, 7))) - cv2.erode(y, np.ones((7, 7))) < 0.03 * around
    stops = np.log2(np.maximum(y, 1e-9))
    out = []
    for band in range(-11, 0):
        part = smooth & (merged.clipped == 0) & (stops >= band) & (stops < band + 1)
        z = ((merged.rgb - truth) / merged.sigma)[part]
        out.append(float(np.sqrt((np.clip(z, -8, 8) ** 2).mean())) if part.sum() > 1000 else None)
    return out
