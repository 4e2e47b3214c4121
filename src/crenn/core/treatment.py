"""The treatment: everything done to a scene, as an open JSON document.

The document names a step only where it departs from the default; a missing step, or a missing parameter, has its
default, and a parameter that is null is automatic. Version 6.
"""

import json
import threading
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Any, Literal, TypeVar

import cachetools
from pydantic import BaseModel, ConfigDict, Field, ValidationError, create_model, field_validator

from crenn.core.applied import AppliedPreset
from crenn.core.areas.area import MOST_AREAS, Area, check_bends, check_left_out
from crenn.core.areas.brush import Brush
from crenn.core.areas.moving import moved_areas
from crenn.core.areas.part import with_ids
from crenn.core.basis import Basis, place_map
from crenn.core.changes import Change, changed
from crenn.core.colour.cast import Cast
from crenn.core.colour.channels import Channels
from crenn.core.colour.faint import Faint
from crenn.core.colour.hues import Hues
from crenn.core.colour.inks import Inks
from crenn.core.colour.monochrome import Monochrome
from crenn.core.colour.primaries import Primaries
from crenn.core.colour.profile import Profile
from crenn.core.colour.saturation import Saturation
from crenn.core.colour.sky import Sky
from crenn.core.colour.tints import Tints
from crenn.core.colour.tones import Tones
from crenn.core.colour.wash import Wash
from crenn.core.document import Document
from crenn.core.errors import InvalidTreatment
from crenn.core.finish.glow import GLOW, SOFT
from crenn.core.finish.grain import GRAIN
from crenn.core.finish.mist import MIST
from crenn.core.finish.motion import MOTION
from crenn.core.finish.painted import PAINTED
from crenn.core.finish.sharpness import SHARPNESS
from crenn.core.finish.stars import STAR_GLOW
from crenn.core.finish.vignette import VIGNETTE
from crenn.core.geometry.crop import Crop, CropParameters
from crenn.core.geometry.level import Level
from crenn.core.geometry.perspective import USUAL, Perspective
from crenn.core.geometry.turn import Turn
from crenn.core.lens.correction import LensCorrection
from crenn.core.light.curve import Curve
from crenn.core.light.ends import Ends
from crenn.core.light.exposure import Exposure
from crenn.core.light.haze import Haze
from crenn.core.light.placement import Placement
from crenn.core.light.relief import Relief
from crenn.core.light.stars import Stars
from crenn.core.light.tone import Tone
from crenn.core.light.white_balance import WhiteBalance
from crenn.core.mend.patch import MOST_LAYERS, MOST_PATCHES, MendLayer
from crenn.core.mend.rims import RIMS
from crenn.core.noise.reduction import NoiseReduction
from crenn.core.noise.sharpening import Sharpening
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import Step, StepParameters

LENS, TURN, CROP, NOISE, SHARPENING = LensCorrection(), Turn(), Crop(), NoiseReduction(), Sharpening()
CAST, HUES, WHITE_BALANCE = Cast(), Hues(), WhiteBalance()

#: The steps in the order in which they act: those of the frame first, those of the display last.
STEPS: tuple[Step[Any], ...] = (
    LENS,
    TURN,
    Level(),
    Perspective(),
    CROP,
    NOISE,
    SHARPENING,
    RIMS,
    Haze(),
    WHITE_BALANCE,
    Exposure(),
    Profile(),
    Placement(),
    Relief(),
    Stars(),
    Tone(),
    Curve(),
    CAST,
    Faint(),
    Channels(),
    Primaries(),
    Sky(),
    Saturation(),
    HUES,
    Inks(),
    Monochrome(),
    Tints(),
    Tones(),
    Wash(),
    MOTION,
    MIST,
    SOFT,
    GLOW,
    PAINTED,
    STAR_GLOW,
    SHARPNESS,
    VIGNETTE,
    GRAIN,
    Ends(),
)

#: So many presets can be on a picture at once.
MOST_PRESETS = 40
#: So many numbers tell all places of all strokes together: a document stays of a size that can be sent.
MOST_NUMBERS = 600_000

#: Names of the steps that change colours, and lightness by them.
_OF_COLOUR = tuple(step.name for step in STEPS if step.station == "colour")
#: Steps switched off. What they would do is forgotten, so that treatments that differ in nothing else are the same.
_OFF: dict[str, StepParameters] = {step.name: step.parameters(on=False) for step in STEPS}

P = TypeVar("P", bound=StepParameters)


