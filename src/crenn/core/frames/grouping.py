"""Which frames belong together: scenes by time and exposure."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

#: A pause longer than this, besides the exposures themselves, ends a bracket, in seconds.
PAUSE = 12.0
#: Sensitivities closer than this are the same step of a bracket, in stops.
SAME_STEP = 0.15


@dataclass(frozen=True)
class GroupingKey:
    """What grouping looks at: ``sensitivity`` is relative light recorded, None if unknown."""

    taken: datetime | None
    seconds: float | None
    sensitivity: float | None
    camera: str
    width: int
    height: int
    focal_length: float | None


def _breaks(before: GroupingKey, here: GroupingKey) -> bool:
    """Whether a frame cannot be of the same scene as the one before it."""
    if (before.camera, before.width, before.height) != (here.camera, here.width, here.height):
        return True
    if before.focal_length and here.focal_length and abs(before.focal_length - here.focal_length) > 0.5:
        return True
    if before.taken is None or here.taken is None:
        return True
    gap = (here.taken - before.taken).total_seconds() - (before.seconds or 0.0)
    return gap > PAUSE


def group_frames(keys: Sequence[GroupingKey]) -> list[list[int]]:
    """Group frames into scenes.

    Frames follow each other in time. A scene ends at a pause, another camera, size or focal length, and where a
    bracket starts over: a step comes again that the scene already has, while the scene has several.

    Parameters
    ----------
    keys : sequence of GroupingKey
        In the order of their files.

    Returns
    -------
    list of list of int
        Indices into ``keys``; each scene in the order of time.
    """
    order = sorted(range(len(keys)), key=lambda i: (keys[i].taken or datetime.max, i))
    scenes: list[list[int]] = []
    steps: list[float] = []
    for index in order:
        key = keys[index]
        stop = float(np.log2(key.sensitivity)) if key.sensitivity else None
        again = stop is not None and any(abs(stop - s) < SAME_STEP for s in steps)
        # A second bracket starts with a step of the first; equal frames all share one step and stay together.
        varied = len(steps) > 1 and max(steps) - min(steps) > SAME_STEP
        equal = len(steps) > 1 and not varied
        changed = equal and stop is not None and not again
        if not scenes or _breaks(keys[scenes[-1][-1]], key) or (varied and again) or changed:
            scenes.append([])
            steps = []
        scenes[-1].append(index)
        if stop is not None:
            steps.append(stop)
    return scenes
