"""Camera's profile: what the tables of hues that come with a file make of its colours."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from crenn.core.colorimetry.hue_saturation import HueSaturationMap
from crenn.core.colorimetry.oklab import from_oklab, to_oklab
from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.colour.step import ColourStep
from crenn.core.pipeline.colours import Colours, Recolour, nodes
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Bend, StepParameters, dial

_TITLE = "Camera’s profile"


class ProfileParameters(StepParameters):
    amount: float = dial(
        100,
        "%",
        0,
        150,
        1,
        _TITLE,
        "How far colours are moved by the tables of hues that the file brings along; at 0 they are as measured.",
        bend=Bend("add", -150, 150, 1),
    )


class Profile(ColourStep[ProfileParameters]):
    """Moves colours by the tables of the reference frame's file, as far as a dial says."""

    name, title, parameters, by = "profile", _TITLE, ProfileParameters, "picture"

    def belongs(self, scene: SceneLight) -> bool:
        return bool(scene.capture.profile)

    def change(self, parameters: ProfileParameters, scene: SceneLight, cleaned: bool) -> Recolour | None:
        tables, amount = scene.capture.profile, parameters.amount / 100
        if not tables or not amount:
            return None

        def change(colours: Colours) -> Colours:
            # Programs are written anew for each turn of any dial, and ask for the same nodes every time.
            to = _of_nodes(tables) if colours is nodes("picture") else _by(tables, colours)
            moved = colours.moved(amount * (to.a - colours.a), amount * (to.b - colours.b))
            return moved.brightened(amount * np.asarray(to.ev))

        return change


def _by(tables: tuple[HueSaturationMap, ...], colours: Colours) -> Colours:
    """Colours as tables have them, and by how many EV these brighten them."""
    rgb = from_oklab(np.stack([np.ones_like(colours.a), colours.a, colours.b], -1))
    light = np.maximum(rgb @ LUMINANCE, 1e-6)
    # A colour's tone tells its light; what tables do to that is told apart from what they do to its colour.
    level = np.exp2(np.asarray(colours.stop, np.float64)) / light
    moved = rgb * level[..., None]
    for table in tables:
        moved = table.applied(moved)
    lab = to_oklab(moved)
    brightness = np.maximum(lab[..., 0], 1e-6)
    ev = 3 * np.log2(brightness / np.cbrt(level))
    return replace(colours, a=lab[..., 1] / brightness, b=lab[..., 2] / brightness, ev=ev)


@lru_cache(maxsize=8)
def _of_nodes(tables: tuple[HueSaturationMap, ...]) -> Colours:
    return _by(tables, nodes("picture"))
