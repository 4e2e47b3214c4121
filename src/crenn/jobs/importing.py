"""Brings files into the library: every file for itself, all that is found in one transaction."""

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple, TypeVar

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from crenn.core.errors import Cancelled, CrennError, DiskFull, UnreadableFrame
from crenn.core.files import write_jpeg
from crenn.core.frames.grouping import GroupingKey, group_frames, signature_of
from crenn.core.frames.kinds import kind_of, look_at
from crenn.core.frames.metadata import plain_text
from crenn.core.frames.naming import scene_title
from crenn.core.frames.preview import preview
from crenn.core.frames.raw import RawFrame
from crenn.core.frames.read import FRAME_ENDINGS, read_frame
from crenn.core.mosaic.noise import estimate_noise
from crenn.core.progress import Progress
from crenn.jobs.queue import add_job
from crenn.jobs.running import RunningJob, Superseded
from crenn.store.models import Frame, Refusal, Scene, Shoot
from crenn.store.parcel import ENDING, Parcel, read_parcel, store_parcel, unpack
from crenn.store.treatments import start_treatment

#: Imports write their frames one after the other: two with the same file must not both find it new.
_LOCK = 0x637265
#: Frames that are read at once: of each, much is done by one processor alone.
_AT_ONCE = 2
T = TypeVar("T")
_log = logging.getLogger(__name__)


class Found(NamedTuple):
    """A frame read from a file, not yet stored, and the signature of its view."""

    frame: Frame
    signature: np.ndarray


def bring_in(job: RunningJob) -> None:
    """Bring the files of an upload or a folder into the library, and queue their merges."""
    files = [Path(p) for p in job.options["files"]]
    if job.options.get("upload"):
        # Told relative to the library, which may lie elsewhere on a worker's machine.
        arrived = job.library.incoming(job.options["upload"])
        job.leftovers.append(arrived)
        files = [arrived / path for path in files]
    refused: list[tuple[str, str]] = []
    exported = [path for path in files if path.suffix.lower() == ENDING]
    frames = [path for path in files if path.suffix.lower() != ENDING]
    share = len(exported) / max(len(files), 1)
    scenes = _read_each(partial(_read_scene, job), exported, 1, job.progress.part(0.0, share), refused)
    found = _read_each(partial(_read, job), frames, _AT_ONCE, job.progress.part(share, 1.0), refused)
    job.progress.at(1.0, "Storing what was found")
    with job.database.session() as session:
        _store(job, session, found, refused, scenes)
        session.commit()


def _read_each(
    read: Callable[[Path], T], paths: list[Path], at_once: int, progress: Progress, refused: list[tuple[str, str]]
) -> list[T]:
    """What is read from files, in their order; the names of those that cannot be are added to ``refused``, with why."""
    out: list[T] = []
    with ThreadPoolExecutor(at_once) as pool:
        waiting = [pool.submit(_attempted, read, path) for path in paths]
        try:
            for number, (path, future) in enumerate(zip(paths, waiting)):
                progress.at(number / len(paths), f"Bringing in {plain_text(path.name)}")
                got, why = future.result()
                if got is None:
                    refused.append((path.name, why))
                else:
                    out.append(got)
        finally:
            for future in waiting:
                future.cancel()
    return out


def _attempted(read: Callable[[Path], T], path: Path) -> tuple[T | None, str]:
    """What is read from a file, or None and why it cannot be; what ends the job is raised."""
    try:
        return read(path), ""
    except (Cancelled, Superseded, DiskFull):
        raise
    except CrennError as fault:
        return None, " ".join(t for t in (fault.fault, fault.remedy) if t)
    except MemoryError:
        return None, "Its picture is too large for this machine's memory."
    except Exception as fault:
        _log.exception("a file could not be read", extra={"file": plain_text(path.name)})
        return None, f"It could not be read ({type(fault).__name__}); it is damaged, or of a kind not known yet."


def _read_scene(job: RunningJob, path: Path) -> tuple[Parcel, list[Frame]]:
    """Read a scene that was exported, and keep its frames.

    Raises `CrennError` with the reason if it, or one of them, cannot be used.
    """
    parcel = read_parcel(path, plain_text(path.name))
    folder = job.library.incoming(f"scene-{job.id}")
    job.leftovers.append(folder)
    frames = []
    for told, there in zip(parcel.frames, unpack(path, parcel, folder)):
        frame = _read(job, there).frame
        if frame.content_hash != told.key:
            raise CrennError(f"holds a frame, {told.name}, that is another than it says.", None, "Export it again.")
        frames.append(frame)
    return parcel, frames


