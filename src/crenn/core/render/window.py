"""A window: the part of a picture that is wanted, and the size at which it is wanted."""

from dataclasses import dataclass, replace

import numpy as np

from crenn.core.errors import CrennError
from crenn.core.pipeline.picture_geometry import PictureGeometry

#: Farther from the picture than this no place is told apart any more, in pixels.
_FARTHEST = 1e7
#: What is cleaned around a window, in full-size pixels.
_AROUND = 24


@dataclass(frozen=True)
class Window:
    """A part of the picture and the size at which it is wanted.

    ``x, y, width, height`` are in full-size pixels of the picture plane; ``out_width, out_height`` in pixels of the
    result.
    """

    x: float
    y: float
    width: float
    height: float
    out_width: int
    out_height: int

    def __post_init__(self) -> None:
        numbers = (self.x, self.y, self.width, self.height)
        if not all(np.isfinite(numbers)) or max(map(abs, numbers)) > _FARTHEST or min(self.width, self.height) <= 0:
            raise CrennError("This part of the picture cannot be: its place or size is no usable number.")
        if min(self.out_width, self.out_height) < 1:
            raise CrennError("A view needs at least one pixel.")

    @property
    def key(self) -> tuple:
        """What tells it from others."""
        return self.x, self.y, self.width, self.height, self.out_width, self.out_height

    @classmethod
    def whole(cls, size: tuple[int, int], long_edge: int | None = None) -> "Window":
        """The whole picture of size (H, W), its longer side reduced to ``long_edge``."""
        height, width = size
        factor = min(1.0, long_edge / max(size)) if long_edge else 1.0
        return cls(0, 0, width, height, max(round(width * factor), 1), max(round(height * factor), 1))

    @classmethod
    def of_box(
        cls, left: float, top: float, right: float, bottom: float, size: tuple[int, int], long_edge: int | None = None
    ) -> "Window":
        """The whole pixels that a box touches in a picture of size (H, W), one at least each way; at full size, or with
        its longer side reduced to ``long_edge``."""
        height, width = size
        x0, y0 = (int(np.clip(np.floor(v), 0, n - 1)) for v, n in ((left, width), (top, height)))
        x1, y1 = (int(np.clip(np.ceil(v), first + 1, n)) for v, first, n in ((right, x0, width), (bottom, y0, height)))
        w, h = x1 - x0, y1 - y0
        factor = min(1.0, long_edge / max(w, h)) if long_edge else 1.0
        return cls(x0, y0, w, h, max(round(w * factor), 1), max(round(h * factor), 1))

    @classmethod
    def about(cls, place: tuple[float, float], radius: float, size: tuple[int, int]) -> "Window":
        """A patch at full size about a place, x and y in pixels: what of it lies in a picture of size (H, W).

        Raises
        ------
        CrennError
            If the place lies outside.
        """
        if not (0 <= place[0] < size[1] and 0 <= place[1] < size[0]):
            raise CrennError("This place lies outside the picture.", remedy="Pick one inside.")
        x, y = place
        return cls.of_box(x - radius, y - radius, x + radius, y + radius, size)

    def overlaps(self, size: tuple[int, int]) -> bool:
        """Whether any of it lies in a picture of size (H, W)."""
        return self.x < size[1] and self.y < size[0] and self.x + self.width > 0 and self.y + self.height > 0

    def moved_into(self, size: tuple[int, int]) -> "Window":
        """The window moved into a picture of size (H, W); to its upper left corner where it is larger."""
        x = min(max(self.x, 0.0), max(size[1] - self.width, 0.0))
        y = min(max(self.y, 0.0), max(size[0] - self.height, 0.0))
        return replace(self, x=x, y=y)

    def oversampled(self, most: int) -> "Window | None":
        """The window at up to ``most`` times the size, to be averaged; None where the picture has no more pixels.

        As many times as is whole, or at full size if that is not farther off and the window lies on whole pixels.
        """
        reduced = 1.0 / self.scale
        on_pixels = all(v == round(v) for v in (self.x, self.y, self.width, self.height))
        if 1.0 < reduced <= most and on_pixels:
            return replace(self, out_width=round(self.width), out_height=round(self.height))
        factor = min(most, int(reduced + 1e-6))
        return self.larger(factor) if factor > 1 else None

    def corners(self, size: tuple[int, int]) -> np.ndarray:
        """The corners of the part that lies in a picture of size (H, W), float64 (4, 2) of x and y."""
        x0, y0 = max(self.x, 0.0), max(self.y, 0.0)
        x1, y1 = min(self.x + self.width, size[1]), min(self.y + self.height, size[0])
        return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], np.float64)

    @property
    def scale(self) -> float:
        """Pixels of the result per full-size pixel."""
        return self.out_width / self.width

    @property
    def pixels(self) -> int:
        """Pixels of the result."""
        return self.out_width * self.out_height

    @property
    def top(self) -> float:
        """Row of the whole picture, at this scale, that the first row is."""
        return self.y * self.out_height / self.height

    def larger(self, factor: int) -> "Window":
        """The same part with ``factor`` times as many pixels each way."""
        return Window(self.x, self.y, self.width, self.height, self.out_width * factor, self.out_height * factor)

    def grown(self, size: tuple[int, int], margin: int, lattice: int) -> tuple["Window", slice, slice]:
        """The window with a margin around it, within a picture, and where it lies in that.

        Parameters
        ----------
        size : tuple of int
            (H, W) of the picture.
        margin : int
            In pixels of the result.
        lattice : int
            The larger window starts at a multiple of this, in pixels of the picture at its scale, where this window
            starts on a pixel.

        Returns
        -------
        window : Window
        rows, columns : slice
            Of this window in the larger one.
        """
        per_x, per_y = self.width / self.out_width, self.height / self.out_height
        left, right = _grown(self.x / per_x, self.out_width, size[1] / per_x, margin, lattice)
        top, bottom = _grown(self.top, self.out_height, size[0] / per_y, margin, lattice)
        width, height = left + self.out_width + right, top + self.out_height + bottom
        larger = Window(self.x - left * per_x, self.y - top * per_y, width * per_x, height * per_y, width, height)
        return larger, slice(top, top + self.out_height), slice(left, left + self.out_width)


def _grown(start: float, length: int, whole: float, margin: int, lattice: int) -> tuple[int, int]:
    """Pixels to add before and behind."""
    first = max(int(np.floor(start + 1e-6)), 0)
    before = min(margin, first)
    before += (first - before) % lattice
    behind = min(margin, max(int(np.floor(whole - start - length + 1e-6)), 0))
    return before, behind


def part_in_view(frame: PictureGeometry, window: Window, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """What a window shows of a scene of size (H, W), and a little around it, as top, left, height and width."""
    corners = frame.to_scene(window.corners(frame.size))
    height, width = size
    left, top = (int(np.clip(np.floor(v) - _AROUND, 0, n - 1)) for v, n in zip(corners.min(0), (width, height)))
    right, bottom = (int(np.clip(np.ceil(v) + _AROUND, 1, n)) for v, n in zip(corners.max(0), (width, height)))
    return top, left, max(bottom - top, 1), max(right - left, 1)
