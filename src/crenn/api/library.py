"""Bringing frames in, and the contact sheet."""

import errno
import secrets
import shutil
from pathlib import Path
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends, Query, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse

from crenn.api.context import MAX_UPLOAD_FILES, Settings, allowed_folder, is_below, settings
from crenn.api.schemas import (
    CameraIn,
    CameraScene,
    FolderIn,
    FolderOut,
    FrameChange,
    FrameOut,
    FramesIn,
    JobOut,
    MoveIn,
    PathId,
    RefusalOut,
    SceneSummary,
    ShootOut,
)
from crenn.camera.dawn import check_dawn
from crenn.camera.scenes import SCENES
from crenn.camera.shoot import Bracket, scene_named
from crenn.core.errors import CrennError, DiskFull, Missing
from crenn.core.frames.metadata import plain_text
from crenn.core.frames.read import FRAME_ENDINGS
from crenn.core.merge.instructions import Words
from crenn.jobs.queue import add_job
from crenn.store.finding import FoundShoot, Sought, find_scenes, scenes_of
from crenn.store.merging import Merging, note_merging
from crenn.store.models import Frame, Refusal, Scene, Shoot
from crenn.store.treatments import start_treatment

router = APIRouter(prefix="/api", tags=["library"])
_CHUNK = 2**20
#: Bytes of a sent file's name that are kept.
_LONGEST_NAME = 180


def picture_version(scene: Scene) -> str | None:
    """What changes when a scene's small picture does; None if there is none yet."""
    return f"{scene.prepared}-{scene.take.revision_id}" if scene.prepared and scene.take else None


def summary(scene: Scene) -> SceneSummary:
    """A scene as the contact sheet shows it."""
    return SceneSummary(
        id=scene.id,
        title=scene.title,
        ready=scene.prepared is not None,
        fault=scene.fault,
        picture_version=picture_version(scene),
        frames=[FrameOut.model_validate(f) for f in scene.frames],
        low_stop=scene.low_stop,
        high_stop=scene.high_stop,
        stops_covered=scene.stops_covered,
        choice=scene.choice,
        binned=scene.binned,
    )


def _shoot_out(found: FoundShoot) -> ShootOut:
    return ShootOut(
        id=found.shoot.id,
        name=found.shoot.name,
        created=found.shoot.created,
        count=found.count,
        scenes=[summary(scene) for scene in found.scenes],
        refusals=[RefusalOut.model_validate(r) for r in found.shoot.refusals],
    )


@router.get("/shoots")
def shoots(
    request: Request,
    response: Response,
    words: Annotated[str, Query(max_length=300)] = "",
    choice: Annotated[int, Query(ge=0, le=3)] = 0,
    binned: bool | None = None,
    start: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    most: Annotated[int, Query(ge=1, le=1000)] = 200,
    config: Settings = Depends(settings),
) -> list[ShootOut]:
    """Shoots, the newest first, with those of their scenes that are sought, so many a page.

    Where there are more, the header ``Link`` tells the next page (RFC 8288).
    """
    with config.database.session() as session:
        found, after = find_scenes(session, Sought(words.replace("\0", ""), choice, binned), start, most)
        if after is not None:
            there = request.url.include_query_params(start=after)
            response.headers["Link"] = f'<{there.path}?{there.query}>; rel="next"'
        return [_shoot_out(one) for one in found]


@router.get("/shoots/{shoot_id}")
def shoot(shoot_id: PathId, config: Settings = Depends(settings)) -> ShootOut:
    """One shoot with all its scenes, those in the bin as well."""
    with config.database.session() as session:
        found = scenes_of(session, shoot_id)
        if found is None:
            raise Missing("This shoot is no longer in the library.")
        return _shoot_out(found)


def _start_import(config: Settings, name: str, files: list[Path], upload: str | None = None) -> JobOut:
    with config.database.session() as session:
        shoot = Shoot(name=plain_text(name, 200) or "Upload")
        session.add(shoot)
        session.flush()
        readable = []
        for path in files:
            told = str(path.relative_to(config.library.incoming(upload)) if upload else path)
            if _is_text(told):
                readable.append(told)
            else:
                session.add(
                    Refusal(
                        shoot_id=shoot.id,
                        name=plain_text(path.name, 300),
                        reason="Its name is not valid text (UTF-8). Give it another name.",
                    )
                )
        job = add_job(session, "import", shoot_id=shoot.id, options={"files": readable, "upload": upload})
        session.commit()
        return JobOut.model_validate(job)