class _Head(Document):
    """What every treatment states of itself."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)
    format: Literal["crenn-treatment"] = "crenn-treatment"
    version: Literal[7] = 7
    basis: Basis | None = Field(
        None, description="what its places hold on to; null where they are those of the scene that it is put on"
    )


_Sections: Any = create_model(
    "_Sections",
    __base__=_Head,
    **{step.name: (step.parameters, Field(default_factory=step.parameters)) for step in STEPS},  # type: ignore[call-overload]
)


def _second(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2 adds geometry, relief and areas; local contrast and reach have other defaults."""
    placement = document.get("placement")
    if placement is None or isinstance(placement, dict):
        document = document | {"placement": {"local": 1.3, "reach": 3.0} | (placement or {})}
    return document


def _third(document: dict[str, Any]) -> dict[str, Any]:
    """Version 3 parts relief into three bands: what was broad alone stretched medium and fine as well."""

    def parted(fine: float, broad: float) -> dict[str, float]:
        return {"fine": fine + broad - 1.0, "medium": broad, "broad": broad}

    relief = document.get("relief")
    relief = relief if isinstance(relief, dict) else {}
    fine, broad = (relief.get(name, 1.0) for name in ("fine", "broad"))
    if not all(isinstance(v, int | float) for v in (fine, broad)):
        return document
    if broad != 1.0:
        document = document | {"relief": relief | _within(parted(fine, broad))}
    areas = document.get("areas")
    for area in areas if isinstance(areas, list) else ():
        bends = area.get("bends") if isinstance(area, dict) else None
        if not isinstance(bends, dict) or not isinstance(bends.get("relief.broad"), int | float):
            continue
        by = bends["relief.broad"], bends.get("relief.fine", 1.0)
        now = parted(fine, broad)
        more = fine * (by[1] - 1.0) + broad * (by[0] - 1.0)
        bent = _within({"fine": 1.0 + more / max(now["fine"], 0.05), "medium": by[0], "broad": by[0]})
        bends.update({f"relief.{name}": value for name, value in bent.items()})
    return document


def _fourth(document: dict[str, Any]) -> dict[str, Any]:
    """Version 4 takes noise out unless it is told not to."""
    return document | {"noise": {"on": False}}


def _fifth(document: dict[str, Any]) -> dict[str, Any]:
    """Version 5 knows areas and their parts by ids, which are given to those that have none; and states its basis."""
    return document


def _sixth(document: dict[str, Any]) -> dict[str, Any]:
    """Version 6 finds local contrast by the scene's span, and holds stars; before, both were the same for all."""
    document = {"stars": {"contrast": 1.0}} | document
    placement = document.get("placement")
    if placement is None or isinstance(placement, dict):
        document = document | {"placement": {"local": 1.6} | (placement or {})}
    return document


def _seventh(document: dict[str, Any]) -> dict[str, Any]:
    """Version 7 has perspective by the lens's own focal length; before, it was by that of 36 mm."""
    perspective = document.get("perspective")
    if isinstance(perspective, dict):
        document = document | {"perspective": {"focal": USUAL} | perspective}
    return document


def _within(bands: dict[str, float]) -> dict[str, float]:
    """Bands of relief as far as they can be set."""
    most = {"fine": (0.0, 3.0), "medium": (0.0, 2.5), "broad": (0.3, 2.0)}
    return {name: min(max(value, most[name][0]), most[name][1]) for name, value in bands.items()}


def _opened(area: Area, changes: Sequence[Change]) -> dict[str, Any]:
    """An area written out as far as changes touch it: parts that they do not are left as they are."""
    out = {name: getattr(area, name) for name in type(area).model_fields}
    paths = [c.path[2:] for c in changes if c.path[:2] == ["areas", area.id]]
    touched = {path[1] for path in paths if path[0] == "parts" and len(path) > 2}
    out["parts"] = [part.model_dump(mode="json") if part.id in touched else part for part in area.parts]
    return out


def automatic_values(light: SceneLight) -> dict[str, float]:
    """What automatic parameters come to in a scene, by ``step.parameter``."""
    return {f"{step.name}.{name}": value for step in STEPS for name, value in step.automatic(light).items()}


def checked_areas(areas: list[Area]) -> list[Area]:
    """Areas, if all that they bend can be bent, and left out be left out; a `ValueError` that names the first that
    cannot."""
    for area in areas:
        check_left_out(area.without, STEPS)
        check_bends(area.bends, STEPS)
        if area.take is not None and any(own.take is not None for own in shown_in(area).areas):
            raise ValueError(f"“{area.name}” shows a treatment that shows others")
    return areas


