"""Steps that change single colours: what they do is one function of their parameters."""

from collections.abc import Mapping
from typing import ClassVar

from crenn.core.pipeline.colours import By, Colours, Recolour
from crenn.core.pipeline.planes import GuidedField
from crenn.core.pipeline.program import Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import LightStep, P


class ColourStep(LightStep[P]):
    """A step that changes single colours. Within an area it is taken with the area's dials, in place of the others.

    Attributes
    ----------
    by : "scene" or "picture"
        Which stop it tells colours apart by.
    """

    station = "colour"
    by: ClassVar[By]

    def change(self, parameters: P, scene: SceneLight, cleaned: bool) -> Recolour | None:
        """What is done to colours; None at neutral settings.

        ``cleaned`` tells whether noise has been taken out of the light.
        """
        raise NotImplementedError

    def carried(self, parameters: P) -> GuidedField | None:
        """How far it acts at each place; None for everywhere alike. Within areas it is the same."""
        return None

    def act(self, program: Program, parameters: P, scene: SceneLight) -> None:
        """See `LightStep.act`."""
        change = self.change(parameters, scene, bool(program.mixes))
        if change is not None:
            program.recolour(change, self.by, self.carried(parameters))

    def bend(self, program: Program, bends: Mapping[str, float], parameters: P, scene: SceneLight) -> None:
        """See `LightStep.bend`."""
        bent = self.bent(parameters, bends)
        if bent == parameters:
            return
        cleaned = bool(program.mixes)
        change = self.change(bent, scene, cleaned) or _as_it_was
        if self.change(parameters, scene, cleaned) is None:
            program.recolour(change, self.by, self.carried(parameters))
        else:
            program.recolour_instead(change)


def _as_it_was(colours: Colours) -> Colours:
    return colours
