"""The merge report: what the frames covered and how well."""

from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from crenn.core.basis import Basis, Homography
from crenn.core.colorimetry.brightness import coloured_ev
from crenn.core.colorimetry.hue_saturation import HueSaturationMap
from crenn.core.colorimetry.spaces import luminance
from crenn.core.document import Document
from crenn.core.noise.averaging import luminance_deviation
from crenn.core.pipeline.scene import Capture
from crenn.core.report.camera_picture import CameraPicture
from crenn.core.report.coverage import Coverage
from crenn.core.report.lamps import find_lamps, lamp_mask
from crenn.core.report.sharpness import blur_of
from crenn.core.report.subject import bright_subject

#: Histograms count light in bins of this many stops.
BIN = 0.125
#: Signal to noise, as a ratio, below which a stop is no longer of use: 12 dB at the chosen output.
HORIZON_SNR = 4.0
#: Longer side on which the bulk's colours are looked at, in pixels, deviations by which they stand out of the noise,
#: and the tone in EV below white on which they are thought to be shown.
_SMALL, _SURE, _SHOWN = 400, 4.0, -3.25
#: Share of the picture that is darker than its brightest light.
_TOP = 0.9995


_Share = Annotated[float, Field(ge=-0.05, le=0.05)]


class _Part(BaseModel):
    # A report is stored and read by others: every number in it is one.
    model_config = ConfigDict(allow_inf_nan=False, json_schema_serialization_defaults_required=True)


class FringesReport(_Part):
    """Lateral colour of the lens, as it was taken back in the merge.

    Light that green draws at the radius r, in half diagonals of what the sensor recorded, was drawn at
    r (1 + a + b r²).
    """

    by: Literal["profile", "picture"] = Field(description="the lens's profile, or measured on the picture")
    red: tuple[_Share, _Share] = Field(description="a and b")
    blue: tuple[_Share, _Share] = Field(description="a and b")


