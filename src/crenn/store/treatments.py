"""Treatments of a scene: takes, each with append-only revisions and a pointer that undo and redo move."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.basis import basis_of
from crenn.core.changes import Change
from crenn.core.errors import CrennError, Missing
from crenn.core.treatment import Treatment, parse_treatment
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


def _locked(session: Session, scene_id: int) -> Scene:
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
    scene = _locked(session, scene_id)
    take = scene.take
    if take.revision_id != parent_id:
        raise StaleRevision("This scene was changed in another window.", remedy="Its newest state is shown now.")
    if isinstance(change, dict):
        sections = _stored(session, parse_treatment(change).in_basis(*basis_of(scene.report)))
    else:
        sections = _changed(session, scene, change)
    revision = Revision(take_id=take.id, parent_id=parent_id, sections=sections, label=label[:200])
    session.add(revision)
    session.flush()
    take.revision_id = revision.id
    return revision


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
    """Step back to the state before; stays at the first."""
    scene = _locked(session, scene_id)
    here = current_revision(session, scene)
    if here.parent_id is not None:
        scene.take.revision_id = here.parent_id
    return current_revision(session, scene)


def redo(session: Session, scene_id: int) -> Revision:
    """Step forward along the latest branch of the take; stays at its end."""
    scene = _locked(session, scene_id)
    following = _following(session, scene.take)
    if following is not None:
        scene.take.revision_id = following
    return current_revision(session, scene)


def _following(session: Session, take: Take) -> int | None:
    """The revision that redo would go to: the take's own latest, before those of other takes."""
    return session.execute(
        select(Revision.id)
        .where(Revision.parent_id == take.revision_id)
        .order_by((Revision.take_id == take.id).desc(), Revision.id.desc())
        .limit(1)
    ).scalar_one_or_none()


def steps_possible(session: Session, scene: Scene) -> tuple[bool, bool]:
    """Whether undo and redo would move."""
    here = current_revision(session, scene)
    return here.parent_id is not None, _following(session, scene.take) is not None