def shown_in(area: Area) -> "Treatment":
    """The treatment that an area shows in the place of the one that it stands in.

    Raises
    ------
    ValueError
        If it has an unknown or out-of-range value.
    """
    try:
        return _parsed(json.dumps(area.take, sort_keys=True))
    except InvalidTreatment as fault:
        raise ValueError(f"“{area.name}” shows what is no treatment: {fault}") from None


@cachetools.cached(cachetools.LRUCache(8), lock=threading.Lock())
def _parsed(document: str) -> "Treatment":
    return parse_treatment(json.loads(document))


#: What of an area makes its mask.
_OF_MASKS = {"id", "name", "opacity", "parts", "invert"}


class Treatment(_Sections):
    """The treatment document, version 7: a section for each step, the areas, and the mends."""

    UPGRADES = {1: _second, 2: _third, 3: _fourth, 4: _fifth, 5: _sixth, 6: _seventh}

    areas: list[Area] = Field(default_factory=list, max_length=MOST_AREAS, description="Local adjustments.")
    mend: list[MendLayer] = Field(
        default_factory=list,
        max_length=MOST_LAYERS,
        description="What is put in the place of what should not be there.",
    )

    presets: list[AppliedPreset] = Field(
        default_factory=list, max_length=MOST_PRESETS, description="What was put on, so that it can be taken off again."
    )

    @field_validator("presets")
    @classmethod
    def _presets_known_apart(cls, presets: list[AppliedPreset]) -> list[AppliedPreset]:
        if len({one.id for one in presets}) < len(presets):
            raise ValueError("two presets have the same id: give each one of its own")
        return presets

    @field_validator("mend")
    @classmethod
    def _layers_known_apart(cls, mend: list[MendLayer]) -> list[MendLayer]:
        if (count := sum(len(layer.patches) for layer in mend)) > MOST_PATCHES:
            raise ValueError(f"there are {count} patches, and may be {MOST_PATCHES}: take some away")
        return with_ids(mend, "l")

    @field_validator("areas")
    @classmethod
    def _bends_dials(cls, areas: list[Area]) -> list[Area]:
        numbers = sum(len(s.points) for area in areas for p in area.parts if isinstance(p, Brush) for s in p.strokes)
        if numbers > MOST_NUMBERS:
            raise ValueError(
                f"all strokes together hold {numbers // 2} points, and may hold {MOST_NUMBERS // 2}: take some away"
            )
        return checked_areas(with_ids(areas, "a"))

    @cached_property
    def key(self) -> tuple:
        """What tells it from others that show something else: neither names and ids, nor its basis."""
        sections = tuple(getattr(self, step.name).model_dump_json() for step in STEPS)
        areas = tuple(
            (area.key, area.on, area.acts, *area.without, *sorted(area.bends.items()), json.dumps(area.take))
            for area in self.areas
        )
        return sections, areas, tuple(layer.key for layer in self.mend)

    @cached_property
    def told_apart(self) -> str:
        """What tells it from others that do something else to light.

        What masks and mends are made of is none of that, and can be long.
        """
        beside: Any = {"basis": True, "mend": True, "presets": True, "areas": {"__all__": _OF_MASKS}}
        return self.model_dump_json(exclude=beside)

    def area(self, key: str | None) -> Area | None:
        """The area of an id; None if there is none."""
        return next((area for area in self.areas if area.id == key), None) if key else None

    def with_sections(self, **sections: Any) -> "Treatment":
        """The treatment with other sections, or areas, which are not checked."""
        other = self.model_copy(update=sections)
        # A copy would keep what was worked out of that which it was copied from.
        for name in other.__dict__.keys() - type(self).model_fields.keys():
            del other.__dict__[name]
        return other

    def in_basis(self, basis: Basis | None, maps: Mapping[str, list[float]]) -> "Treatment":
        """The treatment with its places where they lie in another basis; see `crenn.core.basis.place_map`."""
        if basis is None or self.basis == basis:
            return self
        if self.basis is None:
            return self.with_sections(basis=basis)
        by = place_map(self.basis, basis, maps)
        if by.still:
            return self.with_sections(basis=basis)
        return self.with_sections(
            basis=basis,
            **{step.name: self.section(step).moved(by) for step in STEPS},
            areas=[
                area
                if area.take is None
                else area.changed(take=shown_in(area).in_basis(basis, maps).model_dump(mode="json"))
                for area in moved_areas(self.areas, by)
            ],
            mend=[layer.moved(by) for layer in self.mend],
        )

    def changed(self, changes: Sequence[Change]) -> "Treatment":
        """The treatment after changes of its document; what they do not touch is neither written out nor checked anew.

        Raises
        ------
        UnknownPlace
            If a change leads nowhere.
        InvalidTreatment
            If it has an unknown or out-of-range value then.
        """
        heads = {change.path[0] for change in changes}
        document = {name: getattr(self, name) for name in type(self).model_fields}
        for name in heads - {"areas"}:
            section = document.get(name)
            document[name] = section.model_dump(mode="json") if isinstance(section, BaseModel) else section
        if "areas" in heads:
            touched = {change.path[1] for change in changes if change.path[0] == "areas" and len(change.path) > 2}
            document["areas"] = [_opened(area, changes) if area.id in touched else area for area in self.areas]
        for name in heads & {"mend", "presets"}:
            document[name] = [one.model_dump(mode="json") for one in document[name]]
        document = changed(document, changes)
        if "areas" in heads and not isinstance(document.get("areas"), list):
            raise InvalidTreatment("has areas that are no list.")
        return parse_treatment(document)

    def section(self, step: Step[P]) -> P:
        """The parameters of a step."""
        return getattr(self, step.name)

    def without(self, *steps: str) -> "Treatment":
        """The treatment with steps switched off."""
        return self.with_sections(**{name: _OFF[name] for name in steps})

    def uncoloured(self) -> "Treatment":
        """The treatment without what is done to colours: what enters the Colour station, and all that comes after."""
        return self.without(*_OF_COLOUR)

    def up_to(self, step: Step[Any]) -> "Treatment":
        """The treatment without a step and all that act after it: what enters the step."""
        return self.without(*(later.name for later in STEPS[STEPS.index(step) :]))

    def uncropped(self) -> "Treatment":
        """The treatment with all that was recorded in view, to set the crop in it."""
        return self.with_sections(crop=CropParameters(ratio="free", corners=True))

    def started(self, values: Mapping[str, float]) -> "Treatment":
        """The treatment with values, by ``step.parameter``, in place of those that nobody has set."""
        changes: dict[str, dict[str, float]] = {}
        for path, value in values.items():
            step, name = path.split(".")
            parameters = getattr(self, step)
            if getattr(parameters, name) == type(parameters).model_fields[name].default:
                changes.setdefault(step, {})[name] = value
        return self.with_sections(**{step: getattr(self, step).model_copy(update=own) for step, own in changes.items()})

    @classmethod
    def neutral(cls) -> "Treatment":
        """The treatment that changes nothing."""
        return cls().without(*(step.name for step in STEPS))

    @property
    def takes_noise(self) -> bool:
        """Whether noise is taken out of the light, anywhere."""
        noise = self.section(NOISE)
        bent = any(area.on and any(path.startswith("noise.") for path in area.bends) for area in self.areas)
        return noise.on and (bent or noise.takes)

    def untreated(self) -> "Treatment":
        """The start to compare with: in the same frame, brightened as a camera would, and nothing else."""
        frame = {step.name: getattr(self, step.name) for step in STEPS if step.station == "geometry"}
        start = Treatment().without("noise", "placement", "tone", "ends")
        return start.with_sections(**frame)


