"""The lock basin at blue hour: lamps and lit windows mirrored in moving water, a barge drifting through."""

from datetime import datetime

import numpy as np

from crenn.camera.scenes.scene import Scene
from crenn.camera.sensor import Exposure
from crenn.camera.solids import BLUE_HOUR, COBBLES, FACADE, GLOW, PLAIN, PLANKS, ROOF, STONE, Solids

_LAMP = np.array([1.0, 0.60, 0.22])
_PALE_LAMP = np.array([0.95, 0.90, 0.80])


def _lantern(solids: Solids, lamps: list, x: float, z: float, base: float, colour, power: float) -> None:
    solids.box((x - 0.05, base, z - 0.05), (x + 0.05, base + 3.4, z + 0.05), PLAIN, (0.03, 0.03, 0.03))
    solids.box((x - 0.14, base, z - 0.14), (x + 0.14, base + 0.5, z + 0.14), PLAIN, (0.03, 0.03, 0.03))
    solids.box(
        (x - 0.13, base + 3.45, z - 0.13),
        (x + 0.13, base + 3.80, z + 0.13),
        GLOW,
        (0.1, 0.1, 0.1),
        glow=tuple(colour * 15.0),
    )
    solids.gable((x - 0.20, base + 3.80, z - 0.20), (x + 0.20, base + 4.0, z + 0.20), 0, PLAIN, (0.03, 0.03, 0.03))
    lamps.append((x, base + 3.6, z, *(colour * power), 0.45))


def _house(solids: Solids, rng, low, high, roof: float, along: int) -> None:
    seed = int(rng.integers(1, 10_000))
    tints = [
        (0.34, 0.17, 0.12),
        (0.42, 0.36, 0.28),
        (0.30, 0.30, 0.32),
        (0.45, 0.28, 0.18),
        (0.38, 0.20, 0.17),
        (0.48, 0.45, 0.38),
        (0.24, 0.28, 0.26),
    ]
    colour = tints[seed % len(tints)]
    columns = max(round((high[2] - low[2]) / 2.6), 1)
    solids.box(low, high, FACADE, colour, seed=seed, columns=columns)
    eaves = 0.3
    solids.gable(
        (low[0] - eaves, high[1], low[2] - eaves),
        (high[0] + eaves, high[1] + roof, high[2] + eaves),
        along,
        ROOF,
        (0.16, 0.10, 0.09),
        seed=seed,
    )
    solids.box(
        (low[0] - 0.12, high[1] - 0.35, low[2] - 0.12),
        (high[0] + 0.12, high[1] - 0.1, high[2] + 0.12),
        PLAIN,
        (0.40, 0.38, 0.34),
    )
    cx = low[0] + (high[0] - low[0]) * rng.uniform(0.25, 0.75)
    cz = low[2] + (high[2] - low[2]) * rng.uniform(0.25, 0.75)
    solids.box((cx - 0.4, high[1], cz - 0.3), (cx + 0.4, high[1] + roof + 0.9, cz + 0.3), PLAIN, (0.22, 0.12, 0.1))


def _barge(shift: float) -> Solids:
    barge = Solids()
    x, z = -2.2 + shift, 21.0
    low, high = (x - 4.8, 0.0, z - 1.1), (x + 4.8, 0.95, z + 1.1)
    slant = np.hypot(1.0, 0.45)
    barge.convex(
        [
            (0, 1, 0, 0.95),
            (0, -1, 0, 0.0),
            (0, -0.25, 1, z + 1.1 - 0.24),
            (0, -0.25, -1, -z + 1.1 - 0.24),
            (1 / slant, -0.45 / slant, 0, (x + 4.4) / slant),
            (-1 / slant, -0.45 / slant, 0, (-x + 4.4) / slant),
        ],
        low,
        high,
        PLANKS,
        (0.009, 0.011, 0.012),
        seed=3,
    )
    barge.box((x - 4.5, 0.95, z - 1.15), (x + 4.7, 1.05, z + 1.15), PLAIN, (0.45, 0.40, 0.30))
    barge.box((x - 3.9, 1.05, z - 0.85), (x - 0.9, 2.35, z + 0.85), PLANKS, (0.34, 0.10, 0.07), seed=9)
    barge.box((x - 4.05, 2.35, z - 1.0), (x - 0.75, 2.45, z + 1.0), PLAIN, (0.35, 0.33, 0.28))
    for i in range(3):
        left = x - 3.6 + i * 0.95
        barge.box(
            (left, 1.5, z - 0.87),
            (left + 0.55, 2.0, z - 0.80),
            GLOW,
            (0.1, 0.1, 0.1),
            glow=(1.7 - 0.3 * i, 1.0 - 0.2 * i, 0.42),
        )
    barge.box((x + 0.4, 1.05, z - 0.7), (x + 3.6, 1.45, z + 0.7), PLANKS, (0.30, 0.24, 0.15), seed=4)
    barge.box((x + 4.2, 1.05, z - 0.04), (x + 4.28, 2.5, z + 0.04), PLAIN, (0.3, 0.3, 0.28))
    barge.box((x + 4.17, 2.5, z - 0.08), (x + 4.31, 2.66, z + 0.08), GLOW, (0.1, 0.1, 0.1), glow=(4.0, 4.0, 3.4))
    return barge


