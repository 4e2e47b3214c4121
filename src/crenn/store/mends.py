"""Mends that go along to other scenes: what lies on the sensor lies on it in all of a shoot."""

import numpy as np
from sqlalchemy.orm import Session

from crenn.core.basis import PlaceMap, basis_of
from crenn.core.changes import APPEND, Change
from crenn.core.errors import Missing
from crenn.core.mend.patch import MendLayer
from crenn.store.models import Scene
from crenn.store.treatments import change_treatment, current_revision, current_treatment


def spread_layer(session: Session, scene_id: int, layer_id: str) -> list[Scene]:
    """Put a layer of a scene's mends into the shoot's other scenes of the same camera, where it lies on the sensor.

    What such a scene has of the layer already is replaced. Origins are found anew in each.

    Returns
    -------
    list of Scene
        Those that it was put into.

    Raises
    ------
    Missing
        If the scene or the layer is not there.
    """
    scene = session.get(Scene, scene_id)
    if scene is None:
        raise Missing("This scene is no longer in the library.")
    layer = next((one for one in current_treatment(session, scene).mend if one.id == layer_id), None)
    if layer is None:
        raise Missing("This layer of mends is no longer there.")
    out: list[Scene] = []
    for other, between in on_sensor(scene):
        report = other.report or {}
        moved = _on(layer, PlaceMap(np.linalg.inv(between.matrix)), (report["width"], report["height"]))
        if not moved.patches:
            continue
        treatment = current_treatment(session, other)
        gone = [Change(path=["mend", layer_id])] if any(one.id == layer_id for one in treatment.mend) else []
        put = Change(path=["mend", APPEND], value=moved.model_dump(mode="json"))
        change_treatment(
            session, other.id, [*gone, put], current_revision(session, other).id, f"{layer.name} of {scene.title}"
        )
        out.append(other)
    return out


def on_sensor(scene: Scene) -> list[tuple[Scene, PlaceMap]]:
    """The shoot's other merged scenes of the same camera, those nearest in time first, and where their places lie on
    this one by where they lie on the sensor."""
    own, _ = basis_of(scene.report)
    out = []
    for other in scene.shoot.scenes:
        basis, _ = basis_of(other.report)
        if other.id != scene.id and own is not None and basis is not None and _sensor(other) == _sensor(scene):
            out.append((other, PlaceMap(np.linalg.inv(own.to_frame) @ basis.to_frame)))
    return sorted(out, key=lambda one: abs(_taken(one[0]) - _taken(scene)))


def _taken(scene: Scene) -> float:
    """When a scene was taken, in s; 0 if that is not known."""
    times = [frame.taken.timestamp() for frame in scene.frames if frame.taken is not None]
    return min(times, default=0.0)


def _sensor(scene: Scene) -> set[tuple[str, int, int]]:
    """The camera and the size of its frames, that a scene was recorded by."""
    return {(frame.camera, frame.width, frame.height) for frame in scene.frames}


def _on(layer: MendLayer, by: PlaceMap, size: tuple[int, int]) -> MendLayer:
    """A layer where a map takes it, with the patches that lie in a scene of size (W, H), to be found anew."""
    unit = max(size)
    patches = [patch.moved(by).changed(origin=None, attempt=0, within=None) for patch in layer.patches]
    inside = [p for p in patches if all(0 <= v < n / unit for v, n in zip(p.places().mean(0), size, strict=True))]
    return layer.changed(patches=inside)
