"""Takes: several treatments of one scene, each with its own history."""

from sqlalchemy import select
from sqlalchemy.orm import Session, aliased

from crenn.core.errors import CrennError, Missing
from crenn.core.treatment import Treatment
from crenn.store.merging import merging_at, take_merging
from crenn.store.models import Mark, Revision, Scene, Take
from crenn.store.treatments import current_revision, locked, treatment_of

#: Takes of a scene at most.
_MOST = 50


def takes_of(session: Session, scene: Scene) -> list[Take]:
    """The takes of a scene, the oldest first."""
    return list(
        session.execute(
            select(Take).where(Take.scene_id == scene.id, Take.removed.is_(False)).order_by(Take.id)
        ).scalars()
    )


def take_of(session: Session, scene: Scene, take_id: int) -> Take:
    """A take of a scene.

    Raises
    ------
    Missing
        If it is none of them.
    """
    found = session.get(Take, take_id)
    if found is None or found.scene_id != scene.id or found.removed:
        raise Missing("This take is no longer there.")
    return found


def take_named(session: Session, scene: Scene, name: str) -> Take:
    """The take of a scene with a name.

    Raises
    ------
    Missing
        If there is none.
    """
    takes = takes_of(session, scene)
    found = next((take for take in takes if take.name == name), None)
    if found is None:
        raise Missing(f"There is no take “{name}”.", remedy=f"There are: {', '.join(take.name for take in takes)}.")
    return found


def new_take(session: Session, scene_id: int, name: str, revision_id: int | None = None) -> Take:
    """Begin another take from a state, the present one if none is told, and work on it.

    Raises
    ------
    CrennError
        If there are too many, or one of that name.
    Missing
        If the state is of no take of the scene.
    """
    scene = locked(session, scene_id)
    takes = takes_of(session, scene)
    _free(takes, name)
    if len(takes) >= _MOST:
        raise CrennError(f"There are {_MOST} takes of this scene already.", remedy="Take some away first.")
    begin = current_revision(session, scene) if revision_id is None else session.get(Revision, revision_id)
    if begin is None or session.get_one(Take, begin.take_id).scene_id != scene.id:
        raise Missing("This state is not of this scene.")
    take = Take(scene_id=scene.id, name=name)
    session.add(take)
    session.flush()
    revision = Revision(
        take_id=take.id, parent_id=begin.id, sections=begin.sections, label=f"Take “{name}” begun"[:200]
    )
    session.add(revision)
    session.flush()
    take.revision_id = revision.id
    for mark in _marks_on_the_way(session, begin):
        session.add(Mark(take_id=take.id, revision_id=mark.revision_id, name=mark.name))
    _work_on(session, scene, take)
    return take


def _marks_on_the_way(session: Session, state: Revision) -> list[Mark]:
    """Marks of a state's take at the state, or at what it came from: a take that begins there keeps them."""
    line = select(Revision.id, Revision.parent_id).where(Revision.id == state.id).cte(recursive=True)
    before = aliased(Revision)
    line = line.union_all(select(before.id, before.parent_id).where(before.id == line.c.parent_id))
    found = select(Mark).where(Mark.take_id == state.take_id, Mark.revision_id.in_(select(line.c.id)))
    return list(session.execute(found.order_by(Mark.id)).scalars())


def choose(session: Session, scene_id: int, take_id: int) -> None:
    """Work on a take from now on; how the scene is to be merged goes with it.

    Raises
    ------
    Missing
        If it is none of the scene's.
    """
    scene = locked(session, scene_id)
    _work_on(session, scene, take_of(session, scene, take_id))


def _work_on(session: Session, scene: Scene, take: Take) -> None:
    scene.take_id = take.id
    session.flush()
    session.refresh(scene, ["take"])
    take_merging(session, scene, merging_at(session, scene, current_revision(session, scene)))


def rename(session: Session, scene_id: int, take_id: int, name: str) -> None:
    """Give a take another name.

    Raises
    ------
    CrennError
        If another has it.
    """
    scene = locked(session, scene_id)
    take = take_of(session, scene, take_id)
    _free([other for other in takes_of(session, scene) if other is not take], name)
    take.name = name


def remove(session: Session, scene_id: int, take_id: int) -> None:
    """Take a take away; what was made from it keeps its history.

    Raises
    ------
    CrennError
        If it is the one that is worked on.
    """
    scene = locked(session, scene_id)
    if scene.take_id == take_id:
        raise CrennError("This take is the one that is worked on.", remedy="Choose another one first.")
    take_of(session, scene, take_id).removed = True


def treatment_of_take(session: Session, scene: Scene, take: Take) -> Treatment:
    """The treatment that a take stands at, with its places where they lie now."""
    return treatment_of(session, session.get_one(Revision, take.revision_id), scene)


def _free(takes: list[Take], name: str) -> None:
    if any(take.name == name for take in takes):
        raise CrennError(f"There is a take “{name}” already.", remedy="Give it another name.")
