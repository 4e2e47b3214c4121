"""A series of merged scenes as one: its light, its treatments, and its pictures one after the other."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from crenn.core.deliver.bands import code_bands
from crenn.core.progress import Progress
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.series.between import automatic_over_time, treatments_between
from crenn.core.series.film import Film, film_at
from crenn.core.series.light import light_curve, small_stops, smoothed
from crenn.core.treatment import Treatment, automatic_values


@dataclass(frozen=True, eq=False)
class SeriesLight:
    """The light of a series.

    Attributes
    ----------
    times : ndarray, float64 (N,)
        Seconds since the first scene.
    curve, smooth : ndarray, float64 (N,)
        EV beside the first scene, as it was measured and without flicker.
    automatic : tuple of dict
        Automatic values that follow it; see `crenn.core.series.between.automatic_over_time`.
    """

    times: np.ndarray
    curve: np.ndarray
    smooth: np.ndarray
    automatic: tuple[dict[str, float], ...]

    @property
    def flicker(self) -> np.ndarray:
        """EV by which each scene is too bright, float64 (N,)."""
        return self.curve - self.smooth

    @classmethod
    def of(cls, scenes: Iterable[PreparedScene], times: Sequence[float], progress: Progress) -> "SeriesLight":
        """That of merged scenes, which are looked at one after the other."""
        pictures, saturations, automatic = [], [], []
        for index, scene in enumerate(scenes):
            progress.at(index / len(times), f"Looking at the light, {index + 1} of {len(times)}")
            pictures.append(small_stops(scene))
            saturations.append(scene.light.capture.saturation)
            automatic.append(automatic_values(scene.light))
        at = np.asarray(times, np.float64)
        curve = light_curve(pictures, saturations)
        smooth = smoothed(curve, at)
        return cls(at, curve, smooth, tuple(automatic_over_time(automatic, at, saturations, curve - smooth)))

    def treatments(self, keys: Mapping[int, Treatment]) -> list[Treatment]:
        """Treatments of all scenes, by those of key scenes; without one, all values are automatic."""
        return treatments_between(keys or {0: Treatment()}, self.automatic, self.times.tolist())


def picture_of(scene: PreparedScene, treatment: Treatment, size: tuple[int, int]) -> np.ndarray:
    """A scene as it is treated, sRGB codes, uint16 (h, w, 3), of a size (w, h).

    Frames of brackets that were moved leave a few pixels more or less: a picture that is too small is filled up with
    its edges.
    """
    renderer = Renderer(scene)
    height, width = renderer.frame(treatment).size
    inside = min(size[0], width), min(size[1], height)
    codes = np.concatenate(list(code_bands(renderer, treatment, inside, Progress())))
    missing = ((0, size[1] - inside[1]), (0, size[0] - inside[0]), (0, 0))
    return np.pad(codes, missing, mode="edge") if inside != size else codes


def write_film(
    path: Path, film: Film, count: int, at: Callable[[int], tuple[PreparedScene, Treatment]], progress: Progress
) -> int:
    """Render a series into a film.

    Parameters
    ----------
    path : Path
    film : Film
    count : int
        Scenes.
    at : callable
        Gives the scene at a place, and its treatment.
    progress : Progress

    Returns
    -------
    int
        Pictures of the film.

    Raises
    ------
    CrennError
        As `crenn.core.series.film.film_at` does.
    """
    scene, treatment = at(0)
    size = film.size_of(Renderer(scene).frame(treatment).size)
    with film_at(path, film, size) as writer:
        for index in range(count):
            progress.at(index / count, f"Rendering picture {index + 1} of {count}")
            scene, treatment = at(index)
            writer.add(picture_of(scene, treatment, size))
    progress.at(1.0, "Written")
    return writer.count
