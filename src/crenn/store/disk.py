"""Where the disk went, what of it can be made again, and the bin emptied."""

import shutil
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from sqlalchemy import Select, and_, delete, func, not_, select, update
from sqlalchemy.orm import Session

from crenn.core.errors import CrennError
from crenn.core.render.pyramid import noise_folder
from crenn.store.library import Library
from crenn.store.models import Frame, Job, Mark, Revision, Scene, Shoot, Take

T = TypeVar("T")
#: Jobs that are not done yet.
_ACTIVE = ("waiting", "running")
_DAY = 86400.0
_WAITING_NOISE = (Job.kind == "noise", Job.state == "waiting")


def bytes_in(path: Path) -> int:
    """Bytes of a file, or of all in a folder; files that are gone meanwhile count nothing."""
    total = 0
    for one in path.rglob("*") if path.is_dir() else (path,):
        try:
            total += one.lstat().st_size if not one.is_dir() else 0
        except OSError:
            continue
    return total


def used(library: Library) -> dict[str, int]:
    """Bytes of the library by what they are: originals, merged scenes and what noise was split off them, small
    pictures, delivered files, what arrives; and what is free on its disk."""
    folder = library.folder
    scenes = [one for one in (folder / "scenes").iterdir() if one.is_dir()]
    noise = sum(bytes_in(noise_folder(one)) for one in scenes)
    out = {name: bytes_in(folder / name) for name in ("originals", "scenes", "pictures", "deliveries", "incoming")}
    return out | {"scenes": out["scenes"] - noise, "noise": noise, "free": shutil.disk_usage(folder).free}


@dataclass(frozen=True)
class MergedScene:
    """A merged scene: its number and folder, and when it was last merged, changed or looked at, in s since 1970."""

    scene: int
    folder: str
    used: float


def merged_scenes(session: Session, library: Library) -> list[MergedScene]:
    """Merged scenes that nobody works on, the one that was used longest ago first."""
    last = (
        select(Take.scene_id, func.max(Revision.created).label("changed"))
        .join(Revision, Revision.take_id == Take.id)
        .group_by(Take.scene_id)
        .subquery()
    )
    rows = session.execute(
        select(Scene.id, Scene.prepared, last.c.changed)
        .join(last, last.c.scene_id == Scene.id)
        .where(Scene.prepared.is_not(None), Scene.id.not_in(_busy()))
    )
    out = []
    for number, folder, changed in rows:
        if folder is not None:
            path = library.scene(folder)
            seen = path.stat().st_mtime if path.exists() else 0.0
            out.append(MergedScene(number, folder, max(seen, changed.timestamp())))
    return sorted(out, key=lambda one: one.used)


def unused_since(scenes: Iterable[MergedScene], days: float) -> list[MergedScene]:
    """Those that were not used for so many days."""
    limit = time.time() - days * _DAY
    return [one for one in scenes if one.used <= limit]


def beyond(sizes: Iterable[tuple[T, int]], most: int) -> list[T]:
    """What is to go, the first first, that the bytes of all that stays are no more than ``most``."""
    sizes = list(sizes)
    total, gone = sum(size for _, size in sizes), []
    for one, size in sizes:
        if total <= most:
            break
        gone.append(one)
        total -= size
    return gone


def drop_merged(session: Session, library: Library, scenes: Iterable[MergedScene]) -> list[Path]:
    """Let scenes count as not merged, so that what was made of their frames can go; the folders to remove after that.

    Frames, treatments and reports stay: they can be merged again.
    """
    gone = []
    for one in scenes:
        changed = update(Scene).where(Scene.id == one.scene, Scene.prepared == one.folder).values(prepared=None)
        if session.execute(changed).rowcount:  # type: ignore[attr-defined]
            gone += [library.scene(one.folder), *_sheet_pictures(library, one.scene)]
    return gone


def deliveries_by_age(library: Library) -> list[Path]:
    """Delivered files, the oldest first."""
    files = [p for p in (library.folder / "deliveries").iterdir() if p.is_file()]
    return sorted(files, key=lambda p: p.stat().st_mtime)


