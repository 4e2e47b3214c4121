"""Stacks: noise gained, satellites, sharpness of stars, time and memory."""

import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np

from crenn.bench.table import Table
from crenn.camera.shoot import Bracket, scene_named, shoot
from crenn.core.colorimetry.spaces import luminance
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.radiance import read_exr

_BOX = 6


def _widths(picture: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Full width at half maximum of stars, by moments under a matched Gaussian."""
    y, x = np.mgrid[-_BOX : _BOX + 1, -_BOX : _BOX + 1]
    out = []
    for row, column in places:
        part = picture[row - _BOX : row + _BOX + 1, column - _BOX : column + _BOX + 1]
        part = np.clip(part - np.median(part), 0, None)
        cy, cx, s = 0.0, 0.0, 1.2
        for _ in range(20):
            w = part * np.exp(-((y - cy) ** 2 + (x - cx) ** 2) / (2 * s * s))
            total = max(float(w.sum()), 1e-12)
            cy, cx = float((w * y).sum()) / total, float((w * x).sum()) / total
            moment = float((w * ((y - cy) ** 2 + (x - cx) ** 2)).sum()) / total / 2
            s = float(np.clip(np.sqrt(1 / max(1 / max(moment, 1e-3) - 1 / s**2, 0.05)), 0.4, 3))
        out.append(2.355 * s)
    return np.array(out)


def _calm(truth: np.ndarray) -> np.ndarray:
    """Smooth places without stars."""
    around = cv2.medianBlur(truth, 5)
    spread = cv2.dilate(truth, np.ones((11, 11))) - cv2.erode(truth, np.ones((11, 11)))
    return spread < 0.06 * around


def bench() -> list[Table]:
    """The ridge observatory's stack, against one frame and the plain mean."""
    with tempfile.TemporaryDirectory() as name:
        shot = shoot("ridge-observatory", Path(name), (3000, 2000))
        truth = luminance(read_exr(shot.truth).rgb)
        merged = merge_frames([*shot.frames, *shot.darks], shot.reference)
        one = merge_frames([shot.frames[shot.reference], *shot.darks])
        plain = merge_frames(shot.frames, shot.reference, instructions=Instructions(method="mean", follow="ground"))
        assert merged.ground is not None
        sky, still = merged.ground < 5, merged.ground > 250
        known = (one.clipped == 0) & (merged.clipped == 0)
        calm = _calm(truth)
        table = Table("Stack: the ridge observatory, 12 frames and 4 darks", ("sky", "ground"))
        gains = []
        for where in (sky, still):
            part = calm & known & where
            noise = [
                float(np.median(np.abs((luminance(m.rgb) - truth)[part] / truth[part])) * 1.4826) for m in (one, merged)
            ]
            gains.append(noise[0] / noise[1] / np.sqrt(12))
        table.add("noise gain ÷ √N", *gains)
        spread = [
            float(
                np.sqrt(
                    (
                        np.clip(((merged.rgb - read_exr(shot.truth).rgb) / merged.sigma)[calm & known & w], -8, 8) ** 2
                    ).mean()
                )
            )
            for w in (sky, still)
        ]
        table.add("spread ÷ predicted sigma", *spread)
        # Where a satellite passed, in the frames that show it: how much of its light is left.
        tracks = np.zeros(truth.shape, np.uint8)
        for a, b in (((-0.05, 0.42), (0.80, -0.05)), ((0.30, 0.10), (1.05, 0.30))):
            start, end = ([int(v * n) for v, n in zip(p, (3000, 2000))] for p in (a, b))
            cv2.line(tracks, start, end, 1, 1)
        track = (tracks > 0) & sky & calm
        left = [float(np.median((luminance(m.rgb) - truth)[track] / truth[track])) for m in (merged, plain)]
        table.add("satellites: light left over the sky, share", left[0], None)
        table.add("  the plain mean", left[1], None)
        peaks = (
            (truth == cv2.dilate(truth, np.ones((9, 9))))
            & (truth - cv2.medianBlur(truth, 5) > 0.15)
            & (truth < 0.7)
            & sky
        )
        places = np.argwhere(peaks)
        places = places[(places > 12).all(1) & (places < np.array(truth.shape) - 12).all(1)]
        corners = Table(
            "Stack: width of stars relative to the truth, in the picture's corners",
            ("upper left", "upper right", "lower left", "lower right", "stars"),
        )
        ratio = _widths(luminance(merged.rgb), places) / _widths(truth, places)
        row = []
        for low in (False, True):
            for right in (False, True):
                part = ((places[:, 0] > 600) == low) & ((places[:, 1] > 1500) == right)
                row.append(float(np.median(ratio[part])) if part.sum() > 10 else None)
        corners.add("Crenn", *row, int(places.shape[0]))
    return [table, corners]


def speed(count: int = 30) -> Table:
    """Time and memory of a stack of 24 MP frames with stars."""
    table = Table(f"Speed: stack of {count} × 24 MP", ("seconds", "memory GiB"))
    with tempfile.TemporaryDirectory() as name:
        scene = scene_named("ridge-observatory")
        paths = shoot(
            "ridge-observatory",
            Path(name),
            (6000, 4000),
            truth=False,
            bracket=Bracket.chosen(scene, count, 0.0, 3200.0),
        ).frames
        code = (
            "import sys,time,resource;from pathlib import Path;from crenn.core.merge.merge import merge_frames;"
            "t=time.perf_counter();merge_frames([Path(a) for a in sys.argv[1:]]);"
            "print(time.perf_counter()-t, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss/2**20)"
        )
        for label, part in ((f"{count // 2} frames", paths[: count // 2]), (f"{count} frames", paths)):
            out = subprocess.run(
                [sys.executable, "-c", code, *map(str, part)], capture_output=True, text=True, check=True
            )
            table.add(label, *map(float, out.stdout.split()))
    return table