def build() -> Scene:
    """Build the scene."""
    rng = np.random.default_rng(42)
    solids = Solids()
    lamps: list[tuple] = []
    stone, cobble = (0.26, 0.25, 0.23), (0.22, 0.21, 0.20)
    # Quays left, right and across; the water lies between, its level at 0.
    solids.box((-60, 0.0, -10), (-11, 1.2, 80), COBBLES, cobble)
    solids.box((-11.0, 0.0, -10), (-10.6, 1.25, 80), STONE, stone, seed=2)
    solids.box((13.4, 0.0, -10), (60, 1.2, 80), COBBLES, cobble)
    solids.box((13.0, 0.0, -10), (13.4, 1.25, 80), STONE, stone, seed=4)
    solids.box((-10.6, 0.0, 56.4), (13.0, 1.2, 90), COBBLES, cobble)
    solids.box((-10.6, 0.0, 56.0), (13.0, 1.25, 56.4), STONE, stone, seed=6)
    # The lock gate in the far quay, with its beams and the keeper's light.
    solids.box((-2.6, 0.0, 55.6), (3.4, 2.1, 56.0), PLANKS, (0.09, 0.08, 0.06), seed=8)
    solids.box((-7.0, 2.0, 55.5), (-0.2, 2.35, 55.8), PLANKS, (0.30, 0.28, 0.24), seed=10)
    solids.box((0.6, 2.0, 55.5), (7.6, 2.35, 55.8), PLANKS, (0.30, 0.28, 0.24), seed=12)
    # Left bank: a row of narrow houses.
    z = 9.0
    while z < 55:
        depth, height = rng.uniform(5.2, 8.0), rng.integers(2, 5) * 3.1 + 0.9
        _house(
            solids,
            rng,
            (-26.0, 1.2, z),
            (-16.0 - rng.uniform(0, 0.6), 1.2 + height, z + depth),
            rng.uniform(2.2, 3.6),
            0,
        )
        z += depth + (1.6 if rng.random() < 0.2 else 0.05)
    # Right bank: two warehouses and houses behind them.
    for z0, z1, h in ((14.0, 27.5, 10.2), (29.0, 40.0, 7.1), (41.0, 47.0, 10.2), (47.1, 54.0, 13.3)):
        _house(solids, rng, (18.5, 1.2, z0), (31.0, 1.2 + h, z1), 3.4, 0)
    # Across: the far row, with the keeper's house and a church tower behind.
    x = -27.0
    while x < 28:
        width, height = rng.uniform(5.2, 8.5), rng.integers(2, 5) * 3.1 + 0.9
        _house(solids, rng, (x, 1.2, 66.0), (x + width, 1.2 + height, 75.0), rng.uniform(2.4, 3.8), 2)
        x += width + 0.05
    solids.box((6.5, 1.2, 84.0), (11.5, 24.0, 89.0), STONE, (0.30, 0.28, 0.25), seed=14)
    solids.convex(
        [
            (0, -1, 0, -24.0),
            (0.94, 0.34, 0, 0.94 * 11.8 + 0.34 * 24),
            (-0.94, 0.34, 0, -0.94 * 6.2 + 0.34 * 24),
            (0, 0.34, 0.94, 0.94 * 89.3 + 0.34 * 24),
            (0, 0.34, -0.94, -0.94 * 83.7 + 0.34 * 24),
        ],
        (6.2, 24, 83.7),
        (11.8, 32.5, 89.3),
        ROOF,
        (0.12, 0.15, 0.14),
        seed=15,
    )
    solids.box((8.2, 20.0, 83.9), (9.8, 21.6, 84.1), GLOW, (0.1, 0.1, 0.1), glow=(0.9, 0.75, 0.45))
    # A crane on the right quay, moored boats, bollards, benches.
    solids.box((15.6, 1.2, 24.0), (16.6, 4.2, 25.0), PLANKS, (0.10, 0.13, 0.12), seed=17)
    solids.box((15.95, 4.2, 24.35), (16.25, 8.6, 24.65), PLAIN, (0.06, 0.07, 0.07))
    slant = np.hypot(7.5, 3.4)
    ux, uy = -7.5 / slant, 3.4 / slant
    mx, my = 12.4, 6.6
    solids.convex(
        [
            (uy, -ux, 0, uy * mx - ux * my + 0.12),
            (-uy, ux, 0, -uy * mx + ux * my + 0.12),
            (ux, uy, 0, ux * mx + uy * my + 4.1),
            (-ux, -uy, 0, -ux * mx - uy * my + 4.1),
            (0, 0, 1, 24.62),
            (0, 0, -1, -24.38),
        ],
        (8.2, 4.4, 24.3),
        (16.6, 9.0, 24.7),
        PLAIN,
        (0.06, 0.07, 0.07),
    )
    for z in (6.0, 12.0, 19.0, 27.0, 36.0, 46.0):
        for x in (-11.0, 13.2):
            solids.box((x - 0.16, 1.2, z - 0.16), (x + 0.16, 1.75, z + 0.16), PLAIN, (0.04, 0.04, 0.04))
    for z, colour in ((16.0, (0.36, 0.33, 0.27)), (34.0, (0.12, 0.16, 0.24))):
        solids.convex(
            [
                (0, 1, 0, 0.55),
                (0, -1, 0, 0),
                (0.95, -0.3, 0, 0.95 * -8.9),
                (-0.95, -0.3, 0, 0.95 * 10.4),
                (0, -0.4, 1, z + 4.0),
                (0, -0.4, -1, -z),
            ],
            (-10.7, 0, z - 0.4),
            (-8.6, 0.55, z + 4.4),
            PLANKS,
            colour,
            seed=int(z),
        )
    # A bench and crates on the near left quay.
    solids.box((-14.5, 1.55, 9.0), (-14.0, 1.62, 11.0), PLANKS, (0.28, 0.20, 0.12), seed=21)
    solids.box((-14.5, 1.2, 9.2), (-14.4, 1.6, 9.3), PLAIN, (0.03, 0.03, 0.03))
    solids.box((-14.5, 1.2, 10.7), (-14.4, 1.6, 10.8), PLAIN, (0.03, 0.03, 0.03))
    solids.box((14.6, 1.2, 17.0), (15.8, 2.1, 18.2), PLANKS, (0.33, 0.25, 0.15), seed=23)
    solids.box((14.7, 2.1, 17.1), (15.4, 2.8, 17.9), PLANKS, (0.30, 0.22, 0.13), seed=24)
    for z in (11.0, 20.5, 30.0, 40.0, 50.0):
        _lantern(solids, lamps, -12.4, z, 1.2, _LAMP, 26.0)
    for z in (20.0, 33.0, 46.0):
        _lantern(solids, lamps, 14.8, z, 1.2, _LAMP, 26.0)
    for x in (-7.5, 0.5, 9.0):
        _lantern(solids, lamps, x, 60.0, 1.2, _PALE_LAMP, 22.0)
    return Scene(
        name="lock-basin",
        title="Lock basin, blue hour",
        solids=solids,
        lamps=np.array(lamps),
        camera=(1.2, 3.1, -4.0, -0.04, 0.035, 0.72, 0.0),
        sky=BLUE_HOUR,
        lamp_reach=24.0,
        sun=np.zeros(6),
        exposures=tuple(
            Exposure(s, 8.0, 100.0, e)
            for s, e in ((1 / 15, 1.03), (1 / 4, 0.985), (1.0, 1.0), (4.0, 1.004), (15.0, 0.998))
        ),
        starts=(0.0, 1.5, 3.5, 6.5, 12.5),
        taken=datetime(2026, 10, 17, 18, 41, 8),
        moving=_barge,
        drift=0.045,
        water=True,
        rays=64,
        bounces=1,
        as_shot=(5600.0, 1.0),
        clear_of_water=(-10.6, 13.0, 56.0),
    )