class CaptureReport(_Part):
    """What the reference frame tells of camera and lens; what it does not tell is empty or none."""

    make: str = Field("", max_length=200)
    model: str = Field("", max_length=200)
    lens: str = Field("", max_length=200)
    focal_length: float | None = Field(None, gt=0, description="mm")
    aperture: float | None = Field(None, gt=0, description="f-number")
    seconds: float | None = Field(None, gt=0, description="exposure time, s")
    iso: float | None = Field(None, gt=0)
    to_camera: list[float] | None = Field(
        None, min_length=9, max_length=9, description="from the light's colours to the camera's, row by row"
    )
    part: tuple[float, float, float, float] = Field(
        (0.0, 0.0, 1.0, 1.0),
        description="x, y, width and height of the scene in what the sensor recorded, in shares of the latter",
    )

    fringes: FringesReport | None = None
    mosaic: Literal["RGGB", "BGGR", "GRBG", "GBRG"] | None = Field(
        None, description="the sensor's colours in the upper left two by two pixels; none if it was no such mosaic"
    )

    scale: float | None = Field(
        None, gt=0, le=1e6, description="of the compressive scale on which colour was rebuilt; none if it was not"
    )
    developed: bool = Field(False, description="whether the frames were developed pictures, and not raw")
    filter_stops: float = Field(0.0, ge=0, le=30, description="what a filter before the lens took, in stops")
    day: bool | None = Field(None, description="whether it was day; none where nobody has said")
    crop: float | None = Field(
        None, gt=0.1, le=40, description="how many times smaller the sensor is than 36 by 24 mm; none if not known"
    )
    profile: list[Annotated[str, Field(max_length=1_000_000)]] = Field(
        default_factory=list,
        max_length=2,
        description="tables of hues of the file: values, hues, saturations and whether values are codes; "
        "degrees and factors in 16 bits, packed",
    )
    finished: bool = Field(False, description="whether it is one picture, whose tones are as somebody wanted them")

    @field_validator("profile")
    @classmethod
    def _tables(cls, profile: list[str]) -> list[str]:
        for text in profile:
            HueSaturationMap.from_text(text)
        return profile

    @field_validator("part")
    @classmethod
    def _a_part(cls, part: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        x, y, width, height = part
        if min(x, y) < 0 or min(width, height) < 0.01 or max(x + width, y + height) > 1.001:
            raise ValueError("a part lies within the whole")
        return part


class FrameReport(_Part):
    """One frame's part in the merge; stops are relative to the reference frame's saturation."""

    name: str
    key: str = Field("", description="what tells the frame from all others for good, as of the basis")
    seconds: float | None = Field(description="exposure time in the file, s")
    aperture: float | None
    iso: float
    ev: float = Field(description="sensitivity relative to the reference frame as refined, EV")
    nominal_ev: float = Field(description="the same as the metadata tell, EV")
    ev_error: float | None = Field(description="standard error of the refinement, EV; none if not refined")
    clip_stop: float = Field(description="stop at which the frame clips in green")
    noise_stop: float = Field(description="stop at which one pixel's signal equals its noise times 4")
    clipped_share: float = Field(description="share of sites clipped in this frame")
    feeds: float = Field(description="share of the picture that this frame feeds most")
    shift: float = Field(0.0, description="by which the picture's middle, or a stack's sky, was moved, in pixels")
    turn: float = Field(0.0, description="by which the picture was turned, in degrees")
    align_error: float = Field(0.0, description="predicted deviation that is left, in pixels")


class Region(_Part):
    """A region of what moved, in shares of the picture's width and height."""

    x: float
    y: float
    width: float
    height: float
    frame: str = Field(description="frame that it comes from")
    soft: bool = Field(description="water or leaves: frames fade out by how much they differ")


class Lamp(_Part):
    """A lamp: compact, and far brighter than its surroundings and the rest of the scene."""

    x: float = Field(ge=0, le=1, description="its middle, in shares of the scene's longer side")
    y: float = Field(ge=0, le=1)
    radius: float = Field(ge=0, le=1, description="of its core, in shares of the scene's longer side")
    glare: float = Field(ge=0, le=1, description="radius within which its light is spread")
    stop: float = Field(description="stop of its brightest place")


class StackReport(_Part):
    """How equal frames became one."""

    frames: int
    method: Literal["mean", "clipped", "median", "maximum"]
    sky: bool = Field(description="whether the sky was registered on its stars, the ground on itself")
    why: str = Field("", description="what was decided by whether to follow stars; empty where there was no choice")
    rejected: float = Field(description="share of samples left out as outliers")
    filled: int = Field(0, description="pauses between frames in which trails of stars were drawn")
    expected_gain_db: float = Field(description="gain in signal to noise of a mean of so many frames, dB")


class MergeReport(Document):
    """What a merge found. Findings that this version does not know are left out."""

    model_config = ConfigDict(extra="ignore", json_schema_serialization_defaults_required=True)
    version: Literal[1] = 1
    reference: int
    width: int
    height: int
    frames: list[FrameReport]
    source_indices: list[int] = Field(max_length=256, description="value in the source channel of each of the frames")
    as_shot: list[float] = Field(
        min_length=2, max_length=2, description="white balance as shot: temperature in K, tint in ‰ Duv"
    )
    capture: CaptureReport | None = None
    basis: Basis | None = Field(None, description="what of the reference frame the scene shows")
    maps: dict[str, Homography] = Field(
        default_factory=dict, description="by frame, from pixels of the reference frame to its own, row by row"
    )
    mode: Literal["single", "bracket", "stack"] = "bracket"
    aligned: bool = Field(False, description="whether any frame was moved over the reference frame")
    detail_frames: int = Field(0, ge=0, le=256, description="frames from whose sites detail was gathered")
    detail_db: float = Field(0.0, description="by how much more closely the frames' sites fit the picture by that, dB")
    common: tuple[float, float, float, float] | None = Field(
        None, description="x, y, width, height that all frames cover, in shares of the picture; none if all of it"
    )
    moved_share: float = Field(0.0, description="share of the picture where something moved")
    regions: list[Region] = Field(default_factory=list, description="the largest regions of what moved")
    stack: StackReport | None = None
    calibration: list[str] = Field(default_factory=list, description="calibration frames, and what was done with them")
    coverage: Coverage | None = None
    set_aside: list[str] = Field(default_factory=list, description="frames left out, each with the reason")
    warnings: list[str] = Field(default_factory=list)
    hot_pixels: int = Field(0, description="sites mended")
    low_stop: float = Field(description="0.1th percentile of luminance, stops")
    high_stop: float = Field(description="99.99th percentile of luminance, stops")
    clipped_share: list[float] = Field(description="share clipped in every frame: red, green, blue")
    noise_horizon: float = Field(description="stop below which signal to noise is under 12 dB per pixel")
    histogram_start: float = Field(description="stop of the first bin's lower edge")
    histogram_bin: float = Field(BIN, gt=0, le=4)
    histogram: list[float] = Field(max_length=4096, description="share of the picture in each bin of luminance")
    clipped_histogram: list[float] = Field(description="of which clipped in every frame")
    lamp_histogram: list[float] = Field(default_factory=list, description="of which lamps; empty if none")
    lamps: list[Lamp] = Field(default_factory=list, max_length=400, description="lamps, the brightest first")
    snr_db: list[float | None] = Field(description="median signal to noise in each bin, dB")
    blur: float | None = Field(
        None,
        ge=0,
        le=100,
        description="deviation by which the sharpest edges are blurred, in pixels; none if not known",
    )
    coloured_ev: float = Field(0.0, description="EV by which the bulk looks brighter than grey of its luminance")
    deep_ev: float = Field(
        0.0,
        description="EV by which the brightest light counts for more than its luminance: its colour is deep",
    )
    subject: float | None = Field(
        None, description="stop of the brightest light of a textured region before nothing; none if there is none"
    )
    camera: CameraPicture | None = Field(
        None, description="how the camera's own picture shows the scene; none if the reference frame carries none"
    )
    seconds: float = Field(0.0, description="time the merge took, s")

    @property
    def reference_name(self) -> str:
        """Name of the reference frame; of the first where it was stacked with others of its exposure."""
        names = dict(zip(self.source_indices, (f.name for f in self.frames)))
        return names.get(self.reference, self.frames[0].name if self.frames else "")


def light_statistics(rgb, sigma, clipped, step: int = 1, capture: Capture | None = None) -> dict:
    """Histogram, range, noise horizon, lamps and blur of a radiance map, as fields of `MergeReport`.

    Parameters
    ----------
    rgb, sigma : ndarray, float32 (H, W, 3)
        ``sigma`` may be None: no noise horizon is known then and it is put at the lowest stop.
    clipped : ndarray, uint8 (H, W) or None
    step : int
        Only every step-th row and column is looked at.
    capture : Capture, optional
        Tells how colours share their noise.
    """
    lamps = find_lamps(rgb)
    blur = blur_of(rgb, sigma, clipped)
    subject, coloured = bright_subject(rgb, sigma), _coloured_ev(rgb, sigma)
    rgb = rgb[::step, ::step]
    y = luminance(rgb)
    # As the display measures light: half by its luminance, half by its strongest colour.
    strongest = np.maximum(np.maximum(rgb[..., 0], rgb[..., 1]), rgb[..., 2])
    tops = [float(np.quantile(light, _TOP)) for light in (y, (y + strongest) / 2)]
    floor = max(float(y.max()), 1e-9) * 2.0**-26
    stops = np.log2(np.maximum(y, floor))
    positive = stops[y > floor]
    if positive.size == 0:
        positive = np.array([-10.0], np.float32)
    low, high = np.quantile(positive, [0.001, 0.9999])
    start = float(np.floor(max(positive.min(), low - 3.0)))
    bins = int(np.ceil((float(positive.max()) - start) / BIN)) + 1
    index = np.clip(((stops - start) / BIN).astype(np.int32), 0, bins - 1)
    counts = np.bincount(index.ravel(), minlength=bins)
    mask = clipped[::step, ::step] > 0 if clipped is not None else np.zeros(index.shape, bool)
    lost = np.bincount(index[mask], minlength=bins)
    lit = np.bincount(index[lamp_mask(y.shape, lamps)], minlength=bins) if lamps else np.zeros(0)
    snr: list[float | None] = [None] * bins
    horizon = start
    if sigma is not None:
        deviation = luminance_deviation(sigma[::step, ::step], capture or Capture())
        noise_sum = np.bincount(index.ravel(), weights=deviation.ravel(), minlength=bins)
        centres = np.exp2(start + (np.arange(bins) + 0.5) * BIN)
        known = counts >= 5
        ratio = centres[known] / np.maximum(noise_sum[known] / counts[known], 1e-12)
        for i, value in zip(np.flatnonzero(known), ratio):
            snr[i] = round(float(20 * np.log10(value)), 2)
        below = np.flatnonzero(known)[ratio < HORIZON_SNR]
        if below.size:
            horizon = float(start + (below.max() + 1) * BIN)
    total = max(index.size, 1)
    return {
        "low_stop": float(low),
        "high_stop": float(high),
        "noise_horizon": horizon,
        "histogram_start": start,
        "histogram_bin": BIN,
        "histogram": [float(c) / total for c in counts],
        "clipped_histogram": [float(c) / total for c in lost],
        "lamp_histogram": [float(c) / total for c in lit],
        "lamps": lamps,
        "snr_db": snr,
        "blur": blur,
        "coloured_ev": coloured,
        "deep_ev": round(float(np.log2(tops[1] / tops[0])), 3) if tops[0] > 0 else 0.0,
        "subject": subject,
    }


def _coloured_ev(rgb: np.ndarray, sigma: np.ndarray | None) -> float:
    """EV by which the bulk of what is more than noise looks brighter than grey light of its luminance."""
    factor = min(_SMALL / max(rgb.shape[:2]), 1.0)
    size = tuple(max(round(n * factor), 1) for n in rgb.shape[1::-1])
    small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    y = luminance(small)
    sure = y > 0
    if sigma is not None:
        sure &= y > _SURE * factor * luminance(cv2.resize(sigma, size, interpolation=cv2.INTER_AREA))
    if not sure.any():
        return 0.0
    low, high = np.quantile(y[sure], (0.05, 0.95), method="closest_observation")
    return round(float(coloured_ev(small[sure & (y >= low) & (y <= high)], _SHOWN).mean()), 3)
