"""The history of a scene's treatment: what was done, in words, and back to any of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.errors import CrennError, Missing
from crenn.core.treatment import STEPS, Treatment
from crenn.store.merging import Merging, merging_at, take_merging
from crenn.store.models import Mark, Revision, Scene, Take
from crenn.store.treatments import current_revision, following, locked, treatment_of

#: So many of the newest revisions are told, and marks of a take at most.
_MOST, _MARKS = 2000, 200
#: Moves of one dial that follow each other within this time are one entry.
_TOGETHER = timedelta(minutes=2)
#: Stations by the sections of a document; what is none of a step's stands here.
_STATIONS = {step.name: step.station for step in STEPS} | {"areas": "areas", "mend": "mend"}
#: Sections that change with others, and say nothing by themselves.
_STATED = {"format", "version", "basis"}


@dataclass(frozen=True)
class Entry:
    """One change, or several moves of one dial.

    Attributes
    ----------
    revision : int
        The state after it.
    label : str
    station : str or None
        Where it was made, as far as what it changed tells.
    created : datetime
    place : str
        "done"; "ahead" of where the take stands, as far as redo goes; or on a "branch" that was left.
    here : bool
        Whether the take stands there.
    marks : sequence of str
        Names of the states that were kept there.
    moves : int
        How many revisions it stands for.
    """

    revision: int
    label: str
    station: str | None
    created: datetime
    place: str
    here: bool
    marks: Sequence[str]
    moves: int = 1


def history(session: Session, scene: Scene) -> list[Entry]:
    """What was done in a scene's take, and before it was made from another; the oldest first."""
    rows = {
        row.id: row
        for row in session.execute(
            select(Revision)
            .join(Take, Take.id == Revision.take_id)
            .where(Take.scene_id == scene.id)
            .order_by(Revision.id.desc())
            .limit(_MOST)
        ).scalars()
    }
    take = scene.take
    done, at = set(), rows.get(take.revision_id or 0)
    while at is not None:
        done.add(at.id)
        at = rows.get(at.parent_id or 0)
    ahead = set(following(session, take))
    marks: dict[int, list[str]] = {}
    for mark in marks_of(session, take):
        marks.setdefault(mark.revision_id, []).append(mark.name)
    entries: list[Entry] = []
    before: Revision | None = None
    for number in sorted(rows):
        row = rows[number]
        if row.take_id != take.id and row.id not in done:
            continue
        place = "done" if row.id in done else "ahead" if row.id in ahead else "branch"
        parent = rows.get(row.parent_id or 0)
        entry = Entry(
            row.id, row.label, _station(row, parent), row.created, place, row.id == take.revision_id,
            tuple(marks.get(row.id, ())),
        )  # fmt: skip
        last = entries[-1] if entries else None
        if (
            last is not None
            and before is not None
            and row.parent_id == before.id
            and (last.label, last.place) == (entry.label, entry.place)
            and not last.marks
            and not last.here
            and entry.created - last.created < _TOGETHER
        ):
            entries[-1] = replace(entry, moves=last.moves + 1)
        else:
            entries.append(entry)
        before = row
    return entries


def _station(row: Revision, parent: Revision | None) -> str | None:
    if row.merging is not None:
        return "merge"
    if parent is None:
        return None
    names = {
        name for name in row.sections.keys() | parent.sections.keys() if _digest(row, name) != _digest(parent, name)
    }
    found = {_STATIONS[name] for name in names - _STATED if name in _STATIONS}
    return found.pop() if len(found) == 1 else None


def _digest(row: Revision, name: str) -> str | None:
    sections: Mapping[str, str] = row.sections
    return sections.get(name)


def _of_scene(session: Session, scene: Scene, revision_id: int) -> Revision:
    found = session.get(Revision, revision_id)
    if found is None or session.get_one(Take, found.take_id).scene_id != scene.id:
        raise Missing("This state is not of this scene.")
    return found


def state(session: Session, scene: Scene, revision_id: int) -> Treatment:
    """The treatment of a state of a scene, with its places where they lie now.

    Raises
    ------
    Missing
        If the state is of no take of the scene.
    """
    return treatment_of(session, _of_scene(session, scene, revision_id), scene)


def back_to(session: Session, scene_id: int, revision_id: int, label: str) -> Revision:
    """Have a state again, as a change like any other: what came after stays, and undo leads back.

    How the scene is to be merged goes with it.

    Raises
    ------
    Missing
        If the state is of no take of the scene.
    """
    scene = locked(session, scene_id)
    found, take = _of_scene(session, scene, revision_id), scene.take
    changed = take_merging(session, scene, merging_at(session, scene, found))
    revision = Revision(
        take_id=take.id,
        parent_id=take.revision_id,
        sections=found.sections,
        label=label[:200],
        merging=Merging.of(scene).kept(session) if changed else None,
    )
    session.add(revision)
    session.flush()
    take.revision_id = revision.id
    return revision


def marks_of(session: Session, take: Take) -> list[Mark]:
    """The states of a take that were kept by a name, the oldest first."""
    return list(session.execute(select(Mark).where(Mark.take_id == take.id).order_by(Mark.id)).scalars())


def keep(session: Session, scene_id: int, name: str, revision_id: int | None = None) -> Mark:
    """Keep a state by a name, the present one if none is told; one of that name is replaced.

    Raises
    ------
    CrennError
        If there are too many.
    Missing
        If the state is of no take of the scene.
    """
    scene = locked(session, scene_id)
    take = scene.take
    revision = current_revision(session, scene) if revision_id is None else _of_scene(session, scene, revision_id)
    found = session.execute(select(Mark).where(Mark.take_id == take.id, Mark.name == name)).scalar_one_or_none()
    if found is None:
        if len(marks_of(session, take)) >= _MARKS:
            raise CrennError(f"There are {_MARKS} marks in this take already.", remedy="Forget some first.")
        found = Mark(take_id=take.id, name=name, revision_id=revision.id)
        session.add(found)
    found.revision_id = revision.id
    session.flush()
    return found


def forget(session: Session, scene_id: int, name: str) -> None:
    """Forget a mark; the state itself stays in the history.

    Raises
    ------
    Missing
        If there is none of that name.
    """
    scene = locked(session, scene_id)
    found = session.execute(select(Mark).where(Mark.take_id == scene.take_id, Mark.name == name)).scalar_one_or_none()
    if found is None:
        raise Missing(f"There is no mark “{name}”.")
    session.delete(found)
