"""Presets: values of steps, and areas, put on a scene by a strength; several, each to be taken off again.

A number goes from what it was towards the preset's by the strength, beyond it up to 150 %; what is no number is taken
from half of it on. What a preset does not name stays as it is, automatic values automatic.
"""

from collections.abc import Mapping, Sequence
from typing import Any, Literal, TypeGuard

from pydantic import BaseModel, Field, ValidationError, field_validator, model_validator

from crenn.core.applied import AppliedPreset, AppliedValue
from crenn.core.area_presets import AreasDocument, adapted
from crenn.core.areas.area import MOST_AREAS, Area
from crenn.core.areas.part import with_ids
from crenn.core.document import Document, wrong_value
from crenn.core.errors import CrennError, Missing
from crenn.core.treatment import MOST_PRESETS, STEPS, Treatment, checked_areas, parse_treatment

_STEPS = {step.name: step for step in STEPS}
#: From this strength on, in %, what is no number is taken; two numbers nearer than this are the same.
_HALF, _NEAR = 50.0, 1e-6


class Preset(Document):
    """Values of steps, and areas, under a name."""

    format: Literal["crenn-preset"] = "crenn-preset"
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]+$")
    about: str = Field("", max_length=200, description="what it does, in a line")
    steps: dict[str, dict[str, Any]] = Field(default_factory=dict, description="values, by step and parameter")
    scene: tuple[float, float] = Field(
        (1.0, 2 / 3), description="width and height of the scene that its areas were made for, in shares of the longer"
    )
    areas: list[Area] = Field(default_factory=list, max_length=MOST_AREAS)

    @field_validator("steps")
    @classmethod
    def _can_be(cls, steps: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
        for name, values in steps.items():
            step = _STEPS.get(name)
            if step is None:
                raise ValueError(f"there is no step “{name}”")
            step.parameters.model_validate(values)
        return steps

    @model_validator(mode="after")
    def _has_something(self) -> "Preset":
        if not self.areas and not any(self.steps.values()):
            raise ValueError("it holds nothing")
        checked_areas(self.areas)
        return self


def read_preset(document: object) -> Preset:
    """Check a document of a preset.

    Raises
    ------
    CrennError
        Naming the first unknown or out-of-range value.
    """
    if not isinstance(document, dict) or document.get("format") != "crenn-preset":
        raise CrennError("This is no preset.", remedy="Choose a file that was exported as one.")
    try:
        return Preset.model_validate(document)
    except ValidationError as fault:
        where, why = wrong_value(fault)
        raise CrennError(
            f"This preset cannot be used: “{where}”: {why}.", remedy="Correct it, or export it again."
        ) from None


def preset_of(
    treatment: Treatment, name: str, steps: Sequence[str], areas: Sequence[str], scene: tuple[float, float]
) -> Preset:
    """A preset of what of some steps of a treatment departs from the default, and of some of its areas.

    Parameters
    ----------
    treatment : Treatment
    name : str
    steps, areas : sequence of str
        Names of steps, and ids of areas.
    scene : tuple of float
        Width and height of the scene, in shares of its longer side.

    Raises
    ------
    CrennError
        If nothing of it departs, or a step is unknown.
    """
    plain, values = Treatment().model_dump(mode="json"), treatment.model_dump(mode="json")
    if unknown := set(steps) - _STEPS.keys():
        raise CrennError(f"There is no step “{min(unknown)}”.")
    kept = {step: {key: value for key, value in values[step].items() if value != plain[step][key]} for step in steps}
    found = [area.model_dump(mode="json") for area in treatment.areas if area.id in areas]
    kept = {step: own for step, own in kept.items() if own}
    if not kept and not found:
        raise CrennError("Nothing of this was changed.", remedy="Choose steps that were.")
    return read_preset({"format": "crenn-preset", "name": name, "steps": kept, "scene": scene, "areas": found})


def put_on(
    treatment: Treatment,
    preset: Preset,
    strength: float = 100.0,
    automatic: Mapping[str, float] | None = None,
    scene: tuple[float, float] | None = None,
) -> Treatment:
    """A treatment with a preset put on.

    Parameters
    ----------
    treatment : Treatment
    preset : Preset
    strength : float
        0 to 150, in %.
    automatic : mapping of str to float
        What automatic values come to, by ``step.parameter``: numbers go from there.
    scene : tuple of float
        Width and height of the scene, in shares of its longer side.

    Raises
    ------
    CrennError
        If there are too many presets or areas.
    """
    if len(treatment.presets) >= MOST_PRESETS:
        raise CrennError(f"There are {MOST_PRESETS} presets on this picture.", remedy="Take some off first.")
    automatic, values = automatic or {}, []
    for name, own in preset.steps.items():
        section = treatment.section(_STEPS[name])
        full = _STEPS[name].parameters.model_validate(own)
        wanted = {key: getattr(full, key) for key in own}
        if not section.on:
            # A step that is switched off is switched on for what it brings.
            wanted = {"on": True} | wanted
        for key, value in wanted.items():
            before = getattr(section, key)
            if _as_json(before) == _as_json(value):
                continue
            start = automatic.get(f"{name}.{key}") if before is None else before
            number = float(start) if _is_number(start) and _is_number(value) else None
            values.append(
                AppliedValue(
                    path=[name, key],
                    before=_as_json(before),
                    start=number,
                    full=_as_json(value),
                )
            )
    taken = {one.id for one in treatment.presets}
    key = next(f"p{n}" for n in range(1, len(taken) + 2) if f"p{n}" not in taken)
    areas = [area.changed(opacity=_shown(strength)) for area in _brought(treatment, preset, scene)]
    applied = AppliedPreset(
        id=key, name=preset.name, strength=strength, values=values, areas=[area.id for area in areas]
    )
    with_them = treatment.with_sections(areas=checked_areas([*treatment.areas, *areas]))
    return _with(with_them, [*treatment.presets, applied])


def strengthened(treatment: Treatment, key: str, strength: float) -> Treatment:
    """A treatment with one of its presets at another strength, 0 to 150 %.

    What has been moved by hand since keeps that move; areas show as far as the strength says.

    Raises
    ------
    Missing
        If there is no preset of that id.
    """
    found = _found(treatment, key)
    now = _with(
        treatment,
        [one if one is not found else found.model_copy(update={"strength": strength}) for one in treatment.presets],
    )
    areas = [area.changed(opacity=_shown(strength)) if area.id in found.areas else area for area in now.areas]
    return now.with_sections(areas=areas)


def taken_off(treatment: Treatment, key: str) -> Treatment:
    """A treatment without one of its presets: what it set is as it was, its areas are gone.

    Raises
    ------
    Missing
        If there is no preset of that id.
    """
    found = _found(treatment, key)
    off = _with(treatment, [one for one in treatment.presets if one is not found])
    return off.with_sections(areas=[area for area in off.areas if area.id not in found.areas])


def _found(treatment: Treatment, key: str) -> AppliedPreset:
    found = next((one for one in treatment.presets if one.id == key), None)
    if found is None:
        raise Missing("This preset is no longer on the picture.")
    return found


def _shown(strength: float) -> float:
    """Opacity of a preset's areas."""
    return float(min(100.0, strength))


def _with(treatment: Treatment, presets: list[AppliedPreset]) -> Treatment:
    """A treatment with other presets on it than it has: what they all come to, and what was moved by hand besides."""
    before, after = _by_path(treatment.presets), _by_path(presets)
    # What the first preset of a value found is handed on to the one that is the first by now.
    for path, layers in after.items():
        if path in before:
            first, (strength, own) = before[path][0][1], layers[0]
            layers[0] = strength, own.model_copy(update={"before": first.before, "start": first.start})
    changes: dict[str, dict[str, Any]] = {}
    for path in before | after:
        step, name = path
        if step not in _STEPS or name not in _STEPS[step].parameters.model_fields:
            continue
        now = _as_json(getattr(treatment.section(_STEPS[step]), name))
        was = _come_to(path, before.get(path, []), now)
        bare = before[path][0][1].before if path in before else now
        will = _come_to(path, after.get(path, []), bare)
        changes.setdefault(step, {})[name] = _moved_on(path, now, was, will)
    sections = {
        step: _STEPS[step].parameters.model_validate(_as_json(treatment.section(_STEPS[step])) | own)
        for step, own in changes.items()
    }
    handed = {
        (one.id, path): layers[0][1]
        for path, layers in after.items()
        for one in presets
        if _is_first(one, path, presets)
    }
    told = [
        one.model_copy(update={"values": [handed.get((one.id, (v.path[0], v.path[1])), v) for v in one.values]})
        for one in presets
    ]
    return treatment.with_sections(**sections, presets=told)


def _by_path(presets: Sequence[AppliedPreset]) -> dict[tuple[str, str], list[tuple[float, AppliedValue]]]:
    """What presets set, by step and parameter, each with its strength, in their order."""
    out: dict[tuple[str, str], list[tuple[float, AppliedValue]]] = {}
    for one in presets:
        for value in one.values:
            out.setdefault((value.path[0], value.path[1]), []).append((one.strength, value))
    return out


def _is_first(one: AppliedPreset, path: tuple[str, str], presets: Sequence[AppliedPreset]) -> bool:
    """Whether a preset is the first that sets a value."""
    return next((p.id for p in presets if any(tuple(v.path) == path for v in p.values)), None) == one.id


def _come_to(path: tuple[str, str], layers: list[tuple[float, AppliedValue]], bare: Any) -> Any:
    """What a value comes to by presets, one over the other: each draws it towards its own by its strength."""
    if not layers or all(strength == 0 for strength, _ in layers):
        return bare if not layers else layers[0][1].before
    at: Any = layers[0][1].before
    if layers[0][1].start is not None:
        at = layers[0][1].start
    for strength, value in layers:
        if _is_number(at) and _is_number(value.full):
            at = at + strength / 100 * (value.full - at)
        elif strength >= _HALF:
            at = value.full
    return _held(*path, at) if _is_number(at) else at


def _moved_on(path: tuple[str, str], now: Any, was: Any, will: Any) -> Any:
    """What a value becomes that presets had made one thing, and will make another; moves by hand are kept."""
    if now == was or (_is_number(now) and _is_number(was) and abs(now - was) <= _tolerance(*path)):
        return will
    if _is_number(now) and _is_number(was) and _is_number(will):
        return _held(*path, now + will - was)
    return now


def _about(step: str, name: str) -> Mapping[str, Any]:
    extra = _STEPS[step].parameters.model_fields[name].json_schema_extra
    return extra if isinstance(extra, dict) else {}


def _tolerance(step: str, name: str) -> float:
    return float(_about(step, name).get("step", 0.0)) * 0.51 + _NEAR


def _held(step: str, name: str, value: float) -> float:
    """A number within what its dial can be."""
    about = _about(step, name)
    low, high = about.get("low"), about.get("high")
    value = value if low is None or high is None else min(max(value, low), high)
    return round(value, 4)


def _is_number(value: Any) -> TypeGuard[float]:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _as_json(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if isinstance(value, list):
        return [_as_json(one) for one in value]
    return value


def _brought(treatment: Treatment, preset: Preset, scene: tuple[float, float] | None) -> list[Area]:
    """The areas of a preset for a scene of other sides, with ids that none has."""
    if not preset.areas:
        return []
    if len(treatment.areas) + len(preset.areas) > MOST_AREAS:
        raise CrennError(f"A picture has {MOST_AREAS} areas at most.", remedy="Take some away first.")
    areas = preset.areas
    if scene is not None:
        areas = adapted(AreasDocument(scene=preset.scene, areas=areas), scene)
    fresh = with_ids([*treatment.areas, *(area.changed(id="") for area in areas)], "a")
    return fresh[len(treatment.areas) :]


def on_top(treatment: Treatment, presets: Sequence[tuple[Preset, float]], **about: Any) -> Treatment:
    """A treatment with presets put on, one after the other, each by a strength in %; see `put_on`."""
    for preset, strength in presets:
        treatment = put_on(treatment, preset, strength, **about)
    return parse_treatment(treatment.model_dump(mode="json"))


#: What ships: a line of what it does, and the values of its steps.
_SHIPPED: dict[str, tuple[str, dict[str, dict[str, Any]]]] = {
    "Lift the dark gently": (
        "Shadows two thirds of a stop up, the ends softer.",
        {"placement": {"midtones": 0.35}, "tone": {"toe": 25.0}, "relief": {"medium": 1.08}},
    ),
    "Hold the lamps": (
        "Bright light held back, and its colour kept.",
        {"placement": {"balance": -0.6}, "tone": {"shoulder": 35.0}, "ends": {"colour": 80.0}},
    ),
    "Deep night": (
        "Darker and firmer: what is dark stays so.",
        {"placement": {"midtones": -0.5}, "tone": {"darks": 1.25}, "saturation": {"saturation": 1.08}},
    ),
    "Clear air": (
        "Haze cut, distance with more drawing.",
        {"haze": {"amount": 35.0}, "relief": {"medium": 1.2, "colour": 1.15}},
    ),
    "Harbour mist": (
        "Mist along the sky and over water, lamps that spill.",
        {"mist": {"amount": 45.0}, "glow": {"amount": 25.0, "threshold": -0.5}, "tone": {"toe": 20.0}},
    ),
    "Glowing windows": (
        "Bright light spills over in its own colour.",
        {"glow": {"amount": 45.0, "size": 0.5, "threshold": -1.0, "colour": 120.0}},
    ),
    "Crisp stone": (
        "Texture of walls and ground stands out, sky left alone.",
        {"relief": {"fine": 1.35, "medium": 1.25}, "sharpness": {"amount": 70.0, "radius": 1.2, "smooth": 75.0}},
    ),
    "Calm colours": (
        "Colours nearer to each other, the strongest most.",
        {"saturation": {"saturation": 0.82, "vibrance": 12.0}, "relief": {"colour": 0.9}},
    ),
    "Strong colours": (
        "Weak colours up more than strong ones, kept off noise.",
        {"saturation": {"vibrance": 45.0, "saturation": 1.05}, "relief": {"colour": 1.2}},
    ),
    "Silver night": (
        "Without colour, lamps bright and skies deep.",
        {
            "monochrome": {"amount": 100.0, "orange": 0.4, "yellow": 0.3, "blue": -0.6},
            "tone": {"contrast": 1.12},
            "grain": {"amount": 18.0},
        },
    ),
    "Field of stars": (
        "Bright stars larger in their colours, the sky between darker.",
        {"star_glow": {"amount": 45.0, "between": 0.15}, "saturation": {"vibrance": 20.0}},
    ),
    "Soft dusk": (
        "A soft picture laid over the sharp one, low contrast.",
        {"soft": {"amount": 35.0, "size": 0.6}, "tone": {"toe": 30.0, "shoulder": 30.0}, "grain": {"amount": 10.0}},
    ),
    "For a matt print": (
        "Sharper and a little lighter, as ink and paper take some of both.",
        {"sharpness": {"amount": 90.0, "made_for": "matt"}, "placement": {"midtones": 0.2}, "tone": {"toe": 15.0}},
    ),
}


def shipped() -> list[Preset]:
    """The presets that ship."""
    return [Preset(name=name, about=about, steps=steps) for name, (about, steps) in _SHIPPED.items()]