def _read(job: RunningJob, path: Path) -> Found:
    """Read one file and keep it.

    Raises `CrennError` with the reason if it cannot be used.
    """
    if path.is_symlink():
        # When it was chosen it was none.
        raise UnreadableFrame("It leads to another file now.", None, "Bring that one in.")
    ending = path.suffix.lower()
    if ending not in FRAME_ENDINGS:
        raise UnreadableFrame(
            "Not a frame.", None, "Raw files such as DNG, and TIFF, PNG, JPEG and EXR pictures can be merged."
        )
    frame = read_frame(path)
    about = frame.metadata
    digest = job.library.keep(path)
    picture, clipped = preview(frame)
    write_jpeg(job.library.frame_picture(digest), picture, 88)
    kind = "light"
    if frame.encoding == "linear" and not frame.developed:
        content = look_at(frame.mosaic, frame.pattern, frame.black, frame.white)
        kind = kind_of(content, about.seconds, partial(_read_noise, frame))
    row = Frame(
        name=plain_text(path.name, 300),
        content_hash=digest,
        ending=ending,
        bytes=path.stat().st_size,
        width=about.width,
        height=about.height,
        seconds=about.seconds,
        aperture=about.aperture,
        iso=about.iso,
        sensitivity=about.sensitivity,
        focal_length=about.focal_length,
        taken=about.taken,
        camera=plain_text(f"{about.make} {about.model}", 200),
        lens=about.lens,
        clipped_share=clipped,
        kind=kind,
    )
    return Found(row, signature_of(picture))


def _read_noise(frame: RawFrame) -> float:
    """Deviation of a site in the dark, as a share of saturation: as the file tells, or estimated."""
    noise = frame.noise or estimate_noise(frame.mosaic, frame.pattern, frame.black, frame.white)
    return float(np.sqrt(noise.offset[1]))


def _store(
    job: RunningJob,
    session: Session,
    found: list[Found],
    refused: list[tuple[str, str]],
    exported: list[tuple[Parcel, list[Frame]]],
) -> None:
    """Write frames, scenes, refusals, the merges to come and the job's end."""
    session.execute(select(func.pg_advisory_xact_lock(_LOCK)))
    shoot = session.get_one(Shoot, job.shoot_id)
    hashes = [f.frame.content_hash for f in found] + [f.content_hash for _, frames in exported for f in frames]
    known = {
        f.content_hash: f.name for f in session.execute(select(Frame).where(Frame.content_hash.in_(hashes))).scalars()
    }
    fresh: list[Found] = []
    for one in found:
        if one.frame.content_hash in known:
            refused.append((one.frame.name, f"Already in the library, as {known[one.frame.content_hash]}."))
        else:
            known[one.frame.content_hash] = one.frame.name
            fresh.append(one)
    scenes = []
    for parcel, own in exported:
        if twice := [known[f.content_hash] for f in own if f.content_hash in known]:
            refused.append((parcel.title, f"Its frames are in the library already, among them {twice[0]}."))
            continue
        known |= {f.content_hash: f.name for f in own}
        scene = store_parcel(session, parcel, shoot.id, {f.content_hash: f for f in own})
        add_job(session, "merge", scene_id=scene.id)
        scenes.append(scene.id)
    for name, reason in refused:
        session.add(Refusal(shoot_id=shoot.id, name=plain_text(name, 300), reason=reason[:1].upper() + reason[1:]))
    keys = [
        GroupingKey(f.taken, f.seconds, f.sensitivity, f.camera, f.width, f.height, f.focal_length, f.kind, signature)
        for f, signature in fresh
    ]
    groups = group_frames(keys)
    for number, group in enumerate(groups):
        members = [fresh[member].frame for member in group]
        times = [frame.taken for frame in members if frame.taken is not None]
        title = scene_title(
            job.options.get("title") or shoot.name,
            [frame.name for frame in members],
            min(times, default=None),
            number + 1 if len(groups) > 1 else None,
        )
        scene = Scene(shoot_id=shoot.id, title=title[:200])
        session.add(scene)
        session.flush()
        for member in group:
            fresh[member].frame.scene_id = scene.id
            session.add(fresh[member].frame)
        start_treatment(session, scene)
        add_job(session, "merge", scene_id=scene.id)
        scenes.append(scene.id)
    job.done({"scenes": scenes}, session)
