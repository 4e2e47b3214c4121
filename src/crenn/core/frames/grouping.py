"""Which frames belong together: scenes by time and exposure."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import cv2
import numpy as np

from crenn.core.frames.intervals import LEAST, are_even

#: A pause longer than this, besides the exposures themselves, ends a bracket, in seconds.
PAUSE = 12.0
#: Sensitivities closer than this are the same step of a bracket, in stops.
SAME_STEP = 0.15
#: Views of the same exposure correlate by more than this.
_ALIKE = 0.9


@dataclass(frozen=True)
class GroupingKey:
    """What grouping looks at.

    ``sensitivity`` is relative light recorded, None if unknown; ``kind`` as of `crenn.core.frames.kinds`; ``signature``
    a small picture of the view, float (N,), or None.
    """

    taken: datetime | None
    seconds: float | None
    sensitivity: float | None
    camera: str
    width: int
    height: int
    focal_length: float | None
    kind: str = "light"
    signature: np.ndarray | None = None


def signature_of(picture: np.ndarray) -> np.ndarray:
    """A view's coarse structure, whatever its exposure.

    Parameters
    ----------
    picture : ndarray, uint8 (h, w, 3)

    Returns
    -------
    ndarray, float32 (384,)
        Of mean 0 and length 1.
    """
    small = cv2.resize(picture, (24, 16), interpolation=cv2.INTER_AREA).astype(np.float32).mean(-1)
    tone = np.log2(small + 4)
    tone -= cv2.GaussianBlur(tone, (0, 0), 5)
    tone -= tone.mean()
    return (tone / max(float(np.linalg.norm(tone)), 1e-6)).ravel()


def _same_view(a: GroupingKey, b: GroupingKey) -> bool:
    if a.signature is None or b.signature is None:
        return False
    return float(a.signature @ b.signature) > _ALIKE


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
    bracket starts over: a step comes again that the scene already has, while the scene has several, unless it shows the
    same view: then it is a stack of brackets, or a series of them, if they are many at even intervals. Dark, flat and
    bias frames go to the scene of their camera that is nearest in time, dark frames to one of their exposure if there
    is one.

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
    calibration = [i for i in order if keys[i].kind != "light"]
    if len(calibration) == len(order):
        calibration = []
    scenes: list[list[int]] = []
    steps: dict[int, float] = {}
    for index in order:
        if index in calibration:
            continue
        key = keys[index]
        stop = float(np.log2(key.sensitivity)) if key.sensitivity else None
        alike = [i for i, s in steps.items() if stop is not None and abs(stop - s) < SAME_STEP]
        # A second bracket starts with a step of the first; equal frames all share one step and stay together.
        varied = len(steps) > 1 and max(steps.values()) - min(steps.values()) > SAME_STEP
        again = varied and bool(alike) and not any(_same_view(keys[i], key) for i in alike)
        changed = len(steps) > 1 and not varied and stop is not None and not alike
        if not scenes or _breaks(keys[scenes[-1][-1]], key) or again or changed:
            scenes.append([])
            steps = {}
        scenes[-1].append(index)
        if stop is not None:
            steps[index] = stop
    scenes = [bracket for scene in scenes for bracket in _brackets(scene, keys)]
    for index in calibration:
        scenes[_nearest(keys, scenes, index)].append(index)
    return scenes


def _brackets(scene: list[int], keys: Sequence[GroupingKey]) -> list[list[int]]:
    """The brackets of a scene by themselves, if there are as many as a series has, one like the other."""
    steps = [keys[i].sensitivity for i in scene]
    taken = [keys[i].taken for i in scene]
    if None in steps or None in taken or len(scene) < 2 * LEAST:
        return [scene]
    stops = np.log2(np.array(steps, np.float64))
    alike = np.flatnonzero(np.abs(stops[1:] - stops[0]) < SAME_STEP) + 1
    if alike.size == 0 or alike[0] == 1:
        return [scene]
    each = int(alike[0])
    if len(scene) % each or len(scene) // each < LEAST:
        return [scene]
    rounds = stops.reshape(-1, each)
    begins = [t.timestamp() for t in taken[::each] if t is not None]
    if np.abs(rounds - rounds[0]).max() > SAME_STEP or not are_even(np.diff(begins)):
        return [scene]
    return [scene[first : first + each] for first in range(0, len(scene), each)]


def _nearest(keys: Sequence[GroupingKey], scenes: list[list[int]], index: int) -> int:
    """The scene that a calibration frame serves."""
    own = keys[index]

    def distance(scene: list[int]) -> tuple:
        lights = [keys[i] for i in scene if keys[i].kind == "light"] or [keys[i] for i in scene]
        other = all((k.camera, k.width, k.height) != (own.camera, own.width, own.height) for k in lights)
        unlike = own.kind == "dark" and not any(
            k.seconds and own.seconds and abs(np.log2(k.seconds / own.seconds)) < SAME_STEP for k in lights
        )
        gaps = [abs((k.taken - own.taken).total_seconds()) for k in lights if k.taken and own.taken]
        return other, unlike, min(gaps, default=1e12)

    return min(range(len(scenes)), key=lambda i: distance(scenes[i]))
