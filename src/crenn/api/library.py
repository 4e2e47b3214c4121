"""Bringing frames in, and the contact sheet."""

import secrets
from pathlib import Path

import numpy as np
from fastapi import APIRouter, Depends, UploadFile
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import selectinload

from crenn.api.context import MAX_UPLOAD_FILES, Settings, allowed_folder, settings
from crenn.api.schemas import (CameraIn, CameraScene, FolderIn, FolderOut, FrameChange, FrameOut, FramesIn, JobOut, MoveIn,
                               RefusalOut, SceneSummary, ShootOut)
from crenn.camera.scenes import SCENES
from crenn.camera.shoot import Bracket, scene_named
from crenn.core.errors import CrennError
from crenn.core.frames.read import FRAME_ENDINGS
from crenn.jobs.queue import defer
from crenn.store.models import Frame, Job, Scene, Shoot
from crenn.store.treatments import start_treatment

router = APIRouter(prefix="/api", tags=["library"])
_CHUNK = 2**20


def summary(scene: Scene, config: Settings) -> SceneSummary:
    """A scene as the contact sheet shows it."""
    picture = config.library.scene_picture(scene.id)
    report = scene.report or {}
    frames = report.get("frames") or []
    covered = None
    if frames:
        covered = max(f["clip_stop"] for f in frames) - min(f["noise_stop"] for f in frames)
    return SceneSummary(
        id=scene.id, title=scene.title, ready=scene.prepared is not None, fault=scene.fault,
        picture_version=str(picture.stat().st_mtime_ns) if picture.exists() else None,
        frames=[FrameOut.model_validate(f) for f in scene.frames], low_stop=report.get("low_stop"),
        high_stop=report.get("high_stop"), stops_covered=covered)


@router.get("/shoots")
def shoots(config: Settings = Depends(settings)) -> list[ShootOut]:
    """All shoots, the newest first."""
    with config.database.session() as session:
        found = session.execute(select(Shoot).order_by(Shoot.id.desc()).options(
            selectinload(Shoot.scenes).selectinload(Scene.frames), selectinload(Shoot.refusals))).scalars()
        return [ShootOut(id=s.id, name=s.name, created=s.created, scenes=[summary(c, config) for c in s.scenes if c.frames],
                         refusals=[RefusalOut.model_validate(r) for r in s.refusals]) for s in found]


def _start_import(config: Settings, name: str, files: list[Path], upload: str | None = None) -> JobOut:
    with config.database.session() as session:
        shoot = Shoot(name=name[:200])
        session.add(shoot)
        session.commit()
        shoot_id = shoot.id
    job_id = defer(config.database, "import", shoot_id=shoot_id,
                   options={"files": [str(f) for f in files], "upload": upload})
    with config.database.session() as session:
        return JobOut.model_validate(session.get_one(Job, job_id))


@router.post("/uploads")
async def upload(files: list[UploadFile], config: Settings = Depends(settings)) -> JobOut:
    """Bring in frames sent by the browser."""
    if len(files) > MAX_UPLOAD_FILES:
        raise CrennError(f"{len(files)} files are too many at once;", remedy=f"send up to {MAX_UPLOAD_FILES}.")
    name = secrets.token_hex(8)
    folder = config.library.incoming(name)
    folder.mkdir()
    total, kept = 0, []
    for item in files:
        # Only the last part of a client's name is used, and never twice.
        path = folder / (Path(item.filename or "frame").name or "frame")
        while path.exists():
            path = path.with_name("again-" + path.name)
        with open(path, "wb") as out:
            while chunk := await item.read(_CHUNK):
                total += len(chunk)
                if total > config.max_upload_bytes:
                    raise CrennError(f"The upload is larger than {config.max_upload_bytes / 2**20:.0f} MiB;",
                                     remedy="send fewer frames at once, or bring them in from a folder.")
                out.write(chunk)
        kept.append(path)
    first = kept[0].stem.rstrip("0123456789-_ ") or "Upload"
    return _start_import(config, first, kept, name)


@router.get("/folders")
def folder(path: str | None = None, config: Settings = Depends(settings)) -> FolderOut:
    """Look into a folder on the server, below the allowed roots."""
    if not config.roots:
        raise CrennError("No folder is open for bringing frames in.", remedy="Start Crenn with --root FOLDER.")
    here = allowed_folder(path, config.roots) if path else config.roots[0]
    folders, raw_files = [], 0
    for entry in sorted(here.iterdir(), key=lambda e: e.name.lower()):
        if entry.name.startswith("."):
            continue
        if entry.is_dir():
            folders.append(entry.name)
        elif entry.suffix.lower() in FRAME_ENDINGS:
            raw_files += 1
    parent = str(here.parent) if here not in config.roots else None
    return FolderOut(path=str(here), parent=parent, folders=folders, raw_files=raw_files,
                     roots=[str(r) for r in config.roots])


