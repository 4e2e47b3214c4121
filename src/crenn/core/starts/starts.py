"""Starting points of the Light station."""

from collections.abc import Mapping
from dataclasses import dataclass

from crenn.core.errors import CrennError
from crenn.core.light.automatic import AS_IT_WAS, Look, automatic_light
from crenn.core.pipeline.scene import SceneLight
from crenn.core.starts.as_shown import camera_values


@dataclass(frozen=True)
class Start:
    """A starting point; without a look of its own it is that of the camera's picture."""

    title: str
    help: str
    look: Look | None


#: The name of the start that shows a scene as its camera did.
_AS_SHOWN = "as-the-camera-showed-it"
#: By name; the first is what automatic values come to.
STARTS: Mapping[str, Start] = {
    "as-it-was": Start(
        "As it was", "As bright as the scene was, for an eye that came to it from a lit room.", AS_IT_WAS
    ),
    "even": Start(
        "Even",
        "Everything can be read, as if there were more light.",
        Look(brighter=0.5, followed=0.0, held=6.0, as_shown=False),
    ),
    "dramatic": Start(
        "Dramatic",
        "The dark stays black, and lights are held.",
        Look(followed=0.75, opened=0.0, held=6.0, contrast=1.2, black=0.03),
    ),
    _AS_SHOWN: Start("As shown", "As the camera showed it: in the tones and colours of its own picture.", None),
}


def starts_of(scene: SceneLight) -> dict[str, Start]:
    """The starting points that a scene has: that of the camera's picture where its reference frame carries one."""
    return {name: start for name, start in STARTS.items() if start.look or scene.camera is not None}


def start_values(scene: SceneLight, start: str) -> dict[str, float]:
    """What a starting point of `STARTS` comes to in a scene, by ``step.parameter``.

    Raises
    ------
    CrennError
        If there is none of the name, or it needs a picture of the camera's and there is none.
    """
    if start not in STARTS:
        raise CrennError(f"There is no starting point “{start}”.", remedy="Known are: " + ", ".join(STARTS) + ".")
    look = STARTS[start].look
    if look is None:
        if scene.camera is None:
            raise CrennError(
                "The reference frame carries no picture of its camera's that shows the scene.",
                remedy="Start from another point.",
            )
        return camera_values(scene.camera)
    found = automatic_light(scene, look)
    return {
        "exposure.ev": found.exposure,
        "placement.shadows": found.shadows,
        "placement.highlights": found.highlights,
        "placement.local": found.local,
        "tone.contrast": found.contrast,
        "ends.white": found.white,
        "ends.black": found.black,
    }
