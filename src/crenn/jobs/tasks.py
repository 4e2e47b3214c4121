"""What the queue does: bring frames in, merge, deliver."""

import shutil
from datetime import datetime
from pathlib import Path

import cv2
import numpy as np
import rawpy
from sqlalchemy import select

from crenn.core.deliver.files import CaptureMetadata, deliver
from crenn.core.errors import CrennError, UnreadableFrame
from crenn.core.frames.grouping import GroupingKey, group_frames
from crenn.core.frames.metadata import RAW_ENDINGS, open_raw, read_metadata
from crenn.core.merge.merge import merge_frames
from crenn.core.render.executor import Renderer, Window
from crenn.core.render.pyramid import PreparedScene
from crenn.core.treatment import parse_treatment
from crenn.jobs.queue import RunningJob, defer
from crenn.store.models import Frame, Refusal, Revision, Scene, Shoot
from crenn.store.treatments import start_treatment

_FRAME_PICTURE, _SCENE_PICTURE = 1400, 900


def _frame_picture(path: Path, out: Path) -> float:
    """Write a picture of one frame as the camera would show it; its clipped share."""
    with open_raw(path) as raw:
        try:
            values = raw.raw_image_visible
            clipped = float((values[::4, ::4] >= raw.white_level - 2).mean() + (values[1::4, ::4] >= raw.white_level - 2).mean()
                            + (values[::4, 1::4] >= raw.white_level - 2).mean()
                            + (values[1::4, 1::4] >= raw.white_level - 2).mean()) / 4
            picture = raw.postprocess(half_size=True, use_camera_wb=True, no_auto_bright=True, output_bps=8)
        except (rawpy.LibRawError, ValueError):
            raise UnreadableFrame("is damaged: its picture data breaks off.", path, "Copy it again from the card.") from None
    factor = min(1.0, _FRAME_PICTURE / max(picture.shape[:2]))
    picture = cv2.resize(picture, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    ok, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
    if ok:
        out.write_bytes(data.tobytes())
    return clipped


def bring_in(job: RunningJob) -> None:
    """Bring the files of an upload or a folder into the library, and queue their merges."""
    files = [Path(p) for p in job.options["files"]]
    fresh: list[tuple[Frame, str]] = []
    with job.database.session() as session:
        for index, path in enumerate(files):
            job.progress.at(index / max(len(files), 1), f"Bringing in {path.name}")
            try:
                fresh_frame = _one_frame(job, session, path)
                fresh.append((fresh_frame, path.name))
            except CrennError as fault:
                reason = " ".join(t for t in (fault.fault, fault.remedy) if t)
                session.add(Refusal(shoot_id=job.shoot_id, name=path.name, reason=reason[:1].upper() + reason[1:]))
        keys = [GroupingKey(f.taken, f.seconds, f.sensitivity, f.camera, f.width, f.height, f.focal_length)
                for f, _ in fresh]
        shoot = session.get_one(Shoot, job.shoot_id)
        scenes = []
        groups = group_frames(keys)
        for number, group in enumerate(groups):
            title = job.options.get("title") or shoot.name
            if len(groups) > 1:
                title = f"{title} {number + 1}"
            scene = Scene(shoot_id=shoot.id, title=title)
            session.add(scene)
            session.flush()
            for member in group:
                fresh[member][0].scene_id = scene.id
                session.add(fresh[member][0])
            session.flush()
            start_treatment(session, scene)
            scenes.append(scene.id)
        session.commit()
    if job.options.get("upload"):
        shutil.rmtree(job.library.incoming(job.options["upload"]), ignore_errors=True)
    for scene_id in scenes:
        defer(job.database, "merge", scene_id=scene_id)
    job.done({"scenes": scenes})


def _one_frame(job: RunningJob, session, path: Path) -> Frame:
    """Read one file and keep it; raises `CrennError` with the reason if it cannot be used."""
    if path.suffix.lower() not in RAW_ENDINGS:
        raise UnreadableFrame("Not a raw file.", None, "Raw files such as DNG can be merged.")
    metadata = read_metadata(path)
    digest = job.library.keep(path)
    known = session.execute(select(Frame).where(Frame.content_hash == digest)).scalar_one_or_none()
    if known is None:
        known = next((f for f in session.new if isinstance(f, Frame) and f.content_hash == digest), None)
    if known is not None:
        raise UnreadableFrame(f"Already in the library, as {known.name}.")
    clipped = _frame_picture(job.library.original(digest, path.suffix.lower()), job.library.frame_picture(digest))
    return Frame(name=path.name, content_hash=digest, ending=path.suffix.lower(), bytes=path.stat().st_size,
                 width=metadata.width, height=metadata.height, seconds=metadata.seconds, aperture=metadata.aperture,
                 iso=metadata.iso, sensitivity=metadata.sensitivity, focal_length=metadata.focal_length,
                 taken=metadata.taken, camera=f"{metadata.make} {metadata.model}".strip(), lens=metadata.lens,
                 clipped_share=clipped)


def merge(job: RunningJob) -> None:
    """Merge a scene's frames; the old result stays until the new one is whole."""
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None:
            raise CrennError("This scene is no longer in the library.")
        frames = [f for f in scene.frames if f.included]
        if not frames:
            raise CrennError("All frames of this scene are left out.", remedy="Take at least one in again.")
        names = {job.library.original(f.content_hash, f.ending): f.name for f in frames}
    radiance = merge_frames(list(names), progress=job.progress.part(0.0, 0.8), names=list(names.values()))
    job.progress.at(0.82, "Preparing views")
    prepared = PreparedScene.from_radiance(radiance)
    folder = f"{job.scene_id}-{job.id}"
    prepared.save(job.library.scene(folder))
    job.progress.at(0.97, "Preparing views")
    with job.database.session() as session:
        scene = session.get_one(Scene, job.scene_id, with_for_update=True)
        old, scene.prepared, scene.report, scene.fault = scene.prepared, folder, radiance.report, None
        document = session.get_one(Revision, scene.revision_id).document
        session.commit()
    write_scene_picture(job, prepared, document)
    if old and old != folder:
        shutil.rmtree(job.library.scene(old), ignore_errors=True)
    job.done()


def write_scene_picture(job: RunningJob, prepared: PreparedScene, document: dict) -> None:
    """Write the scene's small picture for the contact sheet."""
    codes, _ = Renderer(prepared).picture(parse_treatment(document), Window.whole(prepared.size, _SCENE_PICTURE))
    ok, data = cv2.imencode(".jpg", np.ascontiguousarray(codes[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, 90])
    if ok:
        job.library.scene_picture(job.scene_id).write_bytes(data.tobytes())


def deliver_scene(job: RunningJob) -> None:
    """Render a scene at full quality into a file to download."""
    options = job.options
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None or not scene.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        treatment = parse_treatment(session.get_one(Revision, options["revision"]).document)
        reference = scene.report["frames"][0]["name"]
        for entry in scene.report["frames"]:
            if entry["ev"] == 0:
                reference = entry["name"]
        frame = next((f for f in scene.frames if f.name == reference), scene.frames[0])
        folder, title = scene.prepared, scene.title
    taken: datetime | None = frame.taken
    metadata = CaptureMetadata("", frame.camera, frame.lens, frame.seconds, frame.aperture, frame.iso,
                               frame.focal_length, taken)
    prepared = PreparedScene.open(job.library.scene(folder))
    path = job.library.delivery(job.id, options["format"])
    deliver(Renderer(prepared), treatment, path, options["format"], options.get("long_edge"),
            options.get("quality", 92), metadata, job.progress)
    job.done({"format": options["format"], "bytes": path.stat().st_size, "name": f"{title}.{options['format']}"})


TASKS = {"import": bring_in, "merge": merge, "deliver": deliver_scene}
