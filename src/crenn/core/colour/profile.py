"""Camera's profile: what the tables of hues that come with a file make of its colours."""

import numpy as np

from crenn.core.colorimetry.oklab import from_oklab, to_oklab
from crenn.core.colorimetry.spaces import LUMINANCE
from crenn.core.colour.step import ColourStep
from crenn.core.pipeline.colours import Colours, Recolour
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
            rgb = from_oklab(np.stack([np.ones_like(colours.a), colours.a, colours.b], -1))
            light = np.maximum(rgb @ LUMINANCE, 1e-6)
            # A colour's tone tells its light; what tables do to that is told apart from what they do to its colour.
            level = np.exp2(np.asarray(colours.stop, np.float64)) / light
            moved = rgb * level[..., None]
            for table in tables:
                moved = table.applied(moved)
            lab = to_oklab(moved)
            brightness = np.maximum(lab[..., 0], 1e-6)
            a, b = (lab[..., n] / brightness for n in (1, 2))
            ev = 3 * np.log2(brightness / np.cbrt(level))
            return colours.moved(amount * (a - colours.a), amount * (b - colours.b)).brightened(amount * ev)

        return change
