"""The kiln yard at night: a furnace mouth that clips red and a sign that clips blue in every frame."""

from datetime import datetime

import numpy as np

from crenn.camera.scenes.scene import Scene
from crenn.camera.sensor import Exposure
from crenn.camera.solids import COBBLES, FACADE, FIRE, GLOW, NIGHT, PLAIN, PLANKS, ROOF, STONE, Solids

_BRICK, _IRON = (0.33, 0.15, 0.10), (0.06, 0.055, 0.05)
#: The sign's letters, five rows of strokes on a grid: K I L N.
_LETTERS = ("1001 1 1    1001", "1010 1 1    1101", "1100 1 1    1011", "1010 1 1    1001", "1001 1 1111 1001")


def build() -> Scene:
    """Build the scene."""
    s, lamps = Solids(), []
    rng = np.random.default_rng(31)
    s.box((-60, -1.0, -10), (60, 0.0, 80), COBBLES, (0.21, 0.20, 0.19))
    # The kiln: a brick bottle with an arched mouth of fire.
    planes: list[tuple] = [(0, -1, 0, 0.0), (0, 1, 0, 13.0)]
    for k in range(20):
        a = 2 * np.pi * k / 20
        planes.append((np.cos(a), 0.0, np.sin(a), np.cos(a) * -6.0 + np.sin(a) * 22.0 + 4.6))
        n = np.hypot(1, 0.42)
        planes.append((np.cos(a) / n, 0.42 / n, np.sin(a) / n, (np.cos(a) * -6.0 + np.sin(a) * 22.0 + 6.6) / n))
    s.convex(planes, (-10.6, 0, 17.4), (-1.4, 13, 26.6), STONE, _BRICK, seed=3)
    s.box((-8.0, 0.0, 16.9), (-7.2, 3.0, 18.4), STONE, (0.38, 0.18, 0.12), seed=4)
    s.box((-4.8, 0.0, 16.9), (-4.0, 3.0, 18.4), STONE, (0.38, 0.18, 0.12), seed=5)
    s.box((-8.2, 3.0, 16.8), (-3.8, 3.7, 18.4), STONE, (0.38, 0.18, 0.12), seed=6)
    s.box((-7.2, 0.5, 17.15), (-4.8, 3.0, 17.35), FIRE, (0.1, 0.05, 0.03), glow=(30.0, 6.0, 0.9), seed=7)
    s.box((-7.3, 0.0, 16.95), (-4.7, 0.5, 17.9), PLAIN, _IRON)
    for x in (-6.8, -6.2, -5.6, -5.1):
        s.box((x, 0.5, 17.05), (x + 0.07, 1.3, 17.11), PLAIN, _IRON)
    lamps.append((-6.0, 1.4, 16.8, 40.0, 11.0, 2.4, 0.6))
    # The works behind, its lit windows and the sign on the roof's edge.
    s.box((0.5, 0, 26), (22.0, 8.5, 38), FACADE, _BRICK, seed=12, columns=8)
    s.gable((0.1, 8.5, 25.6), (22.4, 11.6, 38.4), 0, ROOF, (0.12, 0.09, 0.08), seed=13)
    s.box((3.9, 8.6, 25.25), (11.9, 8.75, 25.35), PLAIN, _IRON)
    for row, line in enumerate(_LETTERS):
        for column, mark in enumerate(line):
            if mark == "1":
                x, y = 4.0 + column * 0.49, 11.0 - row * 0.46
                s.box(
                    (x, y - 0.40, 25.2),
                    (x + 0.42, y, 25.32),
                    GLOW,
                    (0.05, 0.05, 0.05),
                    glow=(0.9, 4.5 + 0.4 * (column % 3), 17.0),
                )
    lamps.append((7.8, 9.8, 24.2, 0.9, 4.5, 15.0, 0.8))
    s.box((-34, 0, 30), (-14, 6.0, 44), FACADE, (0.30, 0.27, 0.22), seed=16, columns=7)
    s.gable((-34.4, 6.0, 29.6), (-13.6, 9.0, 44.4), 0, ROOF, (0.12, 0.10, 0.09), seed=17)
    s.box((-14.0, 0, 46), (1.0, 4.5, 54), FACADE, (0.34, 0.26, 0.2), seed=18, columns=5)
    s.box((12.0, 0, 48), (13.6, 24.0, 49.6), STONE, _BRICK, seed=19)
    # Stacks of ware, barrows, a crane post, a yard lamp.
    for k in range(34):
        x, z, h = rng.uniform(-1.5, 9.5), rng.uniform(11.0, 23.0), rng.uniform(0.25, 0.6)
        level = int(rng.integers(1, 4))
        colour = (0.42 + 0.1 * rng.random(), 0.25 + 0.1 * rng.random(), 0.16)
        for i in range(level):
            s.box((x, i * h, z), (x + 0.8, (i + 1) * h - 0.03, z + 0.6), PLANKS if k % 3 else PLAIN, colour, seed=k)
    s.box((-12.4, 0, 13.0), (-10.0, 0.9, 14.4), PLANKS, (0.24, 0.17, 0.1), seed=40)
    s.box((-12.2, 0.9, 13.2), (-10.4, 1.5, 14.2), PLAIN, (0.10, 0.09, 0.08))
    s.box((10.94, 0, 15.94), (11.06, 5.2, 16.06), PLAIN, _IRON)
    s.box((10.8, 5.2, 15.8), (11.2, 5.5, 16.2), GLOW, (0.1, 0.1, 0.1), glow=(10.0, 8.6, 6.4))
    lamps.append((11.0, 5.0, 16.0, 9.0, 7.8, 5.8, 0.5))
    return Scene(
        name="kiln-yard",
        title="Kiln yard at night",
        solids=s,
        lamps=np.array(lamps),
        camera=(0.6, 1.9, -2.0, -0.06, 0.07, 0.62, 0.0),
        sky=NIGHT,
        lamp_reach=32.0,
        sun=np.zeros(6),
        exposures=tuple(Exposure(t, 8.0, 100.0, e) for t, e in ((1 / 6, 1.02), (1.0, 1.0), (6.0, 0.995))),
        starts=(0.0, 2.0, 5.0),
        taken=datetime(2026, 11, 5, 21, 3, 30),
        rays=96,
        bounces=2,
        as_shot=(4000.0, 0.0),
    )
