"""The dam crest before dawn: a bracket shot from the hand, the ground black against a burning horizon."""

from datetime import datetime

import numpy as np

from crenn.camera.optics import Pose
from crenn.camera.scenes.scene import Scene
from crenn.camera.sensor import Exposure
from crenn.camera.solids import COBBLES, DAWN, FACADE, GLOW, PLAIN, PLANKS, ROOF, STONE, Solids

_IRON = (0.05, 0.05, 0.05)


def _lamp(s: Solids, lamps: list, x: float, z: float) -> None:
    s.box((x - 0.06, 0.0, z - 0.06), (x + 0.06, 4.2, z + 0.06), PLAIN, _IRON)
    s.box((x - 0.16, 4.2, z - 0.16), (x + 0.16, 4.5, z + 0.16), GLOW, (0.1, 0.1, 0.1), glow=(16.0, 10.5, 5.0))
    s.box((x - 0.25, 4.5, z - 0.25), (x + 0.25, 4.58, z + 0.25), PLAIN, _IRON)
    lamps.append((x, 4.3, z, 18.0, 11.5, 5.2, 0.5))


def build() -> Scene:
    """Build the scene."""
    s, lamps = Solids(), []
    rng = np.random.default_rng(17)
    stone = (0.24, 0.23, 0.21)
    # The crest runs away from the viewer, its parapets with piers and gaps.
    s.box((-3.4, -22.0, -6), (3.4, 0.0, 150), COBBLES, (0.20, 0.19, 0.18))
    for side in (-1, 1):
        low, high = sorted((side * 3.4, side * 3.9))
        s.box((low, -22.0, -6), (high, 0.95, 150), STONE, stone, seed=3 + side)
        low, high = sorted((side * 3.3, side * 4.0))
        s.box((low, 0.95, -6), (high, 1.08, 150), PLAIN, (0.30, 0.29, 0.27))
        for z in np.arange(2.0, 150.0, 6.0):
            low, high = sorted((side * 3.25, side * 4.1))
            s.box((low, 0.0, z), (high, 1.45, z + 0.7), STONE, stone, seed=int(z))
            s.gable((low - 0.05, 1.45, z - 0.05), (high + 0.05, 1.7, z + 0.75), 2, PLAIN, (0.28, 0.27, 0.25))
    # Air and water sides below: valley floor with a mill, reservoir, far shores and hills.
    s.box((-500, -23.0, -50), (-3.9, -22.0, 600), PLAIN, (0.045, 0.055, 0.035))
    s.box((3.9, -4.2, -50), (500, -4.0, 600), PLAIN, (0.022, 0.028, 0.034))
    for k, (left, far, w, tall) in enumerate(((-62, 70, 14, 8), (-44, 96, 10, 6), (-80, 120, 18, 9), (-36, 150, 9, 5))):
        s.box(
            (left, -22, far),
            (left + w, -22 + tall, far + 9),
            FACADE,
            (0.35, 0.28, 0.22),
            seed=60 + k,
            columns=max(w // 3, 1),
        )
        s.gable(
            (left - 0.4, -22 + tall, far - 0.4),
            (left + w + 0.4, -19 + tall, far + 9.4),
            0,
            ROOF,
            (0.13, 0.10, 0.09),
            seed=80 + k,
        )
        lamps.append((left - 1.0, -18.0, far - 1.0, 9.0, 6.0, 2.6, 0.3))
    for k in range(46):
        x, z, h = -18 - 90 * rng.random(), 30 + 170 * rng.random(), 4 + 6 * rng.random()
        n = np.array([0.92, 0.39])
        s.convex(
            [
                (0, -1, 0, 22.0),
                (n[0], n[1], 0, n[0] * x + n[1] * (-22 + h)),
                (-n[0], n[1], 0, -n[0] * x + n[1] * (-22 + h)),
                (0, n[1], n[0], n[0] * z + n[1] * (-22 + h)),
                (0, n[1], -n[0], -n[0] * z + n[1] * (-22 + h)),
            ],
            (x - h / 2, -22, z - h / 2),
            (x + h / 2, -22 + h, z + h / 2),
            PLANKS,
            (0.05, 0.07, 0.04),
            seed=k,
        )
    for x, z, w, h in (
        (-330, 380, 420, 62),
        (-120, 430, 300, 44),
        (60, 400, 380, 70),
        (260, 360, 260, 40),
        (-480, 330, 260, 46),
        (150, 300, 190, 24),
        (-20, 520, 330, 74),
    ):
        s.gable((x - w / 2, -22, z), (x + w / 2, h, z + 120), 2, PLAIN, (0.030, 0.036, 0.031))
    # Gatehouse half way, straddling nothing: beside the road on a bastion, with a lit room; a tower behind it.
    s.box((3.9, -22, 34), (11.5, 0.2, 46), STONE, stone, seed=31)
    s.box((4.4, 0.2, 35), (10.8, 6.9, 45), FACADE, (0.36, 0.31, 0.25), seed=33, columns=3)
    s.gable((4.0, 6.9, 34.6), (11.2, 9.8, 45.4), 2, ROOF, (0.14, 0.10, 0.09), seed=34)
    s.box((-9.5, -22, 70), (-3.9, 11.0, 77), STONE, (0.27, 0.26, 0.24), seed=36)
    s.convex(
        [
            (0, -1, 0, -11.0),
            (0.9, 0.43, 0, 0.9 * -6.7 + 0.43 * 17),
            (-0.9, 0.43, 0, 0.9 * 6.7 + 0.43 * 17),
            (0, 0.43, 0.9, 0.9 * 73.5 + 0.43 * 17),
            (0, 0.43, -0.9, -0.9 * 73.5 + 0.43 * 17),
        ],
        (-9.9, 11, 69.6),
        (-3.5, 17, 77.4),
        ROOF,
        (0.12, 0.14, 0.13),
        seed=37,
    )
    s.box((-7.2, 7.6, 69.9), (-6.2, 9.2, 70.05), GLOW, (0.1, 0.1, 0.1), glow=(1.4, 0.9, 0.4))
    # Handrail wheel, benches, a cart by the near parapet.
    s.box((-3.0, 0.45, 5.6), (-2.5, 0.52, 7.4), PLANKS, (0.30, 0.21, 0.13), seed=41)
    for z in (5.8, 7.1):
        s.box((-2.95, 0.0, z), (-2.6, 0.45, z + 0.1), PLAIN, _IRON)
    s.box((1.9, 0.35, 7.6), (3.1, 0.9, 9.6), PLANKS, (0.20, 0.10, 0.07), seed=43)
    for z in (7.8, 9.1):
        s.box((1.8, 0.0, z), (1.9, 0.6, z + 0.6), PLANKS, (0.12, 0.10, 0.08), seed=44)
    for z in (16.0, 40.0, 64.0, 88.0, 112.0):
        _lamp(s, lamps, -3.05, z)
    for z in (28.0, 52.0, 76.0, 100.0):
        _lamp(s, lamps, 3.05, z)
    degree = np.pi / 180
    return Scene(
        name="dam-crest",
        title="Dam crest before dawn, hand-held",
        solids=s,
        lamps=np.array(lamps),
        camera=(0.7, 1.75, -1.5, -0.03, 0.02, 0.72, 0.0),
        sky=DAWN,
        lamp_reach=22.0,
        sun=np.zeros(6),
        exposures=tuple(
            Exposure(t, 4.0, 800.0, e)
            for t, e in ((1 / 800, 1.02), (1 / 200, 0.99), (1 / 50, 1.0), (1 / 13, 1.0), (1 / 3, 1.005))
        ),
        starts=(0.0, 0.4, 0.8, 1.2, 1.7),
        taken=datetime(2026, 10, 3, 6, 38, 20),
        rays=64,
        bounces=1,
        as_shot=(5200.0, 2.0),
        margin=0.06,
        poses=(
            Pose(0.31 * degree, -0.18 * degree, 0.42 * degree),
            Pose(-0.12 * degree, 0.24 * degree, -0.25 * degree),
            Pose(),
            Pose(0.22 * degree, 0.13 * degree, -0.66 * degree),
            Pose(-0.36 * degree, -0.21 * degree, 0.58 * degree),
        ),
    )
