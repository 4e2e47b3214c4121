"""A scene prepared for viewing: its radiance map at falling sizes, read from disk where needed."""

import json
import time
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.files import replacing_folder
from crenn.core.noise.cleaning import Box, Cleaner
from crenn.core.noise.layers import NoiseLayers, part_of, split
from crenn.core.pipeline.scene import Capture, SceneLight
from crenn.core.progress import Progress
from crenn.core.radiance import PLANES, RadianceMap
from crenn.core.report.merging import light_statistics

#: The smallest level's longer side is at most this.
_SMALLEST = 512
#: Whether noise has been split off is looked up at most this often, in seconds.
_PATIENCE = 0.5


def _halved(array: np.ndarray) -> np.ndarray:
    height, width = array.shape[:2]
    size = (max(width // 2, 1), max(height // 2, 1))
    return cv2.resize(array, size, interpolation=cv2.INTER_AREA)


def noise_folder(folder: Path) -> Path:
    """Where the noise of a scene lies that is prepared in a folder."""
    return folder / "noise"


class PreparedScene:
    """Levels of a radiance map; level n is reduced 2ⁿ times.

    Attributes
    ----------
    levels : list of ndarray, float32 (h, w, 3)
    sigma : ndarray, float32 (H, W, 3) or None
    source, clipped, moved, ground : ndarray, uint8 (H, W) or None
        As of `crenn.core.radiance.RadianceMap`.
    report : dict
    """

    def __init__(self, levels, sigma, report: dict, source=None, clipped=None, moved=None, ground=None):
        self.levels, self.sigma, self.report = levels, sigma, report
        self.source, self.clipped, self.moved, self.ground = source, clipped, moved, ground
        self._folder: Path | None = None
        self._noise: NoiseLayers | None = None
        self._cleaner: Cleaner | None = None
        self._looked = -_PATIENCE

    @classmethod
    def from_radiance(cls, radiance: RadianceMap) -> "PreparedScene":
        """Prepare a radiance map in memory."""
        levels = [radiance.rgb]
        while max(levels[-1].shape[:2]) > _SMALLEST:
            levels.append(_halved(levels[-1]))
        report = radiance.report
        if "histogram" not in report:
            step = max(1, int(np.sqrt(radiance.rgb.shape[0] * radiance.rgb.shape[1] / 3e6)))
            capture = Capture.from_report(report)
            statistics = light_statistics(radiance.rgb, radiance.sigma, radiance.clipped, step, capture)
            report = {**statistics, **report}
        return cls(levels, radiance.sigma, report, **{name: getattr(radiance, name) for name in PLANES})

    def save(self, folder: Path) -> None:
        """Write to a folder, all or nothing; an older one is replaced at the end."""
        with replacing_folder(folder, "cannot be prepared") as part:
            for index, level in enumerate(self.levels):
                np.save(part / f"level{index}.npy", level)
            for name in ("sigma", *PLANES):
                if getattr(self, name) is not None:
                    np.save(part / f"{name}.npy", getattr(self, name))
            (part / "report.json").write_text(json.dumps(self.report))

    @classmethod
    def open(cls, folder: Path) -> "PreparedScene":
        """Open a saved scene; arrays stay on disk until they are looked at."""
        folder = Path(folder)

        def load(name: str):
            path = folder / f"{name}.npy"
            return np.load(path, mmap_mode="r") if path.exists() else None

        try:
            report = json.loads((folder / "report.json").read_text())
            levels: list[np.ndarray] = []
            while (level := load(f"level{len(levels)}")) is not None:
                levels.append(level)
            if not levels:
                raise ValueError("no levels")
        except (OSError, ValueError) as fault:
            raise CrennError("The prepared scene is missing or damaged.", remedy="Merge it again.") from fault
        scene = cls(levels, load("sigma"), report, **{name: load(name) for name in PLANES})
        scene._folder = folder
        return scene

    @property
    def noise(self) -> NoiseLayers | None:
        """What was split off as noise, of the whole or of parts; None as long as nothing has been.

        Beside a saved scene it may turn up at any time.
        """
        now = time.monotonic()
        missing = self._noise is None or not self._noise.whole
        if missing and self._folder is not None and now - self._looked > _PATIENCE:
            self._looked = now
            if (folder := noise_folder(self._folder)).is_dir():
                found = NoiseLayers.open(folder)
                if found is not None and found.levels[0].shape[:2] == self.size:
                    self._noise, self._cleaner = found, None
        return self._noise

    @noise.setter
    def noise(self, layers: NoiseLayers) -> None:
        self._noise = layers

    def look(self) -> None:
        """Look at once, with the next question for it, whether noise has been split off meanwhile."""
        self._looked = -_PATIENCE

    def clean_part(self, box: Box) -> None:
        """Split the noise off a part, (top, left, height, width), while the rest still waits for it."""
        noise = self.noise
        if noise is not None and noise.whole:
            return
        if noise is None:
            noise = self._noise = NoiseLayers.nothing(self.size)
        if self._cleaner is None:
            self._cleaner = Cleaner(self.levels[0], self.sigma, self.light.capture)
        noise.put(box, part_of(self._cleaner, self.levels[0], self.sigma, box))

    def split_noise(self, progress: Progress | None = None) -> NoiseLayers:
        """Split the noise off, beside the scene's folder if it has one.

        Raises
        ------
        CrennError
            If there is no room for it.
        """
        layers = split(self.levels[0], self.sigma, self.light, progress)
        if self._folder is not None:
            layers.save(noise_folder(self._folder))
        self._noise = layers
        return layers

    @property
    def size(self) -> tuple[int, int]:
        """(H, W) of the full picture."""
        return self.levels[0].shape[:2]

    @cached_property
    def light(self) -> SceneLight:
        return SceneLight.from_report(self.report)

    @cached_property
    def floor(self) -> float:
        """Luminance below which noise hides to which stop a place belongs."""
        low = self.report["low_stop"]
        return float(np.exp2(max(min(self.report["noise_horizon"], self.light.quantile(0.3)), low - 2.0)))

    def level_for(self, scale: float) -> int:
        """Coarsest level that still holds at least ``scale`` pixels per full-size pixel."""
        level = int(np.floor(np.log2(1.0 / scale) + 1e-6)) if scale < 1 else 0
        return min(max(level, 0), len(self.levels) - 1)
