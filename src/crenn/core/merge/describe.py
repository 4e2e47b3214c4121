"""Writes the merge report."""

from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np

from crenn.core.frames.embedded import embedded_picture
from crenn.core.frames.light import LightFrame
from crenn.core.geometry.orientation import box_as_held, lies_across
from crenn.core.lens.database import crop_of
from crenn.core.merge.detail import Gathered
from crenn.core.merge.ghosts import CELL, Motion
from crenn.core.merge.places import basis_of, maps_between
from crenn.core.merge.stack import Stacked
from crenn.core.mosaic.bayer import tile_as_held
from crenn.core.noise.averaging import left_when_averaged
from crenn.core.pipeline.scene import Capture
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap
from crenn.core.report.camera_picture import held_against
from crenn.core.report.coverage import Measured, cover
from crenn.core.report.merging import (
    HORIZON_SNR,
    CaptureReport,
    FrameReport,
    FringesReport,
    MergeReport,
    Region,
    StackReport,
    light_statistics,
)


@dataclass
class Facts:
    """What the stages of a merge found out about the whole, for the report.

    Attributes
    ----------
    keys : list of str
        What tells frames apart for good, by their index.
    aside, warnings, calibration : list of str
        Sentences.
    mode : str
    hot : int
        Sites mended.
    common : tuple of int
        (x, y, width, height) that all frames cover, on the sensor; None if none was moved.
    scale : float or None
        Of the compressive scale that colour was rebuilt on.
    detail : Gathered
        What came of the sites of moved frames.
    fringes : FringesReport or None
        Lateral colour that was taken back.
    part : tuple of float
        x, y, width and height that were kept, in shares of the sensor's.
    moved, ground : ndarray, uint8 (H, W) or None
        As of `crenn.core.radiance.RadianceMap`, on the sensor.
    regions : list of tuple
        (x, y, width, height in shares of the sensor, name of the frame, whether soft).
    stack : StackReport or None
    filter_stops : float
        What a filter before the lens took.
    day : bool or None
        Whether it was day.
    """

    keys: list[str] = field(default_factory=list)
    aside: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    calibration: list[str] = field(default_factory=list)
    mode: str = "bracket"
    hot: int = 0
    common: tuple[int, int, int, int] | None = None
    scale: float | None = None
    detail: Gathered = field(default_factory=Gathered)
    fringes: FringesReport | None = None
    part: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    moved: np.ndarray | None = None
    ground: np.ndarray | None = None
    regions: list[tuple] = field(default_factory=list)
    stack: StackReport | None = None
    filter_stops: float = 0.0
    day: bool | None = None

    def take_lines(self, deviation: float) -> None:
        """Note what pattern of rows and columns was taken out, relative to the noise of a dark site."""
        if deviation:
            self.warnings.append(
                f"A pattern of rows or columns was taken out of the shadows: {100 * deviation:.0f} % of their noise."
            )

    def take_motion(self, motion: Motion, lights: list[LightFrame]) -> None:
        """Note what moved."""
        rows, columns = motion.moved.shape
        self.regions = [
            (x / columns, y / rows, w / columns, h / rows, lights[k].name, soft)
            for x, y, w, h, k, soft in motion.regions
        ]

    def take_stack(self, stacked: Stacked) -> None:
        """Note how a stack became one."""
        count = len(stacked.used)
        self.hot += stacked.hot
        self.ground, self.common = stacked.ground, stacked.common
        self.aside += stacked.aside
        self.warnings += stacked.warnings
        self.stack = StackReport(
            frames=count,
            method=stacked.method,
            sky=stacked.sky,
            why=stacked.why,
            rejected=round(stacked.rejected, 5),
            filled=stacked.filled,
            expected_gain_db=round(float(10 * np.log10(count)), 2),
        )


def _frame_report(frame: LightFrame, feeds: float, key: str) -> FrameReport:
    ev = float(np.log2(frame.gain))
    slope, offset = float(frame.noise.slope[1]), float(frame.noise.offset[1])
    # x / sqrt(S x + O) = 4 solved for x.
    floor = (HORIZON_SNR**2 * slope + np.sqrt(HORIZON_SNR**4 * slope**2 + 4 * HORIZON_SNR**2 * offset)) / 2
    return FrameReport(
        name=frame.name,
        key=key,
        seconds=frame.metadata.seconds,
        aperture=frame.metadata.aperture,
        iso=frame.metadata.iso,
        ev=ev,
        nominal_ev=float(np.log2(frame.nominal)),
        ev_error=frame.gain_error,
        clip_stop=float(np.log2(frame.levels.clip_light[1])) - ev,
        noise_stop=float(np.log2(floor)) - ev,
        clipped_share=frame.clipped,
        feeds=feeds,
        shift=round(frame.shift, 3),
        turn=round(frame.turn, 4),
        align_error=round(frame.error, 4),
    )


def _capture(first: LightFrame, facts: Facts, shape: tuple[int, int]) -> CaptureReport:
    told = first.metadata
    x, y, width, height = box_as_held(facts.part, first.raw.flip)
    to_rec2020 = first.raw.to_rec2020.astype(np.float64)
    invertible = abs(np.linalg.det(to_rec2020)) > 1e-6
    return CaptureReport(
        make=told.make,
        model=told.model,
        lens=told.lens,
        focal_length=told.focal_length,
        aperture=told.aperture,
        seconds=told.seconds,
        iso=told.iso,
        to_camera=np.linalg.inv(to_rec2020).ravel().tolist() if invertible else None,
        part=(x, y, width, height),
        fringes=facts.fringes,
        mosaic=_mosaic(first, facts, shape),
        developed=first.raw.developed,
        finished=first.raw.for_display and facts.mode == "single",
        scale=facts.scale,
        filter_stops=facts.filter_stops,
        day=facts.day,
        crop=crop_of(Capture(make=told.make, model=told.model)),
        profile=[table.text() for table in first.raw.profile],
    )


