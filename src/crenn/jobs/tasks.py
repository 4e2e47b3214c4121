"""What the queue does: bring frames in, merge, deliver."""

import shutil
from datetime import datetime
from pathlib import Path

import cv2
import numpy as np
from sqlalchemy import select

from crenn.camera.shoot import SHIPPED_SIZE, Bracket, scene_named, shoot
from crenn.core.deliver.files import CaptureMetadata, deliver
from crenn.core.errors import CrennError, UnreadableFrame
from crenn.core.frames.grouping import GroupingKey, group_frames, signature_of
from crenn.core.frames.kinds import kind_of, look_at
from crenn.core.frames.raw import RawFrame
from crenn.core.frames.read import FRAME_ENDINGS, read_frame
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.noise.model import estimate_noise
from crenn.core.render.executor import Renderer, Window
from crenn.core.render.pyramid import PreparedScene
from crenn.core.spaces import REC2020_TO_SRGB, srgb_encode
from crenn.core.treatment import parse_treatment
from crenn.jobs.queue import RunningJob, defer
from crenn.store.models import Frame, Refusal, Revision, Scene, Shoot
from crenn.store.treatments import start_treatment

_FRAME_PICTURE, _SCENE_PICTURE = 1400, 900


def _frame_picture(frame: RawFrame, out: Path) -> tuple[float, np.ndarray]:
    """Write a picture of one frame as the camera would show it; its clipped share and the picture, uint8 (h, w, 3)."""
    quads = []
    m, pattern = frame.mosaic, frame.pattern
    height, width = (n // 2 for n in m.shape)
    for c in range(3):
        sites = [m[r:2 * height:2, k:2 * width:2].astype(np.float32) for r, k in np.argwhere(pattern == c)]
        value = (sum(sites) / len(sites) - frame.black[c]) / np.float32(frame.white - frame.black[c])
        quads.append(value * frame.neutral_gains[c])
    linear = np.minimum(np.stack(quads, -1), 1.0)
    factor = min(1.0, _FRAME_PICTURE / max(linear.shape[:2]))
    linear = cv2.resize(linear, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    if frame.encoding == "linear":
        matrix = (REC2020_TO_SRGB @ frame.to_rec2020).astype(np.float32)
        linear = srgb_encode(np.clip(linear @ matrix.T, 0, 1))
    picture = np.rint(np.clip(linear, 0, 1) * 255).astype(np.uint8)
    picture = np.ascontiguousarray(np.rot90(picture, {0: 0, 3: 2, 5: 1, 6: 3}.get(frame.flip, 0)))
    ok, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
    if ok:
        out.write_bytes(data.tobytes())
    return float((m[::4, ::4] >= frame.white - 2).mean() + (m[1::4, 1::4] >= frame.white - 2).mean()) / 2, picture


def bring_in(job: RunningJob) -> None:
    """Bring the files of an upload or a folder into the library, and queue their merges."""
    files = [Path(p) for p in job.options["files"]]
    fresh: list[tuple[Frame, np.ndarray]] = []
    with job.database.session() as session:
        for index, path in enumerate(files):
            job.progress.at(index / max(len(files), 1), f"Bringing in {path.name}")
            try:
                fresh.append(_one_frame(job, session, path))
            except CrennError as fault:
                reason = " ".join(t for t in (fault.fault, fault.remedy) if t)
                session.add(Refusal(shoot_id=job.shoot_id, name=path.name, reason=reason[:1].upper() + reason[1:]))
        keys = [GroupingKey(f.taken, f.seconds, f.sensitivity, f.camera, f.width, f.height, f.focal_length, f.kind, signature)
                for f, signature in fresh]
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


def _one_frame(job: RunningJob, session, path: Path) -> tuple[Frame, np.ndarray]:
    """Read one file and keep it: (frame, signature of its view).

    Raises `CrennError` with the reason if it cannot be used.
    """
    ending = path.suffix.lower()
    if ending not in FRAME_ENDINGS:
        raise UnreadableFrame("Not a frame.", None, "Raw files such as DNG, and TIFF, PNG, JPEG and EXR pictures can be merged.")
    frame = read_frame(path)
    metadata = frame.metadata
    digest = job.library.keep(path)
    known = session.execute(select(Frame).where(Frame.content_hash == digest)).scalar_one_or_none()
    if known is None:
        known = next((f for f in session.new if isinstance(f, Frame) and f.content_hash == digest), None)
    if known is not None:
        raise UnreadableFrame(f"Already in the library, as {known.name}.")
    clipped, picture = _frame_picture(frame, job.library.frame_picture(digest))
    kind = "light"
    if frame.encoding == "linear" and not frame.developed:
        noise = frame.noise or estimate_noise(frame.mosaic, frame.pattern, frame.black, frame.white)
        kind = kind_of(look_at(frame.mosaic, frame.pattern, frame.black, frame.white), metadata.seconds,
                       float(np.sqrt(noise.offset[1])))
    row = Frame(name=path.name, content_hash=digest, ending=ending, bytes=path.stat().st_size,
                width=metadata.width, height=metadata.height, seconds=metadata.seconds, aperture=metadata.aperture,
                iso=metadata.iso, sensitivity=metadata.sensitivity, focal_length=metadata.focal_length,
                taken=metadata.taken, camera=f"{metadata.make} {metadata.model}".strip(), lens=metadata.lens,
                clipped_share=clipped, kind=kind)
    return row, signature_of(picture)


def merge(job: RunningJob) -> None:
    """Merge a scene's frames; the old result stays until the new one is whole."""
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None:
            raise CrennError("This scene is no longer in the library.")
        frames = [f for f in scene.frames if f.included]
        if not frames:
            raise CrennError("All frames of this scene are left out.", remedy="Take at least one in again.")
        instructions = Instructions.model_validate(scene.instructions)
        names = unique_names(frames)
        instructions.seconds |= {n: f.seconds for n, f in zip(names, frames) if f.time_typed and f.seconds}
        if instructions.reference not in names:
            instructions.reference = None
        paths = [job.library.original(f.content_hash, f.ending) for f in frames]
        kinds = [f.kind if f.kind_chosen else None for f in frames]
    radiance = merge_frames(paths, progress=job.progress.part(0.0, 0.8), names=names, instructions=instructions, kinds=kinds)
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


def unique_names(frames) -> list[str]:
    """Names of a scene's frames; a second one of the same name is numbered."""
    out: list[str] = []
    for frame in frames:
        name, number = frame.name, 2
        while name in out:
            name, number = f"{frame.name} ({number})", number + 1
        out.append(name)
    return out


def shoot_scene(job: RunningJob) -> None:
    """Let the simulated camera shoot a scene, and bring the frames in."""
    options = job.options
    scene = scene_named(options["scene"])
    bracket = Bracket.chosen(scene, options["frames"], options["step"], options["iso"], options["shake"], options["shift"], job.id)
    folder = job.library.incoming(f"camera-{job.id}")
    shutil.rmtree(folder, ignore_errors=True)
    shot = shoot(options["scene"], folder, SHIPPED_SIZE, job.id, progress=job.progress, truth=False, bracket=bracket)
    # Named after the job: a second shoot of the same scene must not look like the first.
    files = [p.rename(p.with_name(p.name.replace(options["scene"], f"{options['scene']}-{job.id}"))) for p in shot.frames + shot.darks]
    deferred = defer(job.database, "import", shoot_id=job.shoot_id, options={
        "files": [str(f) for f in files], "upload": folder.name, "title": options["title"]})
    job.done({"import": deferred})


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


TASKS = {"import": bring_in, "merge": merge, "deliver": deliver_scene, "shoot": shoot_scene}
