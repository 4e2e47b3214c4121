"""What is costly in a step: planes made from the light around, and grids made from the whole scene."""

import weakref
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TypeVar

import numpy as np

T = TypeVar("T")


@dataclass(frozen=True)
class PlaneContext:
    """What a maker of planes is told of the light it is given.

    Attributes
    ----------
    scale : float
        Pixels of the light per full-size pixel.
    long_side : int
        Longer side of the scene, in full-size pixels.
    floor : float
        Luminance below which noise rules.
    noise : callable, optional
        Deviation of single full-size pixels in EV at stops, float32; see `SceneLight.noise_ev`. None if not known.
    """

    scale: float
    long_side: int
    floor: float
    noise: Callable[[np.ndarray], np.ndarray] | None = None


#: Makes a plane, float32 (h, w), of light, float32 (h, w, 3).
MakePlane = Callable[[np.ndarray, PlaneContext], np.ndarray]

#: Rows of light given to `Plane.make` start at multiples of this, in pixels of the picture at its scale, so that
#: a maker may work at half, a quarter … of the size and still give the same in every band.
LATTICE = 16


@dataclass(frozen=True)
class Plane:
    """A plane made of the light of a window and a margin around it.

    Attributes
    ----------
    name : str
    depends : tuple
        The parameters that it is made from. What only scales it does not belong here.
    reach : float
        How far it looks, in % of the scene's longer side: the margin that it needs.
    make : callable
        See `MakePlane`.
    pixels : int
        How far it looks besides, in full-size pixels.
    """

    name: str
    depends: tuple
    reach: float
    make: MakePlane = field(compare=False, repr=False)
    pixels: int = field(default=0, compare=False)

    @property
    def key(self) -> tuple:
        """What tells it from other planes of the same light."""
        return self.name, self.depends

    def pixels_around(self, long_side: int, scale: float = 1.0) -> int:
        """The margin that it needs of a scene with a longer side, in pixels at a scale."""
        return int(np.ceil((self.reach / 100.0 * long_side + self.pixels) * scale))


def once_for_light(find: Callable[[np.ndarray, PlaneContext], T]) -> Callable[[np.ndarray, PlaneContext], T]:
    """What is found for the same light is found once: for makers of several planes that share it."""
    last: tuple[weakref.ref[np.ndarray], T] | None = None

    def found(rgb: np.ndarray, around: PlaneContext) -> T:
        nonlocal last
        # Others may look for other light at the same time.
        known = last
        if known is None or known[0]() is not rgb:
            last = known = weakref.ref(rgb), find(rgb, around)
        return known[1]

    return found


#: Makes what is taken out of the light, float32 (3, h, w), of noise layers, float32 (h, w, CHANNELS; see
#: `crenn.core.noise.layers`), and light, float32 (h, w, 3), which is None for a mix without reach.
MakeMix = Callable[[np.ndarray, np.ndarray | None, PlaneContext], np.ndarray]


@dataclass(frozen=True)
class NoiseMix:
    """What is taken out of the light of a window, mixed of the noise that was split off the scene.

    Attributes
    ----------
    name : str
    depends : tuple
        The parameters that it is mixed by.
    reach : int
        How far the mix looks, in full-size pixels.
    make : callable
        See `MakeMix`.
    """

    name: str
    depends: tuple
    reach: int
    make: MakeMix = field(compare=False, repr=False)

    @property
    def key(self) -> tuple:
        """What tells it from other mixes of the same noise."""
        return self.name, self.depends


#: What `GuidedField.make` gives: values of each place, float32 (h, w), and what holds for the whole, float64 (N,).
MakeCarried = Callable[[np.ndarray, PlaneContext], tuple[np.ndarray, np.ndarray]]


@dataclass(frozen=True)
class GuidedField:
    """A value of each place that is found on the reduced picture, and carried to any size by place and stop.

    Attributes
    ----------
    name : str
    depends : tuple
        The parameters that it is found from.
    reach : float
        How smoothly it varies, in % of the scene's longer side.
    make : callable
        See `MakeCarried`.
    side : int
        Longer side of the reduced picture that is enough for it, in pixels.
    even : callable, optional
        What a large even patch has at stops (N,); nothing if None.
    """

    name: str
    depends: tuple
    reach: float
    make: MakeCarried = field(compare=False, repr=False)
    side: int = field(default=900, compare=False)
    even: Callable[[np.ndarray], np.ndarray] | None = field(default=None, compare=False, repr=False)

    @property
    def key(self) -> tuple[str, tuple]:
        """What tells it from others that are found in the same scene."""
        return self.name, (*self.depends, self.reach)


@dataclass(frozen=True)
class GridCurve:
    """EV by a table over the stop of the edge-aware base, and a factor on what departs from the base.

    Attributes
    ----------
    reach : float
        Reach of the base, in % of the scene's longer side.
    added : ndarray (TABLE_SIZE,) or None
        EV at stops of the base after ``shift``; None for none.
    shift : float
        EV by which the light before this has been moved as a whole.
    stretch : float
        What departs from the base is multiplied by 1 + ``stretch``.
    """

    reach: float
    added: np.ndarray | None
    shift: float
    stretch: float
