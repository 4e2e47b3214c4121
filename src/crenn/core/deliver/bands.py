"""A picture in bands of rows, from the top down: memory does not grow with the picture."""

from collections.abc import Callable, Iterator

import cv2
import numpy as np

from crenn.core.deliver.enlarge import enlarged_bands
from crenn.core.deliver.spaces import SPACES, CodeSpace
from crenn.core.progress import Progress
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: Pixels of the full picture rendered at once, and the least rows.
_PIXELS, _ROWS = 1_200_000, 32
#: Bands are so many times as high as a margin that is rendered twice, up to so many pixels.
_MARGINS, _MOST = 4, 3_600_000

Render = Callable[[Window], np.ndarray]


def rows_at_once(width: int, margin: int = 0) -> int:
    """Rows of a picture rendered at once; more of them where a margin of rows is rendered to both sides."""
    return max(_PIXELS // width, min(_MARGINS * margin, _MOST // width), _ROWS)


def _share_of_rows(first: int, count: int, ratio: float, top: int, rows: int) -> np.ndarray:
    """How much each of ``rows`` source rows from ``top`` on counts in ``count`` result rows, float32 (count, rows)."""
    low = (first + np.arange(count))[:, None] * ratio
    source = top + np.arange(rows)[None, :]
    covered = np.minimum(source + 1, low + ratio) - np.maximum(source, low)
    return np.asarray(np.clip(covered, 0, None) / ratio, np.float32)


def bands(
    whole: tuple[int, int], size: tuple[int, int], render: Render, progress: Progress, margin: int = 0
) -> Iterator[np.ndarray]:
    """Render a picture at full size, band by band, each reduced to its part of the result.

    Parameters
    ----------
    whole : tuple of int
        (H, W) of the full picture.
    size : tuple of int
        (w, h) of the result, at most as large.
    render : callable
        Gives a window of the full picture, (h, w, 3).
    progress : Progress
        Can cancel between bands.
    margin : int
        Rows that ``render`` makes to both sides of a window for itself.

    Yields
    ------
    ndarray (rows, w, 3)
        Of the type that ``render`` gives; averaged over the area of each pixel of the result.
    """
    height, width = whole
    ratio = height / size[1]
    step = max(int(rows_at_once(width, margin) / ratio), 1)
    for first in range(0, size[1], step):
        count = min(step, size[1] - first)
        top, bottom = int(np.floor(first * ratio + 1e-9)), min(int(np.ceil((first + count) * ratio - 1e-9)), height)
        part = render(Window(0, top, width, bottom - top, width, bottom - top))
        if size != (width, height):
            narrow = cv2.resize(part.astype(np.float32), (size[0], bottom - top), interpolation=cv2.INTER_AREA)
            mixed = np.tensordot(_share_of_rows(first, count, ratio, top, bottom - top), narrow, 1)
            part = mixed if part.dtype.kind == "f" else np.rint(mixed).astype(part.dtype)
        progress.at((first + count) / size[1], "Rendering")
        yield part


def light_in(
    whole: tuple[int, int], size: tuple[int, int], render: Render, progress: Progress, margin: int = 0
) -> Iterator[np.ndarray]:
    """Linear light of a picture as large as it is wanted, smaller or larger: see `bands` and `enlarged_bands`."""
    if size[0] > whole[1] or size[1] > whole[0]:
        return enlarged_bands(whole, size, render, progress)
    return bands(whole, size, render, progress, margin)


def code_bands(
    renderer: Renderer,
    treatment: Treatment,
    size: tuple[int, int],
    progress: Progress,
    space: CodeSpace = SPACES["srgb"],
    peak: float = 1.0,
) -> Iterator[np.ndarray]:
    """The picture as codes of a space, uint16 (rows, w, 3) a band, where light is shown up to ``peak``, 1 being white;
    see `shown_bands`."""
    return (space.encoded(band) for band in shown_bands(renderer, treatment, size, progress, space, peak))


def shown_bands(
    renderer: Renderer,
    treatment: Treatment,
    size: tuple[int, int],
    progress: Progress,
    space: CodeSpace,
    peak: float = 1.0,
) -> Iterator[np.ndarray]:
    """The picture as linear light of a space, 0 to ``peak``, float32 (rows, w, 3) a band. What changes size is
    averaged, or set between, as light."""

    def shown(window: Window) -> np.ndarray:
        return renderer.shown(treatment, window, space=space.shown, peak=peak)[0]

    return light_in(renderer.frame(treatment).size, size, shown, progress, renderer.margin(treatment))


def light_bands(
    renderer: Renderer, treatment: Treatment, size: tuple[int, int], progress: Progress
) -> Iterator[np.ndarray]:
    """Scene-linear light before the display, float32 (rows, w, 3) a band; see `light_in`."""
    whole = renderer.frame(treatment).size

    def finished(window: Window) -> np.ndarray:
        return renderer.finished(treatment, window)

    return light_in(whole, size, finished, progress, renderer.margin(treatment))
