"""The ferry waiting hall: one frame held for the bright windows, the room five stops below."""

from datetime import datetime

import numpy as np

from crenn.camera.scenes.scene import Scene
from crenn.camera.sensor import Exposure
from crenn.camera.solids import GLOW, MORNING, PLAIN, PLANKS, STONE, TILES, Solids

_OAK, _WALL, _IRON = (0.30, 0.19, 0.10), (0.52, 0.50, 0.44), (0.05, 0.06, 0.06)


def _bench(s: Solids, x: float, z: float) -> None:
    for i in range(4):
        s.box((x, 0.44, z + i * 0.115), (x + 2.6, 0.47, z + 0.095 + i * 0.115), PLANKS, _OAK, seed=int(z * 7) + i)
    for i in range(3):
        s.box((x, 0.60 + i * 0.14, z + 0.47), (x + 2.6, 0.71 + i * 0.14, z + 0.50), PLANKS, _OAK, seed=int(z * 5) + i)
    for dx in (0.15, 1.25, 2.35):
        s.box((x + dx, 0.0, z + 0.03), (x + dx + 0.06, 0.44, z + 0.09), PLAIN, _IRON)
        s.box((x + dx, 0.0, z + 0.43), (x + dx + 0.06, 1.0, z + 0.49), PLAIN, _IRON)