def _is_text(name: str) -> bool:
    """Whether a name on disk is text at all, rather than bytes of another encoding."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def _file_name(sent: str | None) -> str:
    """A name for a file sent by a client: the last part of what it says, short enough for any disk."""
    stem, dot, ending = (sent or "").replace("\\", "/").rsplit("/", 1)[-1].rpartition(".")
    stem, ending = (stem, f".{plain_text(ending)}"[:12]) if dot else (ending, "")
    stem = plain_text(stem).strip(". ")
    return stem.encode()[:_LONGEST_NAME].decode("utf-8", "ignore") + ending if stem else f"frame{ending}"


@router.post("/uploads")
async def upload(files: list[UploadFile], config: Settings = Depends(settings)) -> JobOut:
    """Bring in frames sent by the browser."""
    if len(files) > MAX_UPLOAD_FILES:
        raise CrennError(f"{len(files)} files are too many at once;", remedy=f"send up to {MAX_UPLOAD_FILES}.")
    name = secrets.token_hex(8)
    folder = config.library.incoming(name)
    try:
        kept = await run_in_threadpool(_keep, files, folder)
        first = kept[0].stem.rstrip("0123456789-_ ")
        return await run_in_threadpool(_start_import, config, first, kept, name)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise


def _keep(files: list[UploadFile], folder: Path) -> list[Path]:
    """Copy sent files into a folder, each into one of its own: names may be alike."""
    kept = []
    for number, item in enumerate(files):
        path = folder / f"{number:03}" / _file_name(item.filename)
        try:
            path.parent.mkdir(parents=True)
            with open(path, "wb") as out:
                shutil.copyfileobj(item.file, out, _CHUNK)
        except OSError as fault:
            if fault.errno == errno.ENOSPC:
                raise DiskFull(
                    "The disk of the library is full.", path, "Free some space and send the frames again."
                ) from None
            raise
        kept.append(path)
    return kept


def _entries(folder: Path) -> list[Path]:
    """What a folder shows, by name."""
    try:
        return sorted((e for e in folder.iterdir() if not e.name.startswith(".")), key=lambda e: e.name.lower())
    except OSError as fault:
        raise CrennError(f"cannot be read: {fault.strerror}.", folder) from None


@router.get("/folders")
def folder(
    path: Annotated[Words | None, Query(max_length=4000)] = None, config: Settings = Depends(settings)
) -> FolderOut:
    """Look into a folder on the server, below the allowed roots."""
    if not config.roots:
        raise CrennError("No folder is open for bringing frames in.", remedy="Start Crenn with --root FOLDER.")
    here = allowed_folder(path, config.roots) if path else config.roots[0]
    folders, raw_files = [], 0
    for entry in _entries(here):
        if entry.is_dir():
            folders.append(plain_text(entry.name))
        elif entry.suffix.lower() in FRAME_ENDINGS:
            raw_files += 1
    parent = str(here.parent) if here not in config.roots else None
    return FolderOut(
        path=str(here), parent=parent, folders=folders, raw_files=raw_files, roots=[str(r) for r in config.roots]
    )


@router.post("/folders")
def bring_in_folder(body: FolderIn, config: Settings = Depends(settings)) -> JobOut:
    """Bring in all files of a folder on the server."""
    here = allowed_folder(body.path, config.roots)
    # A link below the roots may lead out of them.
    files = [p.resolve() for p in _entries(here) if p.is_file() and is_below(p.resolve(), config.roots)]
    if not any(p.suffix.lower() in FRAME_ENDINGS for p in files):
        raise CrennError("holds no frames.", here, "Choose the folder with the frames.")
    return _start_import(config, here.name, files)


@router.patch("/frames/{frame_id}")
def change_frame(frame_id: PathId, body: FrameChange, config: Settings = Depends(settings)) -> FrameOut:
    """Leave a frame out of its scene or take it in again, say what it is for, or type its exposure time in."""
    with config.database.session() as session:
        frame = session.get(Frame, frame_id)
        if frame is None:
            raise Missing("This frame is no longer in the library.")
        before = Merging.of(frame.scene)
        if body.included is not None:
            frame.included = body.included
        if body.kind is not None:
            frame.kind, frame.kind_chosen = body.kind, True
        if body.seconds is not None:
            frame.seconds, frame.time_typed = body.seconds, True
            frame.sensitivity = body.seconds * frame.iso / 100.0 * (8.0 / (frame.aperture or 8.0)) ** 2
        note_merging(session, frame.scene, before)
        session.commit()
        return FrameOut.model_validate(frame)


def _frames_of(session, scene_id: int, ids: list[int]) -> tuple[Scene, list[Frame]]:
    scene = session.get(Scene, scene_id)
    if scene is None:
        raise Missing("This scene is no longer in the library.")
    frames = [f for f in scene.frames if f.id in set(ids)]
    if len(frames) != len(set(ids)):
        raise CrennError("Some of these frames are no longer in this scene.", remedy="Look at the scene again.")
    return scene, frames


@router.post("/scenes/{scene_id}/use")
def use_frames(scene_id: PathId, body: FramesIn, config: Settings = Depends(settings)) -> SceneSummary:
    """Use these light frames for a scene and leave its others out, as for a part of a night; it is not merged yet."""
    with config.database.session() as session:
        scene, frames = _frames_of(session, scene_id, body.frames)
        if not any(f.kind == "light" for f in frames):
            raise CrennError("There is no light frame among these.", remedy="Take at least one.")
        before = Merging.of(scene)
        for frame in scene.frames:
            # Frames for calibration serve every part.
            frame.included = frame in frames or (frame.kind != "light" and frame.included)
        note_merging(session, scene, before)
        session.commit()
        return summary(scene)


@router.post("/scenes/{scene_id}/split")
def split(scene_id: PathId, body: FramesIn, config: Settings = Depends(settings)) -> SceneSummary:
    """Make a scene of its own of some of a scene's frames."""
    with config.database.session() as session:
        scene, frames = _frames_of(session, scene_id, body.frames)
        if len(frames) == len(scene.frames):
            raise CrennError("These are all frames of the scene.", remedy="Leave at least one in it.")
        other = Scene(shoot_id=scene.shoot_id, title=f"{scene.title}, split off"[:200])
        session.add(other)
        session.flush()
        for frame in frames:
            frame.scene_id = other.id
        start_treatment(session, other)
        session.commit()
        session.refresh(other)
        return summary(other)