@router.post("/folders")
def bring_in_folder(body: FolderIn, config: Settings = Depends(settings)) -> JobOut:
    """Bring in all files of a folder on the server."""
    here = allowed_folder(body.path, config.roots)
    files = sorted(p for p in here.iterdir() if p.is_file() and not p.name.startswith("."))
    if not any(p.suffix.lower() in FRAME_ENDINGS for p in files):
        raise CrennError("holds no frames.", here, "Choose the folder with the frames.")
    return _start_import(config, here.name, files)


@router.patch("/frames/{frame_id}")
def change_frame(frame_id: int, body: FrameChange, config: Settings = Depends(settings)) -> FrameOut:
    """Leave a frame out of its scene or take it in again, say what it is for, or type its exposure time in."""
    with config.database.session() as session:
        frame = session.get(Frame, frame_id)
        if frame is None:
            raise CrennError("This frame is no longer in the library.")
        if body.included is not None:
            frame.included = body.included
        if body.kind is not None:
            frame.kind, frame.kind_chosen = body.kind, True
        if body.seconds is not None:
            frame.seconds, frame.time_typed = body.seconds, True
            frame.sensitivity = body.seconds * frame.iso / 100.0 * (8.0 / (frame.aperture or 8.0)) ** 2
        session.commit()
        return FrameOut.model_validate(frame)


def _frames_of(session, scene_id: int, ids: list[int]) -> tuple[Scene, list[Frame]]:
    scene = session.get(Scene, scene_id)
    if scene is None:
        raise CrennError("This scene is no longer in the library.")
    frames = [f for f in scene.frames if f.id in set(ids)]
    if len(frames) != len(set(ids)):
        raise CrennError("Some of these frames are no longer in this scene.", remedy="Look at the scene again.")
    return scene, frames


@router.post("/scenes/{scene_id}/split")
def split(scene_id: int, body: FramesIn, config: Settings = Depends(settings)) -> SceneSummary:
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
        return summary(other, config)


@router.post("/scenes/{scene_id}/move")
def move(scene_id: int, body: MoveIn, config: Settings = Depends(settings)) -> SceneSummary:
    """Move frames, or all of them, to another scene; a scene left empty is kept but no longer shown."""
    with config.database.session() as session:
        _, frames = _frames_of(session, scene_id, body.frames)
        other = session.get(Scene, body.to)
        if other is None or other.id == scene_id:
            raise CrennError("The scene to move to is no longer in the library.")
        for frame in frames:
            frame.scene_id = other.id
        session.commit()
        session.refresh(other)
        return summary(other, config)


@router.get("/camera")
def camera_scenes() -> list[CameraScene]:
    """Scenes that the simulated camera can shoot."""
    out = []
    for name in SCENES:
        scene = scene_named(name)
        middle = scene.exposures[(len(scene.exposures) - 1) // 2]
        first, last = scene.exposures[0], scene.exposures[-1]
        step = np.log2(last.relative / first.relative) / max(len(scene.exposures) - 1, 1)
        out.append(CameraScene(name=name, title=scene.title, frames=len(scene.exposures), step=round(float(step) * 2) / 2,
                               iso=middle.iso, middle_seconds=middle.seconds))
    return out


@router.post("/camera")
def shoot_scene(body: CameraIn, config: Settings = Depends(settings)) -> JobOut:
    """Let the simulated camera shoot a scene and bring the frames in."""
    scene = scene_named(body.scene)
    Bracket.chosen(scene, body.frames, body.step, body.iso, body.shake, body.shift)
    title = f"{scene.title.split(',')[0]}: {body.frames} × {body.step:g} EV, ISO {body.iso:.0f}" + (
        f", {body.shake:g}° shake" if body.shake else "")
    with config.database.session() as session:
        row = Shoot(name="Simulated camera")
        session.add(row)
        session.commit()
        shoot_id = row.id
    job_id = defer(config.database, "shoot", shoot_id=shoot_id, options=body.model_dump() | {"title": title})
    with config.database.session() as session:
        return JobOut.model_validate(session.get_one(Job, job_id))


@router.get("/frames/{frame_id}/picture.jpg", response_class=FileResponse)
def frame_picture(frame_id: int, config: Settings = Depends(settings)) -> FileResponse:
    """A frame as the camera would show it."""
    with config.database.session() as session:
        frame = session.get(Frame, frame_id)
    if frame is None or not config.library.frame_picture(frame.content_hash).exists():
        raise CrennError("This frame has no picture.")
    return FileResponse(config.library.frame_picture(frame.content_hash), media_type="image/jpeg",
                        headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.get("/scenes/{scene_id}/picture.jpg", response_class=FileResponse)
def scene_picture(scene_id: int, config: Settings = Depends(settings)) -> FileResponse:
    """A scene's small picture."""
    path = config.library.scene_picture(scene_id)
    if not path.exists():
        raise CrennError("This scene has no picture yet.")
    return FileResponse(path, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000"})
