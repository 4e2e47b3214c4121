"""Order in the library: names, what was chosen, the bin, shoots put together, and contact sheets as files."""

import tempfile
from pathlib import Path
from typing import Literal

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, Response, StreamingResponse
from sqlalchemy import update

from crenn.api.context import Settings, settings
from crenn.api.library import summary
from crenn.api.scenes import on_renderer, scene_of
from crenn.api.schemas import PathId, SceneChange, SceneSummary, ShootChange
from crenn.api.sending import sent_as
from crenn.core.deliver.naming import named
from crenn.core.deliver.sheet import Cell, write_sheet
from crenn.core.errors import CrennError, Missing
from crenn.core.render.excerpt import sheet_picture
from crenn.store.models import Job, Scene, Shoot
from crenn.store.parcel import ENDING, parcelled
from crenn.store.treatments import current_treatment, locked

router = APIRouter(prefix="/api", tags=["library"])


@router.patch("/scenes/{scene_id}")
def change_scene(scene_id: PathId, body: SceneChange, config: Settings = Depends(settings)) -> SceneSummary:
    """Rename a scene, mark it as chosen or as a key of its series, or put it into the bin, where nothing of it is lost,
    or back."""
    with config.database.session() as session:
        scene = locked(session, scene_id)
        for name, value in body.model_dump(exclude_none=True).items():
            setattr(scene, name, value)
        session.commit()
        return summary(scene)


@router.patch("/shoots/{shoot_id}")
def change_shoot(shoot_id: PathId, body: ShootChange, config: Settings = Depends(settings)) -> None:
    """Rename a shoot."""
    with config.database.session() as session:
        _shoot(session, shoot_id).name = body.name
        session.commit()


@router.post("/shoots/{shoot_id}/into/{other_id}")
def put_together(shoot_id: PathId, other_id: PathId, config: Settings = Depends(settings)) -> None:
    """Put all scenes of a shoot into another; one left empty is gone."""
    with config.database.session() as session:
        shoot, other = _shoot(session, shoot_id), _shoot(session, other_id)
        if shoot is other:
            raise CrennError("This is the shoot itself.", remedy="Choose another one.")
        for scene in list(shoot.scenes):
            scene.shoot = other
        for refusal in list(shoot.refusals):
            refusal.shoot_id = other_id
        session.execute(update(Job).where(Job.shoot_id == shoot_id).values(shoot_id=other_id))
        session.flush()
        session.expire(shoot)
        session.delete(shoot)
        session.commit()


def _shoot(session, shoot_id: int) -> Shoot:
    found = session.get(Shoot, shoot_id)
    if found is None:
        raise Missing("This shoot is no longer in the library.")
    return found


@router.get("/shoots/{shoot_id}/sheet.{file_format}", response_class=Response)
def contact_sheet(
    shoot_id: PathId,
    file_format: Literal["pdf", "jpg"],
    request: Request,
    facts: bool = True,
    config: Settings = Depends(settings),
) -> Response:
    """The contact sheet of a shoot as a file; what lies in the bin is not on it."""
    with config.database.session() as session:
        shoot = _shoot(session, shoot_id)
        heading = shoot.name
        shown = [scene for scene in shoot.scenes if scene.frames and not scene.binned]
        facts_of = [(scene.id, scene.prepared, scene.title, _facts(scene) if facts else ()) for scene in shown]
        first = {scene.id: config.library.frame_picture(scene.frames[0].content_hash) for scene in shown}
    cells = [
        Cell(scene_picture_of(request, number) if prepared else first[number], title, told)
        for number, prepared, title, told in facts_of
    ]
    name = named("{title}", {"title": heading}, file_format)
    with tempfile.TemporaryDirectory(dir=config.library.incoming("")) as folder:
        path = Path(folder) / name
        write_sheet(path, heading, cells, file_format)
        return sent_as(name, path.read_bytes())


@router.get("/scenes/{scene_id}/scene.crenn", response_class=StreamingResponse)
def export_scene(scene_id: PathId, config: Settings = Depends(settings)) -> Response:
    """The whole scene as one file: frames, instructions, takes with their history, and marks."""
    with config.database.session() as session:
        scene = session.get(Scene, scene_id)
        if scene is None or not scene.frames:
            raise Missing("This scene is no longer in the library.")
        name = named("{title}", {"title": scene.title}, ENDING.lstrip("."))
        return sent_as(name, parcelled(session, scene, config.library))


@router.get("/scenes/{scene_id}/picture.jpg", response_class=FileResponse)
def scene_picture(scene_id: PathId, request: Request) -> FileResponse:
    """A scene's small picture, as it is treated now."""
    path = scene_picture_of(request, scene_id)
    return FileResponse(path, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000"})


def scene_picture_of(request: Request, scene_id: int) -> Path:
    """A scene's small picture; made anew if it was treated otherwise since.

    Raises
    ------
    Missing
        If it has not been merged yet.
    """
    config: Settings = request.app.state.settings
    with config.database.session() as session:
        scene = scene_of(session, scene_id)
        if not scene.prepared:
            raise Missing("This scene has no picture yet.")
        prepared, revision = scene.prepared, scene.take.revision_id or 0
        path = config.library.scene_picture(prepared, revision)
        if path.exists():
            return path
        treatment = current_treatment(session, scene)
    codes = on_renderer(request, scene_id, lambda renderer: sheet_picture(renderer, treatment))
    return config.library.keep_scene_picture(prepared, revision, codes)


def _facts(scene: Scene) -> list[str]:
    """What a scene's frames tell, for a contact sheet."""
    lights = [f for f in scene.frames if f.kind == "light"] or scene.frames
    times = sorted({f.seconds for f in lights if f.seconds})
    told = [f"{len(lights)} × {lights[0].camera}"]
    if times:
        span = [f"1/{1 / t:.0f} s" if t < 0.3 else f"{round(t, 1):g} s" for t in (times[0], times[-1])]
        told.append(" to ".join(dict.fromkeys(span)) + f", ISO {lights[0].iso:.0f}")
    taken = next((f.taken for f in lights if f.taken), None)
    if taken is not None:
        told.append(taken.strftime("%Y-%m-%d %H:%M"))
    return told
