"""The weighted mean of frames, against a plain account of it for one site after the other."""

import unittest
from types import SimpleNamespace

import numpy as np

from crenn.core.merge.combine import combine
from crenn.core.mosaic.levels import Levels
from crenn.core.mosaic.moving import MISSING, NOISE_CELL
from crenn.core.mosaic.noise import NoiseModel
from tests.support import RGGB

BLACK, WHITE, CLIP = 512.0, 16383.0, 16000.0


def frame(gain: float, spread: np.ndarray | None = None) -> SimpleNamespace:
    noise = NoiseModel(np.array([2e-5, 1e-5, 3e-5]), np.array([2e-7, 1e-7, 1e-7]))
    levels = Levels(np.full(3, BLACK, np.float32), WHITE, CLIP)
    return SimpleNamespace(gain=gain, noise=noise, levels=levels, spread=spread, pattern=RGGB)


def site(stack, frames, still, y, x) -> tuple[float, float, int, bool]:
    """Light, variance, the frame that weighs most, and whether light was lost, of one site."""
    colour = RGGB[y & 1, x & 1]
    order = sorted(range(len(frames)), key=lambda k: frames[k].gain)
    rows, columns = still.shape[1:]
    there = [k for k in order if stack[k, y, x] != MISSING]
    share = {k: still[k, min(y // 4, rows - 1), min(x // 4, columns - 1)] / 255 for k in there}
    held = next((k for k in there if share[k] > 0.5), None)
    light = {k: (float(stack[k, y, x]) - BLACK) / (WHITE - BLACK) for k in there}
    lost, limit = False, (CLIP - BLACK) / (WHITE - BLACK)
    for k in there:
        full = stack[k, y, x] >= CLIP
        slope, offset = frames[k].noise.slope[colour], frames[k].noise.offset[colour]
        sigma = np.sqrt(slope * limit + offset)
        if frames[k].gain <= frames[there[0]].gain * 1.1:
            lost |= bool(full)
        elif full:
            share[k] = 0.0
        elif light[k] > 0.6 * limit:
            darker = order[order.index(k) - 1]
            around = stack[darker, max(y - 2, y % 2) : y + 3 : 2, max(x - 2, x % 2) : x + 3 : 2].astype(float)
            around = (around[around != MISSING] - BLACK) / (WHITE - BLACK)
            ratio = frames[k].gain / frames[darker].gain
            expected = around.mean() * ratio if around.size else light[k]
            share[k] *= min(max((limit - 3 * sigma - expected) / max(0.05 * limit, 2 * sigma), 0), 1)
    speak = [k for k in there if share[k] > 0.5]
    if not speak:
        first = there[0]
        if held is not None and held != first:
            first, lost = held, stack[held, y, x] >= CLIP
        share[first], speak = 1.0, [first]
    mean = light[speak[-1]] / frames[speak[-1]].gain
    for _ in range(2):
        weight = {}
        for k in there:
            told = 1.0 if frames[k].spread is None else frames[k].spread[y // NOISE_CELL, x // NOISE_CELL, colour]
            g, noise = frames[k].gain, frames[k].noise
            weight[k] = share[k] / (told * (noise.slope[colour] / g * max(mean, 0) + noise.offset[colour] / g**2))
        total = sum(weight.values())
        mean = sum(weight[k] * light[k] / frames[k].gain for k in there) / total
    variance = sum(share[k] * weight[k] for k in there) / total**2
    return mean, variance, max(there, key=lambda k: weight[k]), lost


class Weights(unittest.TestCase):
    def check(self, height: int, width: int, gains: list[float]) -> None:
        rng = np.random.default_rng(height * width)
        base = np.exp2(rng.uniform(-9, 1, (height, width)) / 1.0)
        stack = np.array([np.clip(base * g * 16000 + BLACK + rng.normal(0, 20, base.shape), 0, WHITE) for g in gains])
        stack = stack.astype(np.uint16)
        # All but one frame end somewhere.
        stack[1:][rng.random(stack[1:].shape) < 0.05] = MISSING
        still = rng.choice(np.array([255, 255, 255, 120, 0], np.uint8), (len(gains), height // 4, width // 4))
        told = rng.uniform(0.3, 1.2, (height // NOISE_CELL + 1, width // NOISE_CELL + 1, 3)).astype(np.float32)
        frames = [frame(g, told if k == 1 else None) for k, g in enumerate(gains)]
        merged = combine(stack, frames, still)
        seen = set()
        for y, x in [*np.argwhere(rng.random((height, width)) < 0.1), (height - 1, width - 1), (0, width - 1)]:
            light, variance, source, lost = site(stack, frames, still, y, x)
            with self.subTest(y=y, x=x):
                np.testing.assert_allclose(merged.light[y, x], light, rtol=1e-4, atol=1e-7)
                np.testing.assert_allclose(merged.variance[y, x], variance, rtol=1e-3)
                self.assertEqual((merged.source[y, x], merged.clipped[y, x]), (source, lost))
            seen |= {(source, lost)}
        self.assertGreater(len(seen), 2)

    def test_a_bracket(self):
        self.check(48, 64, [1.0, 4.0, 16.0])

    def test_odd_sides_and_more_than_a_stretch(self):
        self.check(17, 1059, [4.0, 0.25, 1.0])

    def test_frames_of_one_exposure(self):
        self.check(23, 41, [1.0, 1.02, 0.99])
