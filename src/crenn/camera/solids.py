"""Solids of a scene: intersections of half-spaces, their looks, and the tree of boxes over them."""

from dataclasses import dataclass, field

import numpy as np

PLAIN, FACADE, STONE, COBBLES, ROOF, PLANKS, TILES, GLOW, FIRE = range(9)
BLUE_HOUR, MORNING, DAWN, AURORA, NIGHT = range(5)


@dataclass
class Solids:
    """Collects solids and turns them into arrays for the tracer."""

    planes: list = field(default_factory=list)
    ranges: list = field(default_factory=list)
    looks: list = field(default_factory=list)

    def convex(self, planes, low, high, material, colour, glow=(0, 0, 0), seed=0, columns=0.0):
        """Add a solid of half-spaces (nx, ny, nz, d) with n·p ≤ d, inside the box low–high."""
        start = len(self.planes)
        self.planes += [tuple(float(v) for v in p) for p in planes]
        low, high = np.asarray(low, float), np.asarray(high, float)
        self.ranges.append((start, len(self.planes)))
        self.looks.append((material, *colour, *glow, seed, columns, low[0], low[1], low[2], high[0], high[1], high[2]))

    def box(self, low, high, material=PLAIN, colour=(0.5, 0.5, 0.5), **more):
        planes = []
        for axis in range(3):
            n = [0.0] * 3
            n[axis] = 1.0
            planes.append((*n, high[axis]))
            planes.append((*[-v for v in n], -low[axis]))
        self.convex(planes, low, high, material, colour, **more)

    def gable(self, low, high, along, material=ROOF, colour=(0.2, 0.12, 0.1), **more):
        """A roof over the box low–high with its ridge along axis 0 or 2."""
        across = 2 if along == 0 else 0
        half = (high[across] - low[across]) / 2
        rise = high[1] - low[1]
        middle = (high[across] + low[across]) / 2
        length = np.hypot(half, rise)
        planes = [(0, -1, 0, -low[1])]
        for sign in (-1, 1):
            n = [0.0] * 3
            n[across], n[1] = sign * rise / length, half / length
            planes.append((*n, n[1] * high[1] + n[across] * middle))
            e = [0.0] * 3
            e[along] = float(sign)
            planes.append((*e, sign * (high[along] if sign > 0 else low[along])))
        self.convex(planes, low, high, material, colour, **more)

    def joined(self, other: "Solids") -> "Solids":
        """These solids and others."""
        start = len(self.planes)
        return Solids(
            self.planes + other.planes,
            self.ranges + [(a + start, b + start) for a, b in other.ranges],
            self.looks + other.looks,
        )

    def arrays(self):
        """(planes, ranges, nodes, looks) for the tracer."""
        looks = np.array(self.looks, np.float64)
        return np.array(self.planes, np.float64), np.array(self.ranges, np.int64), _tree(looks[:, 9:15]), looks


def _tree(boxes: np.ndarray) -> np.ndarray:
    """Tree of boxes over solids, split at the median of the longest side; rows as `hit` reads them."""
    boxes = boxes + np.array([-1e-4] * 3 + [1e-4] * 3)
    nodes: list[list[float]] = []

    def build(members: np.ndarray) -> int:
        index = len(nodes)
        low, high = boxes[members, :3].min(0), boxes[members, 3:].max(0)
        nodes.append([*low, *high, -1.0, float(members[0])])
        if members.size > 1:
            centres = (boxes[members, :3] + boxes[members, 3:]) / 2
            axis = int(np.argmax(centres.max(0) - centres.min(0)))
            order = members[np.argsort(centres[:, axis], kind="stable")]
            nodes[index][6:] = [float(build(order[: order.size // 2])), float(build(order[order.size // 2 :]))]
        return index

    build(np.arange(len(boxes)))
    return np.array(nodes, np.float64)
