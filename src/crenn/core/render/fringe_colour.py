"""The colour of the fringe at a place of a scene, as its step takes it back."""

import numpy as np

from crenn.core.mend.rims import direction_of, excess
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.render.planes import around
from crenn.core.render.source import Source

#: A place is looked at to so many pixels around.
_PLACE = 4


def fringe_at(source: Source, place: list[float], radius: float) -> float | None:
    """The direction of a fringe's colour, in degrees, as `crenn.core.mend.rims.RimsParameters` has it; None if there is
    none.

    Parameters
    ----------
    source : Source
        With its mends.
    place : list of float
        x and y in shares of the scene's longer side.
    radius : float
        How far fringes reach, in full-size pixels.
    """
    height, width = source.size
    x, y = (int(v * max(height, width)) for v in place)
    margin = int(np.ceil(8 * radius)) + _PLACE + 2
    rows = slice(max(y - margin, 0), min(y + margin + 1, height))
    columns = slice(max(x - margin, 0), min(x + margin + 1, width))
    if rows.stop <= rows.start or columns.stop <= columns.start:
        return None
    light = np.array(source.read(0, rows, columns), np.float32)
    found = excess(light, around(source, 1.0, PictureGeometry.whole(source.size)), radius)
    top, left = max(y - _PLACE - rows.start, 0), max(x - _PLACE - columns.start, 0)
    near = found[top : y + _PLACE + 1 - rows.start, left : x + _PLACE + 1 - columns.start]
    return direction_of(near) if near.size else None
