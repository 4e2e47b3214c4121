"""A whole scene as one file: its frames as they are, how they are merged, its takes with their history, and its marks.

A ZIP archive that ends in ``.crenn``: ``scene.json`` (`Parcel`) and ``frames/``, stored as they are.
"""

import json
import shutil
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.archive import archived
from crenn.core.document import Document, wrong_value
from crenn.core.errors import CrennError
from crenn.core.merge.instructions import Instructions, Words
from crenn.core.treatment import parse_treatment
from crenn.store.library import Library
from crenn.store.merging import Merging
from crenn.store.models import Frame, Mark, Revision, Scene, Section, Take
from crenn.store.sections import digest_of, joined, load_document, pieces_named, store_document

ENDING = ".crenn"
_MANIFEST = "scene.json"
#: Bytes of the manifest, and of a frame, at most; frames, and states, at most.
_LONGEST, _LARGEST, _FRAMES, _STATES = 256 * 2**20, 4 * 2**30, 2000, 50_000
_Name = Annotated[Words, Field(min_length=1, max_length=200)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ParcelFrame(_Part):
    """A frame: its place in the archive, its hash, and what was said of it."""

    file: str = Field(pattern=r"^frames/[0-9]{4}\.[a-z0-9]{1,10}$")
    key: str = Field(pattern=r"^[0-9a-f]{64}$")
    name: Annotated[Words, Field(min_length=1, max_length=300)]
    included: bool = True
    kind: Literal["light", "dark", "flat", "bias"] = "light"
    kind_chosen: bool = False
    seconds: float | None = Field(None, gt=0, le=1e6)
    time_typed: bool = False
    sensitivity: float | None = Field(None, gt=0)


class ParcelMerging(_Part):
    """How the scene is to be merged: instructions, and what was said of frames, by their hashes."""

    instructions: Instructions
    frames: dict[str, dict[str, Any]]


class ParcelState(_Part):
    """One state: what it came from, and the digests of its document's sections."""

    id: int
    parent: int | None
    take: int
    label: _Name
    created: datetime
    sections: dict[str, str]
    merging: ParcelMerging | None = None
    merging_before: ParcelMerging | None = None


class ParcelTake(_Part):
    """A take, and the state that it stands at."""

    id: int
    name: _Name
    state: int
    removed: bool = False


class ParcelMark(_Part):
    """A state that was kept by a name."""

    take: int
    state: int
    name: _Name


class Parcel(Document):
    """A scene, but for the bytes of its frames."""

    format: Literal["crenn-scene"] = "crenn-scene"
    version: Literal[1] = 1
    title: _Name
    choice: int = Field(0, ge=0, le=3)
    instructions: Instructions
    frames: list[ParcelFrame] = Field(min_length=1, max_length=_FRAMES)
    states: list[ParcelState] = Field(min_length=1, max_length=_STATES)
    takes: list[ParcelTake] = Field(min_length=1, max_length=200)
    marks: list[ParcelMark] = Field(default_factory=list, max_length=10_000)
    worked_on: int
    pieces: dict[str, Any]


def parcelled(session: Session, scene: Scene, library: Library) -> Iterator[bytes]:
    """A scene as one file, piece by piece; all that the database tells is read before the first.

    Raises
    ------
    CrennError
        If an original is missing.
    """
    originals = [library.original(f.content_hash, f.ending) for f in scene.frames]
    for frame, original in zip(scene.frames, originals):
        if not original.exists():
            raise CrennError("is missing from the library.", frame.name, "Bring it in again.")
    manifest = _parcel_of(session, scene).model_dump_json(exclude_defaults=True)
    names = [f"frames/{number:04}{frame.ending}" for number, frame in enumerate(scene.frames)]
    return archived([(_MANIFEST, manifest.encode()), *zip(names, originals)])


def _parcel_of(session: Session, scene: Scene) -> Parcel:
    takes = list(session.execute(select(Take).where(Take.scene_id == scene.id).order_by(Take.id)).scalars())
    mine = [take.id for take in takes]
    revisions = session.execute(select(Revision).where(Revision.take_id.in_(mine)).order_by(Revision.id)).scalars()
    marks = session.execute(select(Mark).where(Mark.take_id.in_(mine)).order_by(Mark.id)).scalars()
    by_id = {str(frame.id): frame.content_hash for frame in scene.frames}
    states, wanted = [], set()
    for revision in revisions:
        wanted |= set(revision.sections.values())
        merging, before = (_told(session, own, by_id) for own in (revision.merging, revision.merging_before))
        states.append(
            ParcelState(
                id=revision.id,
                parent=revision.parent_id,
                take=revision.take_id,
                label=revision.label,
                created=revision.created,
                sections=revision.sections,
                merging=merging,
                merging_before=before,
            )
        )
    return Parcel(
        title=scene.title,
        choice=scene.choice,
        instructions=Instructions.model_validate(scene.instructions),
        frames=[
            ParcelFrame(
                file=f"frames/{number:04}{frame.ending}",
                key=frame.content_hash,
                **{name: getattr(frame, name) for name in ParcelFrame.model_fields if name not in ("file", "key")},
            )
            for number, frame in enumerate(scene.frames)
        ],
        states=states,
        takes=[ParcelTake(id=t.id, name=t.name, state=t.revision_id or 0, removed=t.removed) for t in takes],
        marks=[ParcelMark(take=m.take_id, state=m.revision_id, name=m.name) for m in marks],
        worked_on=scene.take_id or 0,
        pieces=_pieces(session, wanted),
    )


def _told(session: Session, sections: Mapping[str, str] | None, by_id: Mapping[str, str]) -> ParcelMerging | None:
    """How a scene was to be merged, with frames by their hashes; those that have left it are left out."""
    if sections is None:
        return None
    document = load_document(session, sections)
    frames = {by_id[number]: own for number, own in document["frames"].items() if number in by_id}
    return ParcelMerging(instructions=Instructions.model_validate(document["instructions"]), frames=frames)


def _pieces(session: Session, wanted: Iterable[str]) -> dict[str, Any]:
    """Pieces of documents, and all that they name."""
    found: dict[str, Any] = {}
    missing = set(wanted)
    while missing:
        rows = session.execute(select(Section.digest, Section.content).where(Section.digest.in_(list(missing))))
        new = {row.digest: row.content for row in rows}
        if not new:
            break
        found |= new
        missing = {digest for content in new.values() for digest in pieces_named(content)} - found.keys()
    return found


def read_parcel(path: Path, name: str) -> Parcel:
    """The manifest of a scene's file, checked in all its parts.

    Raises
    ------
    CrennError
        If it is none, is damaged, or holds what cannot be.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            if archive.getinfo(_MANIFEST).file_size > _LONGEST:
                raise CrennError("tells more of itself than a scene can.", name)
            parcel = Parcel.model_validate(json.loads(archive.read(_MANIFEST)))
            for frame in parcel.frames:
                if archive.getinfo(frame.file).file_size > _LARGEST:
                    raise CrennError(f"holds a frame, {frame.name}, that is larger than one can be.", name)
    except (zipfile.BadZipFile, OSError, KeyError, RuntimeError, NotImplementedError) as fault:
        raise CrennError("is no scene that was exported, or is damaged.", name, "Export it again.") from fault
    except ValidationError as fault:
        where, why = wrong_value(fault)
        raise CrennError(f"tells of a scene that cannot be, at {where}: {why}.", name) from fault
    except ValueError as fault:
        raise CrennError("tells of a scene that cannot be:", name, f"{fault}.") from fault
    try:
        _check(parcel)
    except (KeyError, ValueError, RecursionError, CrennError) as fault:
        raise CrennError("tells of a history that cannot be.", name, str(fault).splitlines()[0]) from fault
    return parcel


def _check(parcel: Parcel) -> None:
    """A `ValueError`, `KeyError` or `CrennError` if parts of a parcel do not fit together."""
    states, takes = {state.id: state for state in parcel.states}, {take.id for take in parcel.takes}
    if len(states) < len(parcel.states) or len(takes) < len(parcel.takes):
        raise ValueError("two states, or takes, have the same number")
    if parcel.worked_on not in takes or any(take.state not in states for take in parcel.takes):
        raise ValueError("a take stands at a state that is not there")
    seen: set[int] = set()
    for state in parcel.states:
        # The oldest first: none comes from what is made later, or from itself.
        if state.take not in takes or (state.parent is not None and state.parent not in seen):
            raise ValueError(f"“{state.label}” comes from a state that is not there")
        seen.add(state.id)
    if any(mark.take not in takes or mark.state not in states for mark in parcel.marks):
        raise ValueError("a mark is at a state that is not there")
    for digest, content in parcel.pieces.items():
        if digest_of(content) != digest:
            raise ValueError("a piece of a document was changed")
    known: set[tuple[tuple[str, str], ...]] = set()
    for state in parcel.states:
        key = tuple(sorted(state.sections.items()))
        if key not in known:
            known.add(key)
            parse_treatment(_document(parcel, state.sections))


def _document(parcel: Parcel, sections: Mapping[str, str]) -> dict[str, Any]:
    return joined(sections, lambda digests: {digest: parcel.pieces[digest] for digest in digests})


def unpack(path: Path, parcel: Parcel, folder: Path) -> list[Path]:
    """Put the frames of a scene's file into a folder, each by its own name.

    Raises
    ------
    CrennError
        If one is damaged.
    """
    out = []
    with zipfile.ZipFile(path) as archive:
        for number, frame in enumerate(parcel.frames):
            there = folder / f"{number:04}" / Path(frame.file).name
            there.parent.mkdir(parents=True, exist_ok=True)
            try:
                with archive.open(frame.file) as source, open(there, "wb") as target:
                    shutil.copyfileobj(source, target, 2**20)
            except (zipfile.BadZipFile, EOFError) as fault:
                raise CrennError("is damaged within the exported scene.", frame.name, "Export it again.") from fault
            out.append(there)
    return out


def store_parcel(session: Session, parcel: Parcel, shoot_id: int, frames: Mapping[str, Frame]) -> Scene:
    """Store a scene with its takes and their history.

    Parameters
    ----------
    session : Session
    parcel : Parcel
        As of `read_parcel`.
    shoot_id : int
    frames : mapping of str to Frame
        Its frames by their hashes, not yet stored.
    """
    scene = Scene(
        shoot_id=shoot_id,
        title=parcel.title,
        choice=parcel.choice,
        instructions=parcel.instructions.model_dump(mode="json"),
    )
    session.add(scene)
    session.flush()
    for told in parcel.frames:
        frame = frames[told.key]
        for name in ("name", "included", "kind", "kind_chosen", "seconds", "time_typed", "sensitivity"):
            setattr(frame, name, getattr(told, name))
        frame.scene_id = scene.id
        session.add(frame)
    session.flush()
    takes = {take.id: Take(scene_id=scene.id, name=take.name, removed=take.removed) for take in parcel.takes}
    session.add_all(takes.values())
    session.flush()
    numbers = {key: str(frame.id) for key, frame in frames.items()}
    states: dict[int, Revision] = {}
    for state in parcel.states:
        merging, before = (_kept(session, own, numbers) for own in (state.merging, state.merging_before))
        revision = Revision(
            take_id=takes[state.take].id,
            parent_id=None if state.parent is None else states[state.parent].id,
            sections=store_document(session, _document(parcel, state.sections)),
            label=state.label,
            created=state.created,
            merging=merging,
            merging_before=before,
        )
        session.add(revision)
        session.flush()
        states[state.id] = revision
    for take in parcel.takes:
        takes[take.id].revision_id = states[take.state].id
    for mark in parcel.marks:
        session.add(Mark(take_id=takes[mark.take].id, revision_id=states[mark.state].id, name=mark.name))
    scene.take_id = takes[parcel.worked_on].id
    session.flush()
    return scene


def _kept(session: Session, told: ParcelMerging | None, numbers: Mapping[str, str]) -> dict[str, str] | None:
    if told is None:
        return None
    frames = {numbers[key]: own for key, own in told.frames.items() if key in numbers}
    return Merging(told.instructions.model_dump(mode="json"), frames).kept(session)
