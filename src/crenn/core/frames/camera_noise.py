"""Noise models kept for a camera and a sensitivity, where those that its files tell are off: an open document."""

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.document import Document
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.frames.metadata import FrameMetadata
from crenn.core.frames.raw import RawFrame
from crenn.core.geometry.orientation import box_on_sensor, lies_across
from crenn.core.mosaic.noise import FEWEST, NoiseModel, model_of, quantisation, scaled_model, smooth_samples

#: Sensitivities closer than this are the same, as a ratio: files round them.
_SAME_ISO = 1.02
#: Where the brightest light is less than so many times the darkest, photon and read noise cannot be told apart.
_ALIKE = 6.0
_Share = Annotated[float, Field(ge=-0.01, le=1.01)]
_Slope = Annotated[float, Field(gt=0, le=0.1)]
_Offset = Annotated[float, Field(gt=0, le=0.1)]

#: A box of the scene as it is held: x, y, width and height, in shares of its longer side.
Box = tuple[_Share, _Share, Annotated[float, Field(gt=0, le=1)], Annotated[float, Field(gt=0, le=1)]]


def _alike(iso: float, other: float) -> bool:
    """Whether two sensitivities are the same."""
    return 1 / _SAME_ISO < other / iso < _SAME_ISO


class CameraNoise(BaseModel):
    """Noise of a camera at a sensitivity: the variance of raw light x is ``slope`` x + ``offset``, by colour."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    make: str = Field(max_length=200)
    model: str = Field(max_length=200)
    iso: float = Field(gt=0, le=1e7)
    slope: tuple[_Slope, _Slope, _Slope]
    offset: tuple[_Offset, _Offset, _Offset]

    def fits(self, metadata: FrameMetadata) -> bool:
        """Whether a frame comes from this camera, at this sensitivity."""
        return (self.make, self.model) == (metadata.make, metadata.model) and self.same_iso(metadata.iso)

    def same_iso(self, iso: float) -> bool:
        """Whether it holds for a sensitivity."""
        return _alike(self.iso, iso)

    @property
    def noise(self) -> NoiseModel:
        return NoiseModel(np.array(self.slope, np.float32), np.array(self.offset, np.float32))


class CameraNoiseModels(Document):
    """Noise models of cameras."""

    format: Literal["crenn-noise-models"] = "crenn-noise-models"
    version: Literal[1] = 1
    models: list[CameraNoise] = Field(max_length=10_000)


def read_models(path: Path) -> list[CameraNoise]:
    """Read noise models from JSON; a `CrennError` as of `Document.read`."""
    return CameraNoiseModels.read(path).models


def write_models(path: Path, models: Sequence[CameraNoise]) -> None:
    """Write noise models as JSON."""
    document = CameraNoiseModels(models=list(models)).model_dump()
    with replacing(path) as temporary:
        temporary.write_text(json.dumps(document, indent=1))


def _parts(frame: RawFrame, boxes: Sequence[Box]) -> list[np.ndarray]:
    """Parts of a frame's mosaic that boxes cover, each beginning on a whole tile; all of it without boxes."""
    if not boxes:
        return [frame.mosaic]
    height, width = frame.mosaic.shape
    held = (height, width) if lies_across(frame.flip) else (width, height)
    across, down = (max(held) / side for side in held)
    out = []
    for x, y, w, h in boxes:
        left, top, wide, high = box_on_sensor((x * across, y * down, w * across, h * down), frame.flip)
        ends = (top * height, (top + high) * height), (left * width, (left + wide) * width)
        rows, columns = (slice(max(int(a), 0) // 2 * 2, max(int(b), 0)) for a, b in ends)
        out.append(frame.mosaic[rows, columns])
    return out


def fit_camera_noise(frames: Sequence[RawFrame], boxes: Sequence[Box] = ()) -> list[CameraNoise]:
    """Fit the noise model of a camera on its frames: one for each sensitivity among them.

    Parameters
    ----------
    frames : sequence of RawFrame
        All of the same camera, none of them developed.
    boxes : sequence of tuple
        Smooth places of the scene; all of it if none are given, of which the smoothest blocks at each level of light
        count.

    Raises
    ------
    CrennError
        If a frame was developed, comes from another camera, or too little of the frames tells anything.
    """
    camera = (frames[0].metadata.make, frames[0].metadata.model)
    by_iso: dict[float, list[RawFrame]] = {}
    for frame in frames:
        if frame.developed:
            raise CrennError("was developed: its noise is measured in the picture, and has no model.", frame.name)
        if (frame.metadata.make, frame.metadata.model) != camera:
            raise CrennError("comes from another camera.", frame.name, "Fit each camera on its own frames.")
        iso = next((i for i in by_iso if _alike(i, frame.metadata.iso)), frame.metadata.iso)
        by_iso.setdefault(iso, []).append(frame)
    out = []
    for iso, own in sorted(by_iso.items()):
        samples = [smooth_samples(p, f.pattern, f.black, f.white) for f in own for p in _parts(f, boxes)]
        mean, variance = (np.concatenate(parts) for parts in zip(*samples))
        if mean.size < FEWEST:
            raise CrennError(
                f"At ISO {iso:.0f} these places are too small, or too bright, to tell the noise.",
                remedy="Draw boxes of 100 pixels and more, on even places that are not white.",
            )
        told, (dark, bright) = own[0].noise, np.quantile(np.maximum(mean, 1e-9), (0.02, 0.98))
        if told is not None and bright < _ALIKE * dark:
            found = scaled_model(mean, variance, told)
        else:
            found = model_of(mean, variance, quantisation(own[0].black, own[0].white))
        slope, offset = (tuple(float(v) for v in part) for part in (found.slope, found.offset))
        out.append(CameraNoise(make=camera[0], model=camera[1], iso=iso, slope=slope, offset=offset))
    return out
