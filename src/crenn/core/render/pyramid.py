"""A scene prepared for viewing: its radiance map at falling sizes, read from disk where needed."""

import errno
import itertools
import json
import os
import shutil
import threading
import time
from collections.abc import Callable
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np

from crenn.core.errors import CrennError
from crenn.core.files import replacing_folder
from crenn.core.mend.other_frame import OtherFrames
from crenn.core.noise.cleaning import Box, Cleaner
from crenn.core.noise.layers import NoiseLayers, part_of, split
from crenn.core.pipeline.scene import Capture, SceneLight
from crenn.core.progress import Progress
from crenn.core.radiance import PLANES, RadianceMap
from crenn.core.render.source import ALL
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


def with_report(folder: Path, report: dict, copy: Path) -> None:
    """Prepare a scene again that is prepared in a folder, with another report; all else is shared on disk.

    Raises
    ------
    CrennError
        If it cannot be written.
    """
    with replacing_folder(copy, "cannot be prepared") as part:
        for path in folder.rglob("*"):
            other = part / path.relative_to(folder)
            if path.is_dir():
                other.mkdir(exist_ok=True)
            elif path.name != _REPORT:
                other.parent.mkdir(parents=True, exist_ok=True)
                _share(path, other)
        (part / _REPORT).write_text(json.dumps(report))


def _share(path: Path, other: Path) -> None:
    """Let a file have another name; where the disk knows no such thing, copy it."""
    try:
        os.link(path, other)
    except OSError as fault:
        if fault.errno not in (errno.EPERM, errno.ENOTSUP, errno.EMLINK, errno.EXDEV, errno.ENOSYS):
            raise
        shutil.copyfile(path, other)


#: The report's file in a prepared scene's folder.
_REPORT = "report.json"
#: From a frame's key to its file; None if it is not there.
PathOf = Callable[[str], Path | None]
#: What tells prepared scenes from each other.
_numbers = itertools.count()


def _nowhere(key: str) -> Path | None:
    return None


class PreparedScene:
    """A prepared scene: a `crenn.core.render.source.Source`.

    Parameters
    ----------
    levels : list of ndarray, float32 (h, w, 3)
        Level n is reduced 2ⁿ times.
    planes : dict of str to ndarray (H, W) or (H, W, 3)
        Those that are known of "sigma", float32, and `crenn.core.radiance.PLANES`, uint8.
    report : dict
    path_of : callable, optional
        From the key of a frame that it was merged from to its file.
    """

    #: What is made of it is worth keeping.
    passing = False

    def __init__(
        self, levels: list[np.ndarray], planes: dict[str, np.ndarray], report: dict, path_of: PathOf = _nowhere
    ):
        self._levels, self._planes, self.report = levels, planes, report
        self.others = OtherFrames(report, path_of)
        self.key = ("scene", next(_numbers))
        self._folder: Path | None = None
        self._noise: NoiseLayers | None = None
        self._cleaner: Cleaner | None = None
        self._looked = -_PATIENCE
        self._lock = threading.RLock()

    @classmethod
    def from_radiance(cls, radiance: RadianceMap, path_of: PathOf = _nowhere) -> "PreparedScene":
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
        planes = {name: getattr(radiance, name) for name in ("sigma", *PLANES)}
        return cls(levels, {name: plane for name, plane in planes.items() if plane is not None}, report, path_of)

    def save(self, folder: Path) -> None:
        """Write to a folder, all or nothing; an older one is replaced at the end."""
        with replacing_folder(folder, "cannot be prepared") as part:
            for index, level in enumerate(self._levels):
                np.save(part / f"level{index}.npy", level)
            for name, plane in self._planes.items():
                np.save(part / f"{name}.npy", plane)
            (part / _REPORT).write_text(json.dumps(self.report))

    @classmethod
    def open(cls, folder: Path, path_of: PathOf = _nowhere) -> "PreparedScene":
        """Open a saved scene; arrays stay on disk until they are looked at."""
        folder = Path(folder)

        def load(name: str):
            path = folder / f"{name}.npy"
            # As if it could be written to, or kernels would be compiled once more for what cannot: nobody does.
            return np.load(path, mmap_mode="c") if path.exists() else None

        try:
            report = json.loads((folder / _REPORT).read_text())
            levels: list[np.ndarray] = []
            while (level := load(f"level{len(levels)}")) is not None:
                levels.append(level)
            if not levels:
                raise ValueError("no levels")
        except (OSError, ValueError) as fault:
            raise CrennError("The prepared scene is missing or damaged.", remedy="Merge it again.") from fault
        planes = {name: plane for name in ("sigma", *PLANES) if (plane := load(name)) is not None}
        scene = cls(levels, planes, report, path_of)
        scene._folder = folder
        return scene

    @property
    def noise(self) -> NoiseLayers | None:
        """What was split off as noise, of the whole or of parts; None as long as nothing has been.

        Beside a saved scene it may turn up at any time.
        """
        with self._lock:
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

    def clean_part(self, box: Box, progress: Progress | None = None) -> None:
        """Split the noise off a part, (top, left, height, width), while the rest still waits for it.

        ``progress`` can call it off between passes of the filter.
        """
        with self._lock:
            noise = self.noise
            if noise is not None and noise.whole:
                return
            if noise is None:
                noise = self._noise = NoiseLayers.nothing(self.size)
            if self._cleaner is None:
                self._cleaner = Cleaner(self._levels[0], self._planes.get("sigma"), self.light.capture)
            noise.put(box, part_of(self._cleaner, self._levels[0], self._planes.get("sigma"), box, progress))

    def split_noise(self, progress: Progress | None = None) -> NoiseLayers:
        """Split the noise off, beside the scene's folder if it has one.

        Raises
        ------
        CrennError
            If there is no room for it.
        """
        layers = split(self._levels[0], self._planes.get("sigma"), self.light, progress)
        if self._folder is not None:
            layers.save(noise_folder(self._folder))
        self._noise = layers
        return layers

    @property
    def coarse(self) -> "PreparedScene":
        return self

    @property
    def size(self) -> tuple[int, int]:
        """(H, W) of the full picture."""
        height, width = self._levels[0].shape[:2]
        return height, width

    def level_size(self, level: int) -> tuple[int, int]:
        height, width = self._levels[level].shape[:2]
        return height, width

    def read(self, level: int, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        return self._levels[level][rows, columns]

    def _noise_level(self, level: int) -> np.ndarray:
        noise = self._noise
        if noise is None:
            raise ValueError("no noise has been split off")
        return noise.levels[min(level, len(noise.levels) - 1)]

    def noise_size(self, level: int) -> tuple[int, int]:
        height, width = self._noise_level(level).shape[:2]
        return height, width

    def read_noise(self, level: int, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        return self._noise_level(level)[rows, columns]

    def has(self, plane: str) -> bool:
        return plane in self._planes

    def plane(self, name: str, rows: slice = ALL, columns: slice = ALL) -> np.ndarray:
        return self._planes[name][rows, columns]

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
        return min(max(level, 0), len(self._levels) - 1)
