"""A scene in the workbench: treatment, undo, merge."""

import shutil
import time
from collections.abc import Callable
from functools import partial
from typing import Annotated, TypeVar

from fastapi import APIRouter, Depends, Query, Request, Response
from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.api.context import Settings, settings
from crenn.api.renderers import Renderers
from crenn.api.schemas import (
    AutomaticOut,
    FrameOut,
    JobOut,
    NoiseOut,
    PartPlace,
    PathId,
    SceneOut,
    StartOut,
    StoredState,
    TreatmentChange,
    TreatmentState,
)
from crenn.core.basis import Basis, basis_of
from crenn.core.errors import CrennError, Missing
from crenn.core.files import as_jpeg
from crenn.core.merge.instructions import Instructions
from crenn.core.noise.layers import NoiseLayers
from crenn.core.pipeline.scene import SceneLight
from crenn.core.render.excerpt import excerpt
from crenn.core.render.pyramid import PreparedScene, noise_folder, with_report
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import frame_tones
from crenn.core.report.merging import MergeReport
from crenn.core.starts.starts import start_values, starts_of
from crenn.core.treatment import STEPS, Treatment, automatic_values
from crenn.jobs.queue import add_job, cancel
from crenn.store import treatments
from crenn.store.library import prepared_name
from crenn.store.merging import Merging, note_merging
from crenn.store.models import Job, Revision, Scene

router = APIRouter(prefix="/api", tags=["scenes"])
T = TypeVar("T")


def _automatic(report: dict) -> AutomaticOut:
    """What the automatic parameters of a scene come to."""
    light = SceneLight.from_report(report)
    found = automatic_values(light)
    values = {name: start_values(light, name) for name in starts_of(light)}
    plain = Treatment()
    rest = {
        path: getattr(getattr(plain, path.split(".")[0]), path.split(".")[1]) for v in values.values() for path in v
    }
    of_colour = {step.name for step in STEPS if step.station == "colour"}
    starts = [
        StartOut(
            name=name,
            title=start.title,
            help=start.help,
            values=values[name],
            colours=[path for path in values[name] if path.split(".")[0] in of_colour],
            others={path: value for path, value in rest.items() if path not in values[name]},
        )
        for name, start in starts_of(light).items()
    ]
    return AutomaticOut(
        values={path: round(value, 2) for path, value in found.items()},
        starts=starts,
        idle=[step.name for step in STEPS if not step.belongs(light)],
        saturation=light.capture.saturation,
        luminance=light.luminance,
    )


def scene_of(session: Session, scene_id: int) -> Scene:
    """A scene of the library.

    Raises
    ------
    Missing
        If there is none of that number.
    """
    scene = session.get(Scene, scene_id)
    if scene is None:
        raise Missing("This scene is no longer in the library.")
    return scene


@router.get("/scenes/{scene_id}")
def scene(scene_id: PathId, config: Settings = Depends(settings)) -> SceneOut:
    """Everything the workbench needs of a scene."""
    with config.database.session() as session:
        found = scene_of(session, scene_id)
        can_undo, can_redo = treatments.steps_possible(session, found)
        report = found.report
        return SceneOut(
            id=found.id,
            shoot_id=found.shoot_id,
            title=found.title,
            ready=found.prepared is not None,
            fault=found.fault,
            prepared=found.prepared,
            width=report["width"] if report else None,
            height=report["height"] if report else None,
            frames=[FrameOut.model_validate(f) for f in found.frames],
            report=MergeReport.model_validate(report) if report else None,
            automatic=_automatic(report) if report else None,
            noise=_noise(config, found.prepared),
            instructions=_instructions(found),
            frame_tones=_tones(report),
            treatment=treatments.current_treatment(session, found),
            revision=treatments.current_revision(session, found).id,
            can_undo=can_undo,
            can_redo=can_redo,
        )


def _instructions(scene: Scene) -> Instructions:
    """How a scene is to be merged, with strokes and choices where they lie in what is shown of it now."""
    basis, maps = basis_of(scene.report)
    whole = None
    if basis is not None and scene.report is not None:
        *_, width, height = scene.report["capture"]["part"]
        whole = Basis(frame=basis.frame, size=[round(basis.size[0] / width), round(basis.size[1] / height)])
    return Instructions.model_validate(scene.instructions).in_basis(basis, maps, whole)


def _noise(config: Settings, prepared: str | None) -> NoiseOut | None:
    """What was split off a prepared scene."""
    layers = NoiseLayers.open(noise_folder(config.library.scene(prepared))) if prepared else None
    return None if layers is None else NoiseOut(gain_db=layers.gains_db[0][0])


def _tones(report: dict | None) -> dict[str, float]:
    """Tones of the source view by the frames' names."""
    if not report:
        return {}
    names = dict(zip(report["source_indices"], (f["name"] for f in report["frames"])))
    return {names[index]: tone for index, tone in frame_tones(report).items() if index in names}


def _state(session: Session, scene_id: int, revision: Revision, merging: bool) -> TreatmentState:
    scene = session.get_one(Scene, scene_id)
    can_undo, can_redo = treatments.steps_possible(session, scene)
    return TreatmentState(
        treatment=treatments.treatment_of(session, revision, scene),
        revision=revision.id,
        label=revision.label,
        can_undo=can_undo,
        can_redo=can_redo,
        merging=merging,
    )


@router.put("/scenes/{scene_id}/treatment")
def change(scene_id: PathId, body: TreatmentChange, config: Settings = Depends(settings)) -> StoredState:
    """Store a changed treatment."""
    with config.database.session() as session:
        change = body.document if body.document is not None else body.changes or ()
        revision = treatments.change_treatment(session, scene_id, change, body.parent, body.label)
        session.commit()
        scene = session.get_one(Scene, scene_id)
        can_undo, can_redo = treatments.steps_possible(session, scene)
        return StoredState(revision=revision.id, can_undo=can_undo, can_redo=can_redo)


