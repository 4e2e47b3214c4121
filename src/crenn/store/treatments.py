"""Treatments of a scene: append-only revisions and a pointer that undo and redo move."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.areas.moving import remerged
from crenn.core.errors import CrennError, Missing
from crenn.core.treatment import Treatment, parse_treatment
from crenn.store.models import Revision, Scene


class StaleRevision(CrennError):
    """The scene was changed elsewhere since the caller last looked."""


def _locked(session: Session, scene_id: int) -> Scene:
    scene = session.execute(select(Scene).where(Scene.id == scene_id).with_for_update()).scalar_one_or_none()
    if scene is None:
        raise Missing("This scene is no longer in the library.")
    return scene


def start_treatment(session: Session, scene: Scene) -> Revision:
    """Give a scene its first, default treatment."""
    revision = Revision(scene_id=scene.id, parent_id=None, document=Treatment().model_dump(mode="json"), label="Start")
    session.add(revision)
    session.flush()
    scene.revision_id = revision.id
    return revision


def change_treatment(session: Session, scene_id: int, document: dict, parent_id: int, label: str) -> Revision:
    """Store a changed treatment.

    Raises
    ------
    StaleRevision
        If ``parent_id`` is no longer the scene's revision: another tab changed it meanwhile.
    InvalidTreatment
        If the document has an unknown or out-of-range value.
    """
    treatment = parse_treatment(document)
    scene = _locked(session, scene_id)
    if scene.revision_id != parent_id:
        raise StaleRevision("This scene was changed in another window.", remedy="Its newest state is shown now.")
    revision = Revision(
        scene_id=scene_id, parent_id=parent_id, document=treatment.model_dump(mode="json"), label=label[:200]
    )
    session.add(revision)
    session.flush()
    scene.revision_id = revision.id
    return revision


def undo(session: Session, scene_id: int) -> Revision:
    """Step back to the state before; stays at the first."""
    scene = _locked(session, scene_id)
    here = session.get_one(Revision, scene.revision_id)
    if here.parent_id is not None:
        scene.revision_id = here.parent_id
    return session.get_one(Revision, scene.revision_id)


def redo(session: Session, scene_id: int) -> Revision:
    """Step forward along the latest branch; stays at its end."""
    scene = _locked(session, scene_id)
    following = session.execute(
        select(Revision).where(Revision.parent_id == scene.revision_id).order_by(Revision.id.desc()).limit(1)
    ).scalar_one_or_none()
    if following is not None:
        scene.revision_id = following.id
    return session.get_one(Revision, scene.revision_id)


def steps_possible(session: Session, scene: Scene) -> tuple[bool, bool]:
    """Whether undo and redo would move."""
    here = session.get_one(Revision, scene.revision_id)
    following = session.execute(select(Revision.id).where(Revision.parent_id == here.id).limit(1)).first()
    return here.parent_id is not None, following is not None


def keep_in_place(session: Session, scene: Scene, report: dict) -> None:
    """Keep areas on what they cover once a scene has been merged anew and shows another part of what was recorded.

    Parameters
    ----------
    session : Session
    scene : Scene
        As it was before, with its report.
    report : dict
        Of the new merge.
    """
    here = session.get_one(Revision, scene.revision_id)
    treatment = parse_treatment(here.document)
    areas = remerged(treatment.areas, scene.report or {}, report)
    if areas is None:
        return
    document = treatment.model_copy(update={"areas": areas}).model_dump(mode="json")
    revision = Revision(scene_id=scene.id, parent_id=here.id, document=document, label="Areas kept in place")
    session.add(revision)
    session.flush()
    scene.revision_id = revision.id
