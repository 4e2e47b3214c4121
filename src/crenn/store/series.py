"""The series of a shoot."""

import re
from collections.abc import Sequence
from itertools import pairwise

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from crenn.core.frames.intervals import Moment, Series, find_series, moment_of
from crenn.store.models import Frame, Job, Revision, Scene, Take
from crenn.store.treatments import undo

#: What treating a scene with its series is called in its history.
TREATED = "Along the series"
#: A clock is set back once or twice; where times go back more often, names do not tell the order.
_SET_BACK = 2


def series_of(session: Session, shoot_id: int) -> list[tuple[Series, list[Scene]]]:
    """The series of a shoot, and their scenes in the order of time; scenes in the bin belong to none."""
    # Reports are large, and not looked at.
    found = session.execute(
        select(Scene)
        .where(Scene.shoot_id == shoot_id, Scene.binned.is_(False))
        .options(selectinload(Scene.frames), selectinload(Scene.take))
    ).scalars()
    scenes = _in_order([scene for scene in found if _lights(scene)])
    series = find_series([_moment(scene) for scene in scenes])
    return [(one, [scenes[i] for i in one.members]) for one in series]


def measured(session: Session, shoot_id: int, scenes: Sequence[int]) -> dict | None:
    """What the last look at the light of these scenes has found; None if nobody has looked."""
    jobs = select(Job).where(Job.shoot_id == shoot_id, Job.kind == "series", Job.state == "done")
    for job in session.execute(jobs.order_by(Job.id.desc()).limit(20)).scalars():
        if job.result and job.result["scenes"] == list(scenes):
            return job.result
    return None


def treated_along(session: Session, scenes: Sequence[int]) -> set[int]:
    """Those of some scenes that stand as they were treated with their series."""
    standing = select(Scene.id).join(Take, Take.id == Scene.take_id).join(Revision, Revision.id == Take.revision_id)
    return set(session.execute(standing.where(Scene.id.in_(scenes), Revision.label == TREATED)).scalars())


def take_back(session: Session, scenes: Sequence[int]) -> int:
    """Take back what scenes were treated with along their series, where nothing was done since; how many."""
    treated = sorted(treated_along(session, scenes))
    for number in treated:
        undo(session, number)
    return len(treated)


def _lights(scene: Scene) -> list[Frame]:
    return [frame for frame in scene.frames if frame.kind == "light" and frame.included]


def _in_order(scenes: list[Scene]) -> list[Scene]:
    """By the names of their files, or by time where those do not tell."""
    named = sorted(scenes, key=lambda s: min(_natural(f.name) for f in _lights(s)))
    times = [m.taken for s in named if (m := _moment(s)).taken is not None]
    if sum(b < a for a, b in pairwise(times)) <= _SET_BACK:
        return named
    return sorted(named, key=lambda s: (_moment(s).taken is None, _moment(s).taken))


def _natural(name: str) -> list[tuple[int, str]]:
    """Names with their numbers in order of size."""
    return [(int(part), "") if part.isdigit() else (-1, part) for part in re.split(r"(\d+)", name) if part]


def _moment(scene: Scene) -> Moment:
    lights = _lights(scene)
    return moment_of(lights, lights[0].camera)
