"""A view: a part of a picture at a size, of a source through a frame."""

from dataclasses import dataclass, replace
from functools import cached_property

from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.render.source import Source
from crenn.core.render.window import Window

#: What is made of views of fewer pixels is not kept: they are asked for under the pointer, and never again.
_PASSING = 64


@dataclass(frozen=True)
class View:
    """What makers of light, masks and planes may read.

    Attributes
    ----------
    source : Source
    frame : PictureGeometry
        How the picture lies over the source.
    window : Window
        The part of the picture, and its size.
    fine : bool
        Whether the source is resampled at its best; while something is dragged it need not be.
    """

    source: Source
    frame: PictureGeometry
    window: Window
    fine: bool = True

    @classmethod
    def of_scene(cls, source: Source, window: Window, fine: bool = True) -> "View":
        """A view of the scene as it lies."""
        return cls(source, PictureGeometry.whole(source.size), window, fine)

    @cached_property
    def key(self) -> tuple:
        """What tells it from others."""
        return self.source.key, self.frame.key, self.window.key, self.fine

    @property
    def passing(self) -> bool:
        """Whether what is made of it is too small to be kept."""
        return self.window.pixels < _PASSING

    @property
    def scale(self) -> float:
        """Pixels per full-size pixel."""
        return self.window.scale

    @property
    def shape(self) -> tuple[int, int]:
        """(h, w) in pixels."""
        return self.window.out_height, self.window.out_width

    def through(self, window: Window) -> "View":
        """The same through another window."""
        return replace(self, window=window)

    def coarse(self) -> "View":
        """The same, quickly resampled."""
        return self if not self.fine else replace(self, fine=False)

    def grown(self, margin: int, lattice: int) -> tuple["View", slice, slice]:
        """The view with a margin around it, and where this one lies in that; see `Window.grown`."""
        window, rows, columns = self.window.grown(self.frame.size, margin, lattice)
        return self.through(window), rows, columns

    def inside(self, larger: "View") -> tuple[slice, slice]:
        """Rows and columns of this view in a larger one of the same picture at the same scale."""
        own, other = self.window, larger.window
        top = round(own.top - other.top)
        left = round((own.x - other.x) * own.out_width / own.width)
        return slice(top, top + own.out_height), slice(left, left + own.out_width)
