"""Areas kept by name, to be put on any scene: those that ship, and the document in which areas travel."""

from typing import Annotated, Literal

from pydantic import Field, ValidationError, field_validator

from crenn.core.areas.area import MOST_AREAS, Area
from crenn.core.areas.moving import moved_areas
from crenn.core.areas.part import with_ids
from crenn.core.basis import PlaceMap
from crenn.core.document import Document, wrong_value
from crenn.core.errors import CrennError
from crenn.core.treatment import checked_areas

Side = Annotated[float, Field(ge=0.05, le=1)]


class AreasDocument(Document):
    """Areas by themselves: what a preset holds, and what is copied."""

    format: Literal["crenn-areas"] = "crenn-areas"
    version: Literal[1] = 1
    scene: tuple[Side, Side] = Field(
        (1.0, 2 / 3), description="width and height of the scene that they were made for, in shares of its longer side"
    )
    areas: list[Area] = Field(min_length=1, max_length=MOST_AREAS)

    @field_validator("areas")
    @classmethod
    def _known_apart(cls, areas: list[Area]) -> list[Area]:
        return with_ids(areas, "a")


def read_areas(document: object) -> AreasDocument:
    """Check a document of areas.

    Raises
    ------
    CrennError
        Naming the first unknown or out-of-range value.
    """
    if not isinstance(document, dict) or document.get("format") != "crenn-areas":
        raise CrennError("These are no areas.", remedy="Copy an area of a scene first.")
    try:
        found = AreasDocument.model_validate(document)
        checked_areas(found.areas)
    except ValidationError as fault:
        where, why = wrong_value(fault)
        raise CrennError(
            f"These areas cannot be used: “{where}”: {why}.", remedy="Correct it, or copy them again."
        ) from None
    except ValueError as fault:
        raise CrennError(f"These areas cannot be used: {fault}.", remedy="Take it out, or copy them again.") from None
    return found


def sides_of(width: float, height: float) -> tuple[float, float]:
    """Width and height in shares of the longer side."""
    longer = max(width, height)
    return width / longer, height / longer


def adapted(document: AreasDocument, scene: tuple[float, float]) -> list[Area]:
    """Areas with their places where they would be in a scene of other sides: what was near an edge is so again.

    Parameters
    ----------
    document : AreasDocument
    scene : tuple of float
        Width and height, in shares of the longer side.
    """
    by = scene[0] / document.scene[0], scene[1] / document.scene[1]
    if max(abs(v - 1) for v in by) < 1e-3:
        return document.areas
    return moved_areas(document.areas, PlaceMap.scaled(*by))


def _area(name: str, parts: list[dict], **bends: float) -> dict:
    return {"name": name, "parts": parts, "bends": {path.replace("__", "."): value for path, value in bends.items()}}


def _low(start: float, end: float) -> dict:
    return {"kind": "gradient", "start": [0.5, start], "end": [0.5, end]}


#: By name, what ships. Places are those of a lying picture of three to two; what is found is found anew in each scene.
_SHIPPED: dict[str, list[dict]] = {
    "Darken lower edge": [_area("Lower edge", [_low(0.72, 0.52)], exposure__ev=-0.7)],
    "Sky −½ EV, cooler": [
        _area(
            "Sky",
            [{"kind": "found", "what": "sky"}],
            exposure__ev=-0.5,
            white_balance__temperature=-15.0,
        )
    ],
    "Open the ground": [
        _area(
            "Ground",
            [{"kind": "found", "what": "ground"}, {"kind": "found", "what": "lamps", "mode": "subtract"}],
            placement__shadows=0.8,
            relief__medium=1.15,
        )
    ],
    "Calm lamps": [_area("Lamps", [{"kind": "found", "what": "lamps"}], exposure__ev=-0.8, saturation__saturation=1.1)],
}


def shipped_presets() -> dict[str, AreasDocument]:
    """The presets that ship, by name."""
    return {name: read_areas({"format": "crenn-areas", "areas": areas}) for name, areas in _SHIPPED.items()}