def parse_treatment(document, path=None) -> Treatment:
    """Check a treatment document.

    Parameters
    ----------
    document : dict
    path : path-like, optional
        Named in the message.

    Raises
    ------
    InvalidTreatment
        Naming the first unknown or out-of-range value.
    """
    if not isinstance(document, dict):
        raise InvalidTreatment("is no treatment: it should be a JSON object.", path)
    try:
        return Treatment.model_validate(document)
    except ValidationError as fault:
        first = fault.errors()[0]
        where = ".".join(str(part) for part in first["loc"])[:120]
        if first["type"] == "extra_forbidden":
            text = f"has an unknown value “{where}”."
        else:
            text = f"has a value that cannot be used at “{where}”: {first['msg']} (it is {repr(first['input'])[:60]})."
        raise InvalidTreatment(text, path, "Correct it, or take it out for the default.") from None


def read_treatment(path: Path) -> Treatment:
    """Read a treatment from a JSON file.

    Raises
    ------
    InvalidTreatment
        If the file is missing, no JSON, or no valid treatment.
    """
    try:
        document = json.loads(Path(path).read_text("utf-8"))
    except OSError as fault:
        raise InvalidTreatment(f"cannot be read: {fault.strerror}.", path) from None
    except ValueError:
        raise InvalidTreatment("is no JSON.", path, "A treatment is a JSON document.") from None
    return parse_treatment(document, path)
