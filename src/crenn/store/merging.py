"""How a scene is to be merged, as a part of its history: instructions, and what its frames are for."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, aliased

from crenn.core.merge.instructions import Instructions
from crenn.store.models import Revision, Scene, Take
from crenn.store.sections import load_document, store_document

#: What of a frame can be changed by hand.
_OF_FRAME = ("included", "kind", "kind_chosen", "seconds", "time_typed", "sensitivity")
#: What changes of instructions are called.
_TITLES = {
    "mode": "Bracket or stack",
    "align": "Alignment",
    "deghost": "What moved",
    "keep_trails": "Passing lights kept",
    "method": "How a stack becomes one",
    "follow": "What a stack follows",
    "fringes": "Fringes in the merge",
    "detail": "Detail of moved frames",
    "borders": "Borders",
    "reference": "Reference frame",
    "seconds": "Exposure times",
    "filter_stops": "Filter",
    "day": "By day",
    "strokes": "Strokes on the merge",
    "choices": "Frames for what moved",
}


@dataclass(frozen=True)
class Merging:
    """How a scene is to be merged.

    Attributes
    ----------
    instructions : mapping
        See `crenn.core.merge.instructions.Instructions`.
    frames : mapping of str to mapping
        By number, what was said of each frame.
    """

    instructions: Mapping[str, Any]
    frames: Mapping[str, Mapping[str, Any]]

    @classmethod
    def of(cls, scene: Scene) -> "Merging":
        """That of a scene as it is."""
        frames = {str(frame.id): {name: getattr(frame, name) for name in _OF_FRAME} for frame in scene.frames}
        # What was never said stands there as it is meant.
        return cls(Instructions.model_validate(scene.instructions).model_dump(mode="json"), frames)

    def kept(self, session: Session) -> dict[str, str]:
        """Keep it; the digests of its sections."""
        return store_document(session, {"instructions": self.instructions, "frames": self.frames})

    def named(self, before: "Merging") -> str:
        """What is other than before, in words."""
        for number, own in self.frames.items():
            was = before.frames.get(number, own)
            if own["included"] != was["included"]:
                return "A frame taken in" if own["included"] else "A frame left out"
            if own["kind"] != was["kind"]:
                return "What a frame is for"
            if own["seconds"] != was["seconds"]:
                return "An exposure time"
        names = [
            name
            for name in self.instructions.keys() | before.instructions.keys()
            if self.instructions.get(name) != before.instructions.get(name) and name in _TITLES
        ]
        return _TITLES[names[0]] if len(names) == 1 else "Merging"


def note_merging(session: Session, scene: Scene, before: Merging) -> Revision | None:
    """Put what was changed about merging into the history of a scene's take; nothing if nothing was."""
    after = Merging.of(scene)
    if after == before or scene.take is None:
        return None
    take = scene.take
    here = session.get_one(Revision, take.revision_id)
    revision = Revision(
        take_id=take.id,
        parent_id=here.id,
        sections=here.sections,
        label=after.named(before),
        merging=after.kept(session),
        merging_before=before.kept(session),
    )
    session.add(revision)
    session.flush()
    take.revision_id = revision.id
    return revision


def merging_at(session: Session, scene: Scene, revision: Revision) -> Merging | None:
    """How a scene was to be merged at a state; None if that has never been changed."""
    of_scene = select(Revision).join(Take, Take.id == Revision.take_id).where(Take.scene_id == scene.id)
    # Before the first change it was as that has found it; most scenes have none, and need no look at what came before.
    first = session.execute(
        of_scene.where(Revision.merging_before.is_not(None)).order_by(Revision.id).limit(1)
    ).scalar_one_or_none()
    if first is None:
        return None
    line = (
        select(Revision.id, Revision.parent_id, Revision.merging).where(Revision.id == revision.id).cte(recursive=True)
    )
    before = aliased(Revision)
    line = line.union_all(select(before.id, before.parent_id, before.merging).where(before.id == line.c.parent_id))
    nearest = session.execute(
        select(line.c.merging).where(line.c.merging.is_not(None)).order_by(line.c.id.desc()).limit(1)
    ).scalar_one_or_none()
    return _read(session, first.merging_before or {} if nearest is None else nearest)


def _read(session: Session, digests: Mapping[str, str]) -> Merging:
    document = load_document(session, digests)
    return Merging(document["instructions"], document["frames"])


def take_merging(session: Session, scene: Scene, merging: Merging | None) -> bool:
    """Have a scene merged in a way from now on; whether that is another. Frames that have gone meanwhile are left."""
    now = Merging.of(scene)
    if merging is None or merging == now:
        return False
    scene.instructions = dict(merging.instructions)
    for frame in scene.frames:
        for name, value in merging.frames.get(str(frame.id), {}).items():
            setattr(frame, name, value)
    return Merging.of(scene) != now
