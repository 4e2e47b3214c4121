"""Which scenes are a series: the same view again and again, at even intervals."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

import numpy as np

#: A series has so many scenes at least.
LEAST = 8
#: Intervals that depart from the usual one by more than this share are uneven.
_EVEN = 0.4
#: So many scenes may be missing in a row before a series ends.
_MISSING = 10


@dataclass(frozen=True)
class Moment:
    """What tells whether a scene goes on where another one left off.

    Attributes
    ----------
    taken : datetime or None
        When its first frame was taken; None where it is not told.
    camera : str
    frames : tuple of float
        Sensitivities of its frames in stops, rising: brackets of one series are of one kind.
    view : tuple
        Width, height and focal length.
    """

    taken: datetime | None
    camera: str
    frames: tuple[float, ...]
    view: tuple

    def follows(self, other: "Moment") -> bool:
        """Whether it can be of the same series: the same camera and view, and as many frames as far apart."""
        if (self.camera, self.view, len(self.frames)) != (other.camera, other.view, len(other.frames)):
            return False
        spans = [m.frames[-1] - m.frames[0] if m.frames else 0.0 for m in (self, other)]
        return abs(spans[0] - spans[1]) < 0.5


@dataclass(frozen=True)
class Series:
    """Scenes at even intervals.

    Attributes
    ----------
    members : tuple of int
        In the order of time.
    times : tuple of float
        Seconds since the first.
    interval : float
        Seconds from one to the next, as it mostly is.
    missing : tuple of (int, int)
        Places in ``members`` after which scenes are missing, and how many.
    set_back : tuple of int
        Places after which the camera's clock was set back.
    """

    members: tuple[int, ...]
    times: tuple[float, ...]
    interval: float
    missing: tuple[tuple[int, int], ...] = ()
    set_back: tuple[int, ...] = ()


class Told(Protocol):
    """What a frame tells of itself."""

    @property
    def taken(self) -> datetime | None: ...

    @property
    def sensitivity(self) -> float | None: ...

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    @property
    def focal_length(self) -> float | None: ...


def moment_of(frames: Sequence[Told], camera: str = "") -> Moment:
    """That of a scene, by its light frames, one at least."""
    taken = [frame.taken for frame in frames if frame.taken is not None]
    stops = sorted(float(np.log2(frame.sensitivity)) for frame in frames if frame.sensitivity)
    view = (frames[0].width, frames[0].height, frames[0].focal_length)
    return Moment(min(taken, default=None), camera, tuple(stops), view)


def find_series(moments: Sequence[Moment]) -> list[Series]:
    """Find the series among scenes.

    Parameters
    ----------
    moments : sequence of Moment
        In the order in which they were taken, by the names of their files: where a clock was set back, that tells more
        than the times do.

    Returns
    -------
    list of Series
    """
    runs: list[list[int]] = []
    for index, moment in enumerate(moments):
        if moment.taken is None:
            continue
        if runs and moment.follows(moments[runs[-1][-1]]):
            runs[-1].append(index)
        else:
            runs.append([index])
    return [series for run in runs for series in _evenly(run, moments)]


def are_even(gaps: np.ndarray) -> bool:
    """Whether gaps between scenes are like each other."""
    interval = np.median(gaps)
    return bool(interval > 0 and (np.abs(gaps - interval) <= _EVEN * interval).all())


def _evenly(run: Sequence[int], moments: Sequence[Moment]) -> list[Series]:
    """The parts of a run of like scenes that are at even intervals."""
    if len(run) < LEAST:
        return []
    taken = [taken.timestamp() for i in run if (taken := moments[i].taken) is not None]
    gaps = np.diff(taken)
    forward = gaps[gaps > 0]
    if forward.size < LEAST - 1:
        return []
    interval = float(np.median(forward))
    counts = np.rint(gaps / interval)
    even = (counts >= 1) & (counts <= _MISSING + 1) & (np.abs(gaps - counts * interval) <= _EVEN * interval)
    back = gaps <= 0
    parts: list[list[int]] = [[0]]
    for place in range(len(gaps)):
        if even[place] or back[place]:
            parts[-1].append(place + 1)
        else:
            parts.append([place + 1])
    return [_series(part, run, counts, back, interval) for part in parts if len(part) >= LEAST]


def _series(part: Sequence[int], run: Sequence[int], counts: np.ndarray, back: np.ndarray, interval: float) -> Series:
    steps = [1 if back[place] else int(counts[place]) for place in part[:-1]]
    times = np.concatenate([[0.0], np.cumsum(steps)]) * interval
    missing = tuple((i, step - 1) for i, step in enumerate(steps) if step > 1)
    set_back = tuple(i for i, place in enumerate(part[:-1]) if back[place])
    return Series(tuple(run[place] for place in part), tuple(times.tolist()), interval, missing, set_back)