def deliveries_older(library: Library, days: float) -> list[Path]:
    """Delivered files that are older than so many days."""
    limit = time.time() - days * _DAY
    return [p for p in deliveries_by_age(library) if p.stat().st_mtime <= limit]


def empty_bin(session: Session, library: Library) -> tuple[int, list[Path]]:
    """Delete all scenes in the bin with all that belongs to them.

    Returns
    -------
    count : int
        Scenes.
    gone : list of Path
        Files and folders to remove once the transaction has ended.

    Raises
    ------
    CrennError
        If one of them is being worked on.
    """
    numbers = list(session.execute(select(Scene.id).where(Scene.binned).with_for_update()).scalars())
    if session.execute(_busy().where(Job.scene_id.in_(numbers)).limit(1)).first():
        raise CrennError("A scene in the bin is being worked on.", remedy="Wait until it is done, or cancel it.")
    gone: list[Path] = []
    for scene in session.execute(select(Scene).where(Scene.id.in_(numbers))).scalars():
        if scene.prepared:
            gone.append(library.scene(scene.prepared))
        gone += _sheet_pictures(library, scene.id)
        for frame in scene.frames:
            gone += [library.original(frame.content_hash, frame.ending), library.frame_picture(frame.content_hash)]
    jobs = list(session.execute(select(Job.id).where(Job.scene_id.in_(numbers))).scalars())
    gone += [path for job in jobs for path in (library.folder / "deliveries").glob(f"{job}.*")]
    takes = select(Take.id).where(Take.scene_id.in_(numbers))
    # What points at each other is let go of before it is deleted.
    session.execute(update(Scene).where(Scene.id.in_(numbers)).values(take_id=None))
    session.execute(update(Take).where(Take.scene_id.in_(numbers)).values(revision_id=None))
    session.execute(delete(Mark).where(Mark.take_id.in_(takes)))
    session.execute(update(Revision).where(Revision.take_id.in_(takes)).values(parent_id=None))
    session.execute(delete(Revision).where(Revision.take_id.in_(takes)))
    session.execute(delete(Take).where(Take.scene_id.in_(numbers)))
    session.execute(delete(Frame).where(Frame.scene_id.in_(numbers)))
    session.execute(delete(Job).where(Job.scene_id.in_(numbers)))
    shoots = list(session.execute(select(Scene.shoot_id).where(Scene.id.in_(numbers)).distinct()).scalars())
    session.execute(delete(Scene).where(Scene.id.in_(numbers)))
    _drop_empty(session, shoots)
    return len(numbers), gone


def _drop_empty(session: Session, shoots: Iterable[int]) -> None:
    """Delete those of some shoots that have no scenes left, and nothing to tell."""
    session.expire_all()
    for number in shoots:
        shoot = session.get(Shoot, number)
        if shoot is None or shoot.scenes or shoot.refusals:
            continue
        session.execute(update(Job).where(Job.shoot_id == number).values(shoot_id=None))
        session.delete(shoot)
    session.flush()


def removed(paths: Iterable[Path]) -> int:
    """Remove files and folders; how many bytes they had."""
    total = 0
    for path in paths:
        total += bytes_in(path)
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
    return total


def waiting_noise(session: Session, scenes: Sequence[int]) -> list[int]:
    """Jobs that wait to split the noise off scenes: nobody needs that of one that goes."""
    waiting = select(Job.id).where(Job.scene_id.in_(scenes), *_WAITING_NOISE)
    return list(session.execute(waiting).scalars())


def in_bin(session: Session) -> list[int]:
    """Numbers of the scenes in the bin."""
    return list(session.execute(select(Scene.id).where(Scene.binned)).scalars())


def _busy() -> Select[int | None]:
    """Scenes that jobs are about, which are not done yet; noise that waits to be split off is no reason to keep one."""
    return select(Job.scene_id).where(Job.scene_id.is_not(None), Job.state.in_(_ACTIVE), not_(and_(*_WAITING_NOISE)))


def _sheet_pictures(library: Library, scene: int) -> list[Path]:
    return list((library.folder / "pictures").glob(f"scene-{scene}-*.jpg"))
