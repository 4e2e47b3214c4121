"""Treatments between key scenes of a series: what was set by hand at some is gone through at all others.

Automatic values follow the light, smoothed over time. Whatever else is a number, of steps, areas and their places, runs
from key to key on a monotone curve (Fritsch and Butland 1984); choices, switches and mends stay what the last key has.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np
from scipy.interpolate import PchipInterpolator

from crenn.core.pipeline.step import about_parameter
from crenn.core.series.light import smoothed
from crenn.core.treatment import STEPS, Treatment, parse_treatment

#: Steps whose automatic values belong to a scene's own pixels, and not to its light.
_OWN = ("sharpening", "perspective", "lens")
#: Automatic values are smoothed by a quarter of the scenes to either side, and so many at most.
_SLOW, _SLOWER = 4, 15
#: An area less opaque than this, in %, does nothing.
_NOTHING = 0.5
#: Numbers by these names go round; they are taken along the shorter way.
_ROUND = ("hue",)
#: Where a number stands in a document: by keys, and by places in lists of a length.
Path = tuple[str | tuple[int, int], ...]
_STEPS = {step.name: step for step in STEPS}


def automatic_over_time(
    automatic: Sequence[Mapping[str, float]],
    times: np.ndarray,
    saturations: Sequence[float | None],
    flicker: np.ndarray,
) -> list[dict[str, float]]:
    """Automatic values of a series that follow its light without flicker.

    Parameters
    ----------
    automatic : sequence of mapping
        Values of each scene by ``step.parameter``; see `crenn.core.treatment.automatic_values`.
    times : ndarray (N,)
    saturations : sequence of float or None
        See `crenn.core.series.light.light_curve`.
    flicker : ndarray (N,)
        EV by which each scene is too bright.

    Returns
    -------
    list of dict
        Temperatures are smoothed as reciprocals, exposure as what it makes of light, whatever the camera was set to.
    """
    names = sorted(set.intersection(*({*values} for values in automatic)))
    told = [s for s in saturations if s is not None]
    levels = np.log2(told) if len(told) == len(automatic) else np.zeros(len(automatic))
    slow = min(len(automatic) // _SLOW, _SLOWER)
    out: list[dict[str, float]] = [{} for _ in automatic]
    for name in names:
        if name.split(".")[0] in _OWN:
            continue
        values = np.array([one[name] for one in automatic], np.float64)
        if name == "exposure.ev":
            # It follows what flickers, too: that is put back before.
            values = smoothed(values - levels + flicker, times, slow) + levels - flicker
        elif name.endswith("temperature"):
            values = 1e6 / smoothed(1e6 / values, times, slow)
        else:
            values = smoothed(values, times, slow)
        for one, value in zip(out, values):
            one[name] = float(value)
    return out


def treatments_between(
    keys: Mapping[int, Treatment], automatic: Sequence[Mapping[str, float]], times: Sequence[float]
) -> list[Treatment]:
    """The treatment of each scene of a series.

    Parameters
    ----------
    keys : mapping of int to Treatment
        By the place of their scenes in the series; one at least.
    automatic : sequence of mapping
        See `automatic_over_time`.
    times : sequence of float
        Of each scene, rising.

    Returns
    -------
    list of Treatment
        Without a basis: places are those of each scene.
    """
    places = sorted(keys)
    documents = _with_all_areas([_resolved(keys[place], automatic[place]) for place in places])
    numbers = [dict(_numbers(document)) for document in documents]
    common = [path for path in numbers[0] if all(path in one for one in numbers)]
    known = np.array([[one[path] for path in common] for one in numbers], np.float64)
    for column, path in enumerate(common):
        if path[-1] in _ROUND:
            known[:, column] = np.unwrap(known[:, column], period=360)
    # What follows the light does so between keys too, with what was changed at them by hand.
    following: dict[Path, str] = {("steps", *name.split(".")): name for name in automatic[0]}
    for column, path in enumerate(common):
        if path in following:
            here = [automatic[place][following[path]] for place in places]
            known[:, column] = _scaled(path, known[:, column]) - _scaled(path, np.array(here))
    at = np.array([times[place] for place in places], np.float64)
    inside = np.clip(np.asarray(times, np.float64), at[0], at[-1])
    values = PchipInterpolator(at, known)(inside) if len(places) > 1 else np.repeat(known, len(times), 0)
    out = []
    for index, row in enumerate(values):
        last = max((i for i, place in enumerate(places) if place <= index), default=0)
        document = _copied(documents[last])
        for path, value in zip(common, row):
            if (name := following.get(path)) is not None:
                own = _scaled(path, np.array(automatic[index][name]))
                value = _within(name, float(_scaled(path, own + value)))
            elif path[-1] in _ROUND:
                value %= 360
            _put(document, path, float(value))
        out.append(_treatment(document))
    return out


def _resolved(treatment: Treatment, automatic: Mapping[str, float]) -> dict[str, Any]:
    """A treatment as a document whose areas and steps stand apart, with automatic values filled in."""
    document = treatment.model_dump(mode="json", exclude={"basis"})
    steps = {step.name: document.pop(step.name) for step in STEPS}
    for name, value in automatic.items():
        step, parameter = name.split(".")
        if steps[step][parameter] is None:
            steps[step][parameter] = value
    areas: dict[str, Any] = {}
    for area in document.pop("areas"):
        key = _known_by(area)
        number = 2
        while key in areas:
            key, number = f"{_known_by(area)} {number}", number + 1
        areas[key] = area
    return {"steps": steps, "areas": areas, "rest": document}


def _known_by(area: Mapping[str, Any]) -> str:
    """What areas of two treatments are the same by: name and kinds of parts."""
    return " ".join([area["name"], *(part["kind"] for part in area["parts"])])


def _with_all_areas(documents: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """All have the areas that any has: where one is not there, it is as the nearest key has it, and not opaque."""
    for name in {name for one in documents for name in one["areas"]}:
        having = [i for i, one in enumerate(documents) if name in one["areas"]]
        for i, one in enumerate(documents):
            if i not in having:
                nearest = min(having, key=lambda j, i=i: abs(j - i))  # type: ignore[misc]
                one["areas"][name] = _copied(documents[nearest]["areas"][name]) | {"opacity": 0.0}
    return list(documents)


def _numbers(value: Any, path: Path = ()) -> Iterator[tuple[Path, float]]:
    """All that can be gone through in a document, and where it stands; mends and what was put on are left out."""
    if path[:1] == ("rest",):
        return
    if isinstance(value, float):
        yield path, value
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _numbers(item, (*path, key))
    elif isinstance(value, list):
        # Lists of another length are something else.
        for index, item in enumerate(value):
            yield from _numbers(item, (*path, (index, len(value))))


def _put(document: Any, path: Path, value: float) -> None:
    """Put a number where it stands; see `_numbers`."""
    *above, last = (key[0] if isinstance(key, tuple) else key for key in path)
    for key in above:
        document = document[key]
    document[last] = value


def _copied(value: Any) -> Any:
    """Dictionaries and lists anew."""
    if isinstance(value, dict):
        return {key: _copied(item) for key, item in value.items()}
    return [_copied(item) for item in value] if isinstance(value, list) else value


def _scaled(path: Path, values: np.ndarray) -> np.ndarray:
    """Temperatures are even to the eye in their reciprocal; back from there it is the same."""
    return 1e6 / values if path[-1] == "temperature" else values


def _within(name: str, value: float) -> float:
    """A value as far as its dial goes."""
    step, parameter = name.split(".")
    about = about_parameter(_STEPS[step].parameters, parameter)
    return float(min(max(value, about["low"]), about["high"]))


def _treatment(document: dict[str, Any]) -> Treatment:
    areas = [area for area in document["areas"].values() if area["opacity"] >= _NOTHING]
    return parse_treatment(document["rest"] | document["steps"] | {"areas": areas})
