"""The ridge observatory under aurora: twelve equal frames, stars turning over still ground, and four dark frames."""

from datetime import datetime

import numpy as np

from crenn.camera.scenes.scene import Scene
from crenn.camera.sensor import Exposure
from crenn.camera.solids import AURORA, COBBLES, GLOW, PLAIN, PLANKS, ROOF, STONE, Solids
from crenn.camera.stars import Satellite, StarField


def _dome(s: Solids, x: float, y: float, z: float, radius: float) -> None:
    """A dome of facets over a drum, with a slit."""
    planes = [(0, -1, 0, -y)]
    for height in (0.15, 0.45, 0.75, 1.05, 1.35):
        for k in range(16):
            a = 2 * np.pi * k / 16
            n = (np.cos(a) * np.cos(height), np.sin(height), np.sin(a) * np.cos(height))
            planes.append((*n, n[0] * x + n[1] * y + n[2] * z + radius))
    s.convex(
        planes,
        (x - radius * 1.05, y, z - radius * 1.05),
        (x + radius * 1.05, y + radius * 1.05, z + radius * 1.05),
        PLAIN,
        (0.62, 0.62, 0.60),
    )


def build() -> Scene:
    """Build the scene."""
    s, lamps = Solids(), []
    rng = np.random.default_rng(23)
    s.box((-80, -2.0, -10), (80, 0.0, 46), COBBLES, (0.12, 0.13, 0.10))
    # The ridge falls away; far ranges stand as silhouettes.
    for middle, far, w, h in (
        (-420, 520, 520, 62),
        (-60, 640, 460, 84),
        (330, 560, 520, 70),
        (620, 700, 500, 120),
        (-760, 680, 620, 110),
    ):
        s.gable((middle - w / 2, -60, far), (middle + w / 2, h, far + 140), 2, PLAIN, (0.05, 0.06, 0.07))
    s.box((-900, -62, 46), (900, -60, 900), PLAIN, (0.05, 0.06, 0.05))
    # Drum and dome, the low house, its door lamp and window, the aerial mast.
    s.convex(
        [(0, -1, 0, 0.0), (0, 1, 0, 4.2)]
        + [(np.cos(a), 0, np.sin(a), np.cos(a) * 6.0 + np.sin(a) * 27.0 + 4.2) for a in 2 * np.pi * np.arange(16) / 16],
        (1.5, 0, 22.5),
        (10.5, 4.2, 31.5),
        STONE,
        (0.48, 0.46, 0.42),
        seed=2,
    )
    _dome(s, 6.0, 4.2, 27.0, 4.5)
    s.box((5.4, 4.6, 22.3), (6.6, 8.4, 22.9), PLAIN, (0.02, 0.02, 0.02))
    s.box((-5.5, 0, 24.0), (1.6, 3.0, 30.0), PLANKS, (0.30, 0.24, 0.18), seed=5)
    s.gable((-5.9, 3.0, 23.6), (1.9, 4.7, 30.4), 0, ROOF, (0.16, 0.13, 0.12), seed=6)
    s.box((-4.4, 1.0, 23.93), (-3.2, 2.2, 24.0), GLOW, (0.1, 0.1, 0.1), glow=(1.6, 0.35, 0.12))
    s.box((-0.9, 0.0, 23.94), (0.1, 2.1, 24.0), PLANKS, (0.12, 0.06, 0.05), seed=7)
    s.box((0.45, 2.2, 23.80), (0.6, 2.42, 24.0), GLOW, (0.1, 0.1, 0.1), glow=(7.0, 1.4, 0.5))
    lamps.append((0.5, 2.2, 23.4, 1.6, 0.32, 0.12, 0.3))
    s.box((-9.04, 0, 29.0), (-8.96, 9.5, 29.08), PLAIN, (0.2, 0.2, 0.2))
    for top in (7.5, 8.3, 9.1):
        s.box((-9.8, top, 29.0), (-8.2, top + 0.04, 29.05), PLAIN, (0.2, 0.2, 0.2))
    s.box((-2.0, 0, 6.0), (2.4, 0.04, 23.9), PLAIN, (0.26, 0.25, 0.23))
    for along in np.arange(7.0, 24.0, 2.4):
        for side in (-2.1, 2.4):
            s.box((side, 0, along), (side + 0.1, 0.95, along + 0.1), PLANKS, (0.25, 0.20, 0.14), seed=int(along * 3))
        s.box((-2.08, 0.8, along), (-2.0, 0.88, along + 2.4), PLANKS, (0.25, 0.20, 0.14), seed=int(along))
        s.box((2.42, 0.8, along), (2.5, 0.88, along + 2.4), PLANKS, (0.25, 0.20, 0.14), seed=int(along) + 1)
    for k in range(60):
        x, z, r = rng.uniform(-22, 22), rng.uniform(8, 44), rng.uniform(0.15, 0.8)
        if (-2.8 < x < 3.2 and z < 25) or (-6 < x < 11 and 21 < z < 33):
            continue
        planes = [(0, -1, 0, 0.1)]
        for _ in range(9):
            n = rng.standard_normal(3)
            n /= np.linalg.norm(n)
            n[1] = abs(n[1])
            planes.append((*n, n[0] * x + n[2] * z + r * rng.uniform(0.6, 1.0)))
        s.convex(
            planes, (x - 2 * r, -0.1, z - 2 * r), (x + 2 * r, 1.5 * r, z + 2 * r), STONE, (0.22, 0.21, 0.20), seed=k
        )
    count, seconds = 12, 10.0
    return Scene(
        name="ridge-observatory",
        title="Ridge observatory, star stack",
        solids=s,
        lamps=np.array(lamps),
        camera=(0.2, 1.5, 0.0, 0.02, 0.26, 0.80, 0.0),
        sky=AURORA,
        lamp_reach=20.0,
        sun=np.zeros(6),
        exposures=tuple(Exposure(seconds, 2.8, 3200.0) for _ in range(count)),
        starts=tuple(11.0 * i for i in range(count)),
        taken=datetime(2026, 11, 12, 22, 14, 5),
        rays=96,
        bounces=2,
        as_shot=(4600.0, 0.0),
        unit=1.0 / 2600,
        margin=0.05,
        distortion=-0.035,
        darks=4,
        stars=StarField(
            pole=(-0.25, 0.82),
            count=60000,
            faintest=1.6e-10,
            satellites=(
                Satellite(4, (-0.05, 0.42), (0.80, -0.05), 1.4e-3),
                Satellite(8, (0.30, 0.10), (1.05, 0.30), 6e-4),
            ),
        ),
    )
