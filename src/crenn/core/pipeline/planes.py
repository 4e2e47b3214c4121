"""What is costly in a step: planes made from the light around, and grids made from the whole scene."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np


@dataclass(frozen=True)
class Around:
    """What a maker of planes is told of the light it is given.

    Attributes
    ----------
    scale : float
        Pixels of the light per full-size pixel.
    long_side : int
        Longer side of the scene, in full-size pixels.
    floor : float
        Luminance below which noise rules.
    """

    scale: float
    long_side: int
    floor: float


#: Makes a plane, float32 (h, w), of light, float32 (h, w, 3).
MakePlane = Callable[[np.ndarray, Around], np.ndarray]

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
    """

    name: str
    depends: tuple
    reach: float
    make: MakePlane = field(compare=False, repr=False)

    @property
    def key(self) -> tuple:
        """What tells it from other planes of the same light."""
        return self.name, self.depends


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