def moved(config: Settings, scene_id: int, move: Callable[[Session, int], object]) -> TreatmentState:
    """Move a scene along its history, or to another take; where it stands then."""
    replaced = None
    with config.database.session() as session:
        before = Merging.of(scene_of(session, scene_id))
        move(session, scene_id)
        scene = scene_of(session, scene_id)
        merging = Merging.of(scene) != before
        if merging:
            replaced = _tell_of_light(session, scene, Instructions.model_validate(scene.instructions), config)
        session.commit()
        state = _state(session, scene_id, treatments.current_revision(session, scene), merging)
    _let_go(config, replaced)
    return state


def _let_go(config: Settings, replaced: str | None) -> None:
    """Take away a folder that was replaced: whoever has it open reads on from what is no longer named."""
    if replaced:
        shutil.rmtree(config.library.scene(replaced), ignore_errors=True)


@router.post("/scenes/{scene_id}/undo")
def undo(scene_id: PathId, config: Settings = Depends(settings)) -> TreatmentState:
    """Take the last change back."""
    return moved(config, scene_id, treatments.undo)


@router.post("/scenes/{scene_id}/redo")
def redo(scene_id: PathId, config: Settings = Depends(settings)) -> TreatmentState:
    """Make the change again that was taken back."""
    return moved(config, scene_id, treatments.redo)


def _job(config: Settings, job_id: int) -> JobOut:
    with config.database.session() as session:
        job = session.get(Job, job_id)
        if job is None:
            raise Missing("This job is no longer known.")
        return JobOut.model_validate(job)


@router.post("/scenes/{scene_id}/merge")
def merge(scene_id: PathId, config: Settings = Depends(settings)) -> JobOut:
    """Merge the scene's frames again."""
    with config.database.session() as session:
        if not any(f.included for f in scene_of(session, scene_id).frames):
            raise CrennError("All frames of this scene are left out.", remedy="Take at least one in again.")
        job = add_job(session, "merge", scene_id=scene_id)
        session.commit()
        return JobOut.model_validate(job)


@router.put("/scenes/{scene_id}/instructions")
def instruct(scene_id: PathId, body: Instructions, config: Settings = Depends(settings)) -> Instructions:
    """Store how the scene is to be merged. It holds from its next merge; what light there was, at once."""
    with config.database.session() as session:
        found = session.get(Scene, scene_id, with_for_update=True) or scene_of(session, scene_id)
        before = Merging.of(found)
        found.instructions = body.model_dump(mode="json")
        note_merging(session, found, before)
        replaced = _tell_of_light(session, found, body, config)
        session.commit()
        kept = _instructions(found)
    _let_go(config, replaced)
    return kept


def _tell_of_light(session, scene: Scene, body: Instructions, config: Settings) -> str | None:
    """Put a filter, and whether it was day, into the report of a merged scene; the folder that is replaced by that."""
    before, report = scene.prepared, scene.report
    capture = report.get("capture") if report else None
    if not before or not report or not capture:
        return None
    if (capture.get("filter_stops", 0.0), capture.get("day")) == (body.filter_stops, body.day):
        return None
    report = report | {"capture": capture | {"filter_stops": body.filter_stops, "day": body.day}}
    scene.prepared, scene.report = prepared_name(scene.id, time.time_ns()), report
    folder = config.library.scene(scene.prepared)
    with_report(config.library.scene(before), report, folder)
    if not noise_folder(folder).is_dir():
        add_job(session, "noise", scene.id)
    return before


def prepared_of(scene_id: int, config: Settings) -> PreparedScene:
    """The merged scene, opened."""
    with config.database.session() as session:
        found = scene_of(session, scene_id)
        if not found.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        return config.library.open_scene(found.prepared)


def on_renderer(request: Request, scene_id: int, work: Callable[[Renderer], T]) -> T:
    """Have something worked out about a merged scene, on a thread that renders."""
    config: Settings = request.app.state.settings
    renderers: Renderers = request.app.state.renderers
    with config.database.session() as session:
        found = scene_of(session, scene_id)
        if not found.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        prepared = found.prepared

    def begin() -> T:
        renderer = renderers.get(prepared)
        with renderer.cache.stoppable(lambda: False, partial(renderers.told, prepared)):
            return work(renderer)

    return renderers.submit(prepared, begin).result()


@router.get("/scenes/{scene_id}/part.jpg", response_class=Response, responses={200: {"content": {"image/jpeg": {}}}})
def part_of_picture(scene_id: PathId, place: Annotated[PartPlace, Query()], request: Request) -> Response:
    """A small picture of a part of the scene, as it is by itself."""
    box = place.x, place.y, place.width, place.height
    shown = on_renderer(request, scene_id, lambda renderer: as_jpeg(excerpt(renderer, box, place.side), 85))
    return Response(shown, media_type="image/jpeg")


@router.post("/jobs/{job_id}/cancel")
def cancel_job(job_id: PathId, config: Settings = Depends(settings)) -> JobOut:
    """Stop a job."""
    cancel(config.database, job_id)
    return _job(config, job_id)


@router.get("/jobs")
def jobs(config: Settings = Depends(settings)) -> list[JobOut]:
    """Jobs that wait or run, and the last that ended."""
    with config.database.session() as session:
        active = session.execute(select(Job).order_by(Job.id.desc()).limit(50)).scalars()
        return [JobOut.model_validate(j) for j in active]
