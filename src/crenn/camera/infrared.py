"""An infrared filter before the lens: what a scene gives off beyond red, in a camera whose sensor lets it in.

A 720 nm filter passes deep red to the red sites and near infrared to all. Leaves, dark to the eye, throw back half of
the near infrared; of a clear sky there is little, the less the longer the wave (Rayleigh); glowing wires give most of
theirs there. So a sky is red beside leaves that white balance makes grey, and exchanging red and blue makes it blue.
"""

from dataclasses import replace

import numpy as np

from crenn.camera.scenes.scene import Scene
from crenn.camera.solids import Solids
from crenn.core.colorimetry.spaces import REC2020_TO_XYZ
from crenn.core.colorimetry.white import temperature_of

#: What leaves throw back of deep red, at the edge of what they take for themselves, and of near infrared.
_LEAF_RED, _LEAF_NEAR = 0.28, 0.5
#: Green over red and blue from which on a surface is taken for leaves.
_GREEN = 1.08
#: Near infrared of a sky's light in proportion to its green; and of a lamp's in proportion to its red.
_OF_SKY, _OF_LAMP = 0.42, 1.3
#: What red, green and blue sites get of deep red and of near infrared.
_SITES = np.array([[1.0, 0.55], [0.1, 1.0], [0.0, 0.95]])


def _surface(look: tuple) -> tuple:
    """A look as it is beyond red: deep red in its first colour, near infrared in both others."""
    kind, red, green, blue, *rest = look
    glow = rest[0]
    leaves = green > _GREEN * max(red, blue)
    deep, near = (_LEAF_RED, _LEAF_NEAR) if leaves else (red, min(1.15 * red, 0.9))
    lamp = glow * _OF_LAMP / _OF_SKY
    return kind, deep, near, near, glow, lamp, lamp, *rest[3:]


def _solids(solids: Solids) -> Solids:
    return replace(solids, looks=[_surface(look) for look in solids.looks])


def through_filter(scene: Scene) -> Scene:
    """A scene as its light is beyond red: deep red in the place of red, near infrared in those of green and blue.

    Its white is that of leaves. `recorded` makes of that light what the sensor's sites get.
    """
    lamps = np.array(scene.lamps, np.float64)
    if lamps.size:
        lamps[:, 4] = lamps[:, 5] = lamps[:, 3] * _OF_LAMP / _OF_SKY
    moving = scene.moving
    leaves = _SITES @ (_LEAF_RED, _LEAF_NEAR * 1.7 * _OF_SKY)
    xyz = REC2020_TO_XYZ @ leaves
    return replace(
        scene,
        title=f"{scene.title}, infrared",
        solids=_solids(scene.solids),
        lamps=lamps,
        moving=None if moving is None else lambda shift: _solids(moving(shift)),
        as_shot=temperature_of(*(xyz[:2] / xyz.sum())),
    )


def recorded(light: np.ndarray) -> np.ndarray:
    """What red, green and blue sites get of the light of a filtered scene, float32 (H, W, 3) like it."""
    beyond = np.stack([light[..., 0], _OF_SKY * light[..., 1]], -1)
    return np.asarray(beyond @ _SITES.T, np.float32)
