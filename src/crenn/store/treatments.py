"""Treatments of a scene: takes, each with append-only revisions and a pointer that undo and redo move."""

from collections.abc import Iterator, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.basis import basis_of
from crenn.core.changes import Change
from crenn.core.errors import CrennError, Missing
from crenn.core.treatment import Treatment, parse_treatment
from crenn.store.merging import merging_at, take_merging
from crenn.store.models import Revision, Scene, Take
from crenn.store.sections import load_document, store_document

#: What the first take of a scene is called.
FIRST = "First take"


class StaleRevision(CrennError):
    """The scene was changed elsewhere since the caller last looked."""


def treatment_of(session: Session, revision: Revision, scene: Scene) -> Treatment:
    """The treatment of a revision, with its places where they lie in the scene as it is merged now."""
    return parse_treatment(load_document(session, revision.sections)).in_basis(*basis_of(scene.report))


def current_revision(session: Session, scene: Scene) -> Revision:
    """The revision that the scene's take stands at."""
    return session.get_one(Revision, scene.take.revision_id)


def current_treatment(session: Session, scene: Scene) -> Treatment:
    """The treatment that the scene's take stands at."""
    return treatment_of(session, current_revision(session, scene), scene)


def locked(session: Session, scene_id: int) -> Scene:
    """A scene that nobody else changes until the transaction ends.

    Raises
    ------
    Missing
        If there is none of that number.
    """
    scene = session.execute(select(Scene).where(Scene.id == scene_id).with_for_update()).scalar_one_or_none()
    if scene is None:
        raise Missing("This scene is no longer in the library.")
    return scene


def _stored(session: Session, treatment: Treatment) -> dict[str, str]:
    """Keep what of a treatment departs from the default; the digests of its sections."""
    document, default = treatment.model_dump(mode="json"), Treatment().model_dump(mode="json")
    stated = ("format", "version")
    return store_document(
        session, {name: own for name, own in document.items() if name in stated or own != default[name]}
    )


def start_treatment(session: Session, scene: Scene) -> Take:
    """Give a scene its first take, with the default treatment."""
    take = Take(scene_id=scene.id, name=FIRST)
    session.add(take)
    session.flush()
    revision = Revision(take_id=take.id, parent_id=None, sections=_stored(session, Treatment()), label="Start")
    session.add(revision)
    session.flush()
    take.revision_id, scene.take_id = revision.id, take.id
    return take


def change_treatment(
    session: Session, scene_id: int, change: dict | Sequence[Change], parent_id: int, label: str
) -> Revision:
    """Store a changed treatment.

    Parameters
    ----------
    session : Session
    scene_id : int
    change : dict or sequence of Change
        A document, or what is other than in the revision ``parent_id``.
    parent_id : int
    label : str

    Raises
    ------
    StaleRevision
        If ``parent_id`` is no longer the revision of the scene's take: another tab changed it meanwhile.
    UnknownPlace
        If a change leads nowhere.
    InvalidTreatment
        If the document has an unknown or out-of-range value.
    """
    scene = locked(session, scene_id)
    take = scene.take
    if not _is_newest(session, take, parent_id):
        raise StaleRevision("This scene was changed in another window.", remedy="Its newest state is shown now.")
    if isinstance(change, dict):
        sections = _stored(session, parse_treatment(change).in_basis(*basis_of(scene.report)))
    else:
        sections = _changed(session, scene, change)
    revision = Revision(take_id=take.id, parent_id=take.revision_id, sections=sections, label=label[:200])
    session.add(revision)
    session.flush()
    take.revision_id = revision.id
    return revision


def _is_newest(session: Session, take: Take, revision_id: int) -> bool:
    """Whether a take stands at a revision, or at one after it that changed nothing but how the scene is merged."""
    at = session.get_one(Revision, take.revision_id)
    while at.id != revision_id and at.merging is not None and at.parent_id is not None:
        parent = session.get_one(Revision, at.parent_id)
        if parent.sections != at.sections:
            return False
        at = parent
    return at.id == revision_id


def _changed(session: Session, scene: Scene, changes: Sequence[Change]) -> dict[str, str]:
    """Keep what changes make of the scene's treatment; sections that they do not touch are neither read nor written."""
    before = current_revision(session, scene).sections
    heads = {change.path[0] for change in changes}
    part = load_document(
        session, {name: before[name] for name in before if name in heads | {"format", "version", "basis"}}
    )
    found = parse_treatment(part)
    basis, _ = basis_of(scene.report)
    if part.get("version") != found.version or (basis is not None and basis != found.basis):
        return _stored(session, current_treatment(session, scene).changed(changes))
    kept = {name: digest for name, digest in before.items() if name not in heads}
    return kept | _stored(session, found.changed(changes))


def undo(session: Session, scene_id: int) -> Revision:
    """Step back to the state before; stays at the first of the take."""
    scene = locked(session, scene_id)
    before = _before(session, scene)
    if before is not None:
        _stand_at(session, scene, before)
    return current_revision(session, scene)


def _before(session: Session, scene: Scene) -> int | None:
    """The revision that undo would go to: what a take was made from is not its own to take back."""
    here = current_revision(session, scene)
    before = None if here.parent_id is None else session.get_one(Revision, here.parent_id)
    return None if before is None or before.take_id != scene.take_id else before.id


def redo(session: Session, scene_id: int) -> Revision:
    """Step forward along the latest branch of the take; stays at its end."""
    scene = locked(session, scene_id)
    for revision_id in following(session, scene.take):
        _stand_at(session, scene, revision_id)
        break
    return current_revision(session, scene)


def _stand_at(session: Session, scene: Scene, revision_id: int) -> None:
    """Move a scene's take to a revision; how the scene is to be merged goes with it."""
    scene.take.revision_id = revision_id
    take_merging(session, scene, merging_at(session, scene, session.get_one(Revision, revision_id)))


def following(session: Session, take: Take) -> Iterator[int]:
    """The revisions of a take that redo would go to, one after the other: the latest of those that follow a state."""
    at = take.revision_id
    while at is not None:
        at = session.execute(
            select(Revision.id)
            .where(Revision.parent_id == at, Revision.take_id == take.id)
            .order_by(Revision.id.desc())
            .limit(1)
        ).scalar_one_or_none()
        if at is not None:
            yield at


def steps_possible(session: Session, scene: Scene) -> tuple[bool, bool]:
    """Whether undo and redo would move."""
    return _before(session, scene) is not None, next(following(session, scene.take), None) is not None