def _mosaic(first: LightFrame, facts: Facts, shape: tuple[int, int]) -> Any:
    """The mosaic of a scene of a shape (H, W), by its tile's letters; None if colour was not rebuilt from one."""
    if first.raw.grey:
        return None
    on_sensor = shape[::-1] if lies_across(first.raw.flip) else shape
    x, y = (0, 0) if facts.part == (0.0, 0.0, 1.0, 1.0) or facts.common is None else facts.common[:2]
    tile = tile_as_held(first.pattern, (y, x), on_sensor, first.raw.flip)
    return "".join("RGB"[c] for c in tile.ravel())


def describe(
    radiance: RadianceMap,
    lights: list[LightFrame],
    feeds: np.ndarray,
    facts: Facts,
    first: LightFrame,
    progress: Progress,
) -> MergeReport:
    """The report of a merge.

    Parameters
    ----------
    radiance : RadianceMap
    lights : list of LightFrame
        Those that took part.
    feeds : ndarray (K,)
        Share of the picture that each feeds most.
    facts : Facts
    first : LightFrame
        The reference frame.
    progress : Progress
    """
    assert radiance.clipped is not None
    height, width = radiance.shape
    step = max(1, int(np.ceil(np.sqrt(height * width / 1.5e6))))
    capture = _capture(first, facts, radiance.shape)
    told = Capture.from_report({"capture": capture.model_dump()})
    statistics = light_statistics(radiance.rgb, radiance.sigma, radiance.clipped, step, told)
    reports = [_frame_report(f, float(share), facts.keys[f.index]) for f, share in zip(lights, feeds)]
    progress.at(0.7, "Measuring the light")
    coverage = cover(
        [Measured(f.gain, f.noise, r.clip_stop, r.seconds, r.iso) for f, r in zip(lights, reports)],
        statistics,
        float((radiance.clipped[::step, ::step] > 0).mean()),
        (width, height),
        facts.stack is not None,
        partial(left_when_averaged, told),
    )
    flip = first.raw.flip
    size = (height, width) if lies_across(flip) else (width, height)
    common = None
    if facts.common is not None and facts.common[2:] != size:
        x, y, w, h = (v / n for v, n in zip(facts.common, size * 2))
        common = box_as_held((x, y, w, h), flip)
    moved, shown = radiance.moved, embedded_picture(first.raw.path)
    held = round(height / capture.part[3]), round(width / capture.part[2])
    sensor = held[::-1] if lies_across(first.raw.flip) else held
    return MergeReport(
        reference=first.index,
        width=width,
        height=height,
        frames=reports,
        set_aside=facts.aside,
        mode=facts.mode,
        aligned=any(f.shift > 0 for f in lights),
        detail_frames=facts.detail.frames,
        detail_db=round(facts.detail.closer_db, 2),
        common=common,
        moved_share=0.0 if moved is None else float((moved[::CELL, ::CELL] > 0).mean()),
        regions=[_region(r, flip) for r in facts.regions],
        stack=facts.stack,
        calibration=facts.calibration,
        coverage=coverage,
        hot_pixels=facts.hot,
        source_indices=[f.index for f in lights],
        as_shot=list(first.raw.as_shot),
        capture=capture,
        basis=basis_of(first, facts.keys, radiance.shape, capture.part),
        maps=maps_between(lights, facts.keys, sensor, first, facts.stack is not None and facts.stack.sky),
        warnings=facts.warnings + _warnings(lights, facts.mode),
        camera=None if shown is None else held_against(radiance.rgb, shown, capture.part),
        clipped_share=[float((radiance.clipped[::step, ::step] & bit > 0).mean()) for bit in (1, 2, 4)],
        **statistics,
    )


def _region(region: tuple, flip: int) -> Region:
    x, y, width, height = (round(v, 5) for v in box_as_held(region[:4], flip))
    return Region(x=x, y=y, width=width, height=height, frame=region[4], soft=region[5])


def _warnings(lights: list[LightFrame], mode: str) -> list[str]:
    out = []
    for frame in lights:
        off = float(np.log2(frame.gain / frame.nominal))
        if abs(off) > 0.25:
            out.append(f"{frame.name}: was exposed {off:+.2f} EV off what its file tells; the measured value is used.")
        if frame.gain_error is None:
            out.append(
                f"{frame.name}: shares too little well-exposed light with the next darker frame to check its "
                "exposure; the file's value is used."
            )
        if frame.raw.developed and not frame.raw.finished:
            out.append(
                f"{frame.name}: its sensor has no Bayer mosaic; LibRaw's demosaic comes before the merge, and the "
                "predicted noise is only roughly right."
            )
        if frame.clipped > 0.98:
            out.append(f"{frame.name}: is clipped nearly everywhere and adds little.")
    nominal = [f.nominal for f in lights]
    if mode == "bracket" and len(lights) > 1 and max(nominal) < 1.1 * min(nominal):
        out.append("All frames have the same exposure: they are averaged, and reach no further into lights or shadows.")
    return out