def build() -> Scene:
    """Build the scene."""
    s, lamps = Solids(), []
    width, depth, height = 7.0, 15.0, 5.2
    s.box((-width - 1, -0.5, -3), (width + 1, 0.0, depth + 0.4), TILES, (0.46, 0.42, 0.36))
    s.box((-width - 1, height, -3), (width + 1, height + 0.4, depth + 0.4), PLANKS, (0.40, 0.36, 0.30), seed=2)
    s.box((-width - 0.4, 0, -3), (-width, height, depth), PLAIN, _WALL)
    s.box((-width, 0, -3), (-width + 0.05, 1.15, depth), PLANKS, _OAK, seed=5)
    s.box((-width - 1, -0.5, -3.4), (width + 1, height, -3), PLAIN, _WALL)
    # Right wall with two side windows, end wall with three tall ones.
    for z0, z1 in ((-3, 3.0), (5.2, 8.0), (10.2, depth)):
        s.box((width, 0, z0), (width + 0.4, height, z1), PLAIN, _WALL)
    for z0, z1 in ((3.0, 5.2), (8.0, 10.2)):
        s.box((width, 0, z0), (width + 0.4, 1.1, z1), PLAIN, _WALL)
        s.box((width, 4.0, z0), (width + 0.4, height, z1), PLAIN, _WALL)
        s.box((width + 0.12, 1.1, (z0 + z1) / 2 - 0.04), (width + 0.2, 4.0, (z0 + z1) / 2 + 0.04), PLAIN, _IRON)
    edges = (-width, -4.9, -2.1, -1.4, 1.4, 2.1, 4.9, width)
    for left, right in zip(edges[::2], edges[1::2]):
        s.box((left, 0, depth), (right, height, depth + 0.4), PLAIN, _WALL)
    for left, right in zip(edges[1::2], edges[2::2]):
        s.box((left, 0, depth), (right, 0.7, depth + 0.4), PLAIN, _WALL)
        s.box((left, 4.3, depth), (right, height, depth + 0.4), PLAIN, _WALL)
        s.box((left - 0.08, 0.62, depth - 0.25), (right + 0.08, 0.72, depth), PLANKS, _OAK, seed=9)
        for share in (1 / 3, 2 / 3):
            x = left + share * (right - left)
            s.box((x - 0.03, 0.7, depth + 0.12), (x + 0.03, 4.3, depth + 0.2), PLAIN, _IRON)
        for y in (1.9, 3.1):
            s.box((left, y - 0.025, depth + 0.12), (right, y + 0.025, depth + 0.2), PLAIN, _IRON)
    # Beams, columns, benches, counter, clock, timetable boards, radiators, suitcases.
    for z in (2.0, 6.0, 10.0, 14.0):
        s.box((-width, height - 0.45, z - 0.14), (width, height, z + 0.14), PLANKS, (0.26, 0.18, 0.11), seed=int(z))
        for x in (-3.6, 3.6):
            s.box((x - 0.13, 0, z - 0.13), (x + 0.13, height - 0.45, z + 0.13), PLAIN, (0.10, 0.16, 0.15))
            s.box((x - 0.22, 0, z - 0.22), (x + 0.22, 0.35, z + 0.22), STONE, (0.3, 0.3, 0.28), seed=int(z))
    for z in (3.2, 6.6, 9.8):
        _bench(s, -2.9, z)
        _bench(s, 0.6, z)
    s.box((-width, 0, 3.4), (-5.6, 1.15, 8.4), PLANKS, (0.22, 0.13, 0.07), seed=31)
    s.box((-width, 1.15, 3.3), (-5.5, 1.2, 8.5), PLAIN, (0.35, 0.30, 0.22))
    s.box((-width + 0.02, 2.1, 3.8), (-width + 0.1, 3.5, 7.9), PLAIN, (0.05, 0.09, 0.08))
    for row in range(7):
        for column in range(5):
            if (row * 5 + column) % 7 != 3:
                s.box(
                    (-width + 0.1, 2.2 + row * 0.18, 3.95 + column * 0.78),
                    (-width + 0.11, 2.30 + row * 0.18, 4.50 + column * 0.78 - 0.1 * ((row + column) % 3)),
                    PLAIN,
                    (0.62, 0.58, 0.45),
                )
    s.box((-0.45, 4.45, depth - 0.08), (0.45, 5.1, depth), PLAIN, (0.75, 0.73, 0.66))
    s.box((-0.02, 4.75, depth - 0.1), (0.02, 5.02, depth - 0.08), PLAIN, (0.02, 0.02, 0.02))
    s.box((-0.02, 4.74, depth - 0.1), (0.22, 4.78, depth - 0.08), PLAIN, (0.02, 0.02, 0.02))
    for x in (-6.2, 5.0):
        for i in range(8):
            s.box(
                (x + i * 0.15, 0.12, depth - 0.2), (x + i * 0.15 + 0.09, 0.58, depth - 0.05), PLAIN, (0.5, 0.48, 0.43)
            )
    s.box((1.0, 0.0, 2.35), (1.75, 0.55, 2.6), PLANKS, (0.26, 0.10, 0.06), seed=40)
    s.box((1.85, 0.0, 2.3), (2.3, 0.42, 2.62), PLAIN, (0.08, 0.10, 0.16))
    s.box((5.2, 0.0, 5.6), (6.6, 1.9, 7.6), PLANKS, (0.12, 0.16, 0.14), seed=41)
    s.box((5.35, 1.95, 5.8), (5.75, 2.3, 6.2), PLAIN, (0.5, 0.14, 0.08))
    # Pendant lamps still burning: dim beside the morning.
    for z in (4.0, 8.0, 12.0):
        s.box((-0.01, 3.75, z - 0.01), (0.01, height, z + 0.01), PLAIN, _IRON)
        s.box((-0.16, 3.5, z - 0.16), (0.16, 3.75, z + 0.16), GLOW, (0.1, 0.1, 0.1), glow=(2.6, 1.9, 1.0))
        lamps.append((0.0, 3.6, z, 0.9, 0.62, 0.32, 0.35))
    # Outside: the pier, the ferry at its berth, sheds, far hills, water.
    s.box((-400, -3.0, depth + 0.4), (400, -2.0, 900), PLAIN, (0.10, 0.16, 0.19))
    s.box((-14, -3, depth + 3), (4.0, -0.6, depth + 60), PLANKS, (0.34, 0.31, 0.27), seed=50)
    s.convex(
        [
            (0, 1, 0, 3.4),
            (0, -1, 0, 2.2),
            (0.97, -0.2, 0, 0.97 * 23),
            (-0.94, -0.35, 0, -0.94 * 4.2 + 0.6),
            (0, -0.2, 1, 52),
            (0, -0.2, -1, -40),
        ],
        (2.0, -2.2, 39),
        (25, 3.4, 54),
        PLAIN,
        (0.62, 0.64, 0.66),
    )
    s.box((6.5, 3.4, 42), (20, 6.0, 50), PLAIN, (0.70, 0.70, 0.68))
    for i in range(9):
        s.box((7.1 + i * 1.4, 4.2, 41.9), (7.9 + i * 1.4, 5.1, 42.0), PLAIN, (0.04, 0.05, 0.06))
    s.box((8.5, 6.0, 43.5), (11.5, 8.3, 48.5), PLAIN, (0.70, 0.70, 0.68))
    s.box((14.0, 6.0, 44.5), (16.0, 9.2, 47.5), PLAIN, (0.44, 0.12, 0.08))
    for x, h in ((-11.5, 5.5), (-8.0, 6.2)):
        s.box((x, -0.6, depth + 28), (x + 0.25, h, depth + 28.25), PLAIN, (0.2, 0.18, 0.15))
    s.box((-22, -0.6, 50), (-9, 4.4, 66), PLANKS, (0.30, 0.16, 0.11), seed=52)
    s.gable((-22.5, 4.4, 49.5), (-8.5, 7.2, 66.5), 2, PLAIN, (0.20, 0.19, 0.19))
    s.gable((-320, -2.5, 600), (60, 46, 800), 0, PLAIN, (0.13, 0.17, 0.16))
    s.gable((-60, -2.5, 660), (420, 70, 850), 0, PLAIN, (0.15, 0.18, 0.19))
    sun = np.array([0.50, 0.42, 0.35])
    sun /= np.linalg.norm(sun)
    return Scene(
        name="ferry-hall",
        title="Ferry waiting hall, one frame",
        solids=s,
        lamps=np.array(lamps),
        camera=(-0.9, 1.65, -2.2, 0.03, -0.01, 0.80, 0.0),
        sky=MORNING,
        lamp_reach=9.0,
        sun=np.array([*sun, 9.0, 8.0, 6.4]),
        exposures=(Exposure(1 / 2, 8.0, 100.0),),
        starts=(0.0,),
        taken=datetime(2026, 9, 27, 7, 12, 44),
        rays=144,
        bounces=4,
        as_shot=(5600.0, 0.0),
    )