@router.post("/scenes/{scene_id}/move")
def move(scene_id: PathId, body: MoveIn, config: Settings = Depends(settings)) -> SceneSummary:
    """Move frames, or all of them, to another scene; a scene left empty is kept but no longer shown."""
    with config.database.session() as session:
        _, frames = _frames_of(session, scene_id, body.frames)
        other = session.get(Scene, body.to)
        if other is None or other.id == scene_id:
            raise Missing("The scene to move to is no longer in the library.")
        for frame in frames:
            frame.scene_id = other.id
        session.commit()
        session.refresh(other)
        return summary(other)


@router.get("/camera")
def camera_scenes() -> list[CameraScene]:
    """Scenes that the simulated camera can shoot."""
    out = []
    for name in SCENES:
        scene = scene_named(name)
        middle = scene.exposures[(len(scene.exposures) - 1) // 2]
        first, last = scene.exposures[0], scene.exposures[-1]
        step = np.log2(last.relative / first.relative) / max(len(scene.exposures) - 1, 1)
        out.append(
            CameraScene(
                name=name,
                title=scene.title,
                frames=len(scene.exposures),
                step=round(float(step) * 2) / 2,
                iso=middle.iso,
                middle_seconds=middle.seconds,
            )
        )
    return out


@router.post("/camera")
def shoot_scene(body: CameraIn, config: Settings = Depends(settings)) -> JobOut:
    """Let the simulated camera shoot a scene and bring the frames in."""
    scene = scene_named(body.scene)
    bracket = Bracket.chosen(scene, body.frames, body.step, body.iso, body.shake, body.shift)
    if body.times > 1:
        check_dawn(bracket, body.times, body.every, body.rise)
    title = f"{scene.title.split(',')[0]}: {body.frames} × {body.step:g} EV, ISO {body.iso:.0f}" + (
        f", {body.shake:g}° shake" if body.shake else ""
    )
    with config.database.session() as session:
        row = Shoot(name="Simulated camera")
        session.add(row)
        session.flush()
        job = add_job(session, "shoot", shoot_id=row.id, options=body.model_dump() | {"title": title})
        session.commit()
        return JobOut.model_validate(job)


@router.get("/frames/{frame_id}/picture.jpg", response_class=FileResponse)
def frame_picture(frame_id: PathId, config: Settings = Depends(settings)) -> FileResponse:
    """A frame as the camera would show it."""
    with config.database.session() as session:
        frame = session.get(Frame, frame_id)
    if frame is None or not config.library.frame_picture(frame.content_hash).exists():
        raise Missing("This frame has no picture.")
    return FileResponse(
        config.library.frame_picture(frame.content_hash),
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )
