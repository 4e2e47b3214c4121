"""How the camera was held: LibRaw's turns, of pictures and of places in them.

A turn is LibRaw's ``flip``: 0 none, 3 half a turn, 5 a quarter turn left, 6 a quarter turn right. Places are shares of
the picture's width and height.
"""

import numpy as np

#: Quarter turns to the left that turn a picture the way it was held.
_QUARTERS = {0: 0, 3: 2, 5: 1, 6: 3}
_FROM_EXIF = {1: 0, 3: 3, 6: 6, 8: 5}


def flip_of_exif(orientation: int) -> int:
    """The turn of an Exif orientation; mirrored ones, which do not come from cameras, are taken for none."""
    return _FROM_EXIF.get(orientation, 0)


def lies_across(flip: int) -> bool:
    """Whether width and height change places."""
    return flip in (5, 6)


def as_held(picture: np.ndarray, flip: int) -> np.ndarray:
    """A picture (H, W, ...) as it lies on the sensor, turned the way it was held; itself if nothing is to be turned."""
    quarters = _QUARTERS.get(flip, 0)
    return np.ascontiguousarray(np.rot90(picture, quarters)) if quarters else picture


def place_on_sensor(x: float, y: float, flip: int) -> tuple[float, float]:
    """Where a place of the picture as it was held lies on the sensor."""
    if flip == 3:
        return 1 - x, 1 - y
    if flip == 5:
        return 1 - y, x
    if flip == 6:
        return y, 1 - x
    return x, y


def box_on_sensor(box: tuple[float, float, float, float], flip: int) -> tuple[float, float, float, float]:
    """Where a box (x, y, width, height) of the picture as it was held lies on the sensor."""
    # A quarter turn is taken back by one to the other side.
    return box_as_held(box, {5: 6, 6: 5}.get(flip, flip))


def box_as_held(box: tuple[float, float, float, float], flip: int) -> tuple[float, float, float, float]:
    """Where a box (x, y, width, height) on the sensor lies in the picture as it was held."""
    x, y, w, h = box
    if flip == 3:
        return 1 - x - w, 1 - y - h, w, h
    if flip == 5:
        return y, 1 - x - w, h, w
    if flip == 6:
        return 1 - y - h, x, h, w
    return box
