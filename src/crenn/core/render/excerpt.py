"""Small pictures of a scene: a part as it is by itself, and all of it as it is treated."""

import numpy as np

from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import STEPS, Treatment

#: A part that is smaller is shown with what is around it, in full-size pixels.
_LEAST = 48.0
#: Longer side of a scene's picture on the contact sheet, in pixels.
_ON_SHEET = 900


def excerpt(renderer: Renderer, box: tuple[float, float, float, float], side: int) -> np.ndarray:
    """A part of the scene in its automatic treatment, in the frame in which it was recorded, uint8 (h, w, 3).

    Parameters
    ----------
    renderer : Renderer
    box : tuple of float
        x, y, width and height, in shares of the scene's width and height.
    side : int
        Longer side of the picture at most, in pixels.
    """
    height, width = renderer.scene.size
    x, y, wide, high = box
    across, down = max(wide * width, _LEAST), max(high * height, _LEAST)
    left, top = (x + wide / 2) * width - across / 2, (y + high / 2) * height - down / 2
    window = Window.of_box(left, top, left + across, top + down, renderer.scene.size, side)
    plain = Treatment().without(*(step.name for step in STEPS if step.station == "geometry"))
    return np.asarray(renderer.picture(plain, window)[0])


def sheet_picture(renderer: Renderer, treatment: Treatment) -> np.ndarray:
    """The picture as the contact sheet shows it, sRGB codes, uint8 (h, w, 3)."""
    return renderer.picture(treatment, Window.whole(renderer.frame(treatment).size, _ON_SHEET))[0]
