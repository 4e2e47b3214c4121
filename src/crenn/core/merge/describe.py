"""Writes the merge report."""

from dataclasses import dataclass, field

import numpy as np

from crenn.core.frames.pictures import PICTURE_ENDINGS
from crenn.core.frames.raw import RawFrame
from crenn.core.merge.coverage import cover
from crenn.core.merge.gather import Gathered
from crenn.core.merge.ghosts import CELL, Motion
from crenn.core.merge.report import HORIZON_SNR, FrameReport, MergeReport, Region, StackReport, light_statistics
from crenn.core.merge.stack import Stacked
from crenn.core.radiance import RadianceMap


@dataclass
class Facts:
    """What the stages of a merge found out, for the report. Lists run along the merged light frames."""

    mode: str
    calibration: list[str]
    hot: int = 0
    clipped: list[float] = field(default_factory=list)
    shifts: list[float] = field(default_factory=list)
    turns: list[float] = field(default_factory=list)
    errors: list[float] = field(default_factory=list)
    ratio_errors: list[float | None] = field(default_factory=list)
    gains: np.ndarray | None = None
    nominal: np.ndarray | None = None
    feeds: np.ndarray | None = None
    common: tuple[int, int, int, int] | None = None
    moved: np.ndarray | None = None
    ground: np.ndarray | None = None
    regions: list[tuple] = field(default_factory=list)
    stack: StackReport | None = None

    def take_motion(self, motion: Motion, found: Gathered) -> None:
        """Note what moved; regions in shares of the sensor's width and height."""
        rows, columns = motion.moved.shape
        self.regions = [
            (x / columns, y / rows, w / columns, h / rows, found.lights[k].name, soft)
            for x, y, w, h, k, soft in motion.regions
        ]

    def take_stack(self, stacked: Stacked, found: Gathered) -> None:
        """Note how a stack became one; called before unused frames are dropped."""
        count = len(stacked.used)
        self.hot += stacked.hot
        self.ground, self.common = stacked.ground, stacked.common
        self.clipped = [self.clipped[k] for k in stacked.used]
        self.shifts, self.errors, self.turns = stacked.shifts, stacked.errors, [0.0] * count
        self.gains, self.nominal = stacked.gains, np.ones(count)
        self.ratio_errors = [0.001] * count
        found.aside += stacked.aside
        found.warnings += stacked.warnings
        self.stack = StackReport(
            frames=count,
            method=stacked.method,
            sky=stacked.ground is not None,
            rejected=round(stacked.rejected, 5),
            expected_gain_db=round(float(10 * np.log10(count)), 2),
        )


def _turned(box: tuple, flip: int) -> tuple:
    """A box (x, y, width, height) in shares, on the sensor, as it lies in the picture as held."""
    x, y, w, h = box
    return {3: (1 - x - w, 1 - y - h, w, h), 5: (y, 1 - x - w, h, w), 6: (1 - y - h, x, h, w)}.get(flip, box)


def describe(radiance: RadianceMap, found: Gathered, facts: Facts, first: RawFrame, chosen: int) -> MergeReport:
    """The report of a merge.

    Parameters
    ----------
    radiance : RadianceMap
    found : Gathered
        Only the frames that were merged.
    facts : Facts
    first : RawFrame
        The reference frame, at place ``chosen``.
    """
    height, width = radiance.shape
    step = max(1, int(np.sqrt(height * width / 1.5e6)))
    statistics = light_statistics(radiance.rgb, radiance.sigma, radiance.clipped, step)
    reports = []
    for i, frame in enumerate(found.lights):
        ev = float(np.log2(facts.gains[i]))
        slope, offset = float(found.noise[i].slope[1]), float(found.noise[i].offset[1])
        # x / sqrt(S x + O) = 4 solved for x.
        floor = (HORIZON_SNR**2 * slope + np.sqrt(HORIZON_SNR**4 * slope**2 + 4 * HORIZON_SNR**2 * offset)) / 2
        level = (found.clip[i] - frame.black[1]) / (frame.white - frame.black[1])
        reports.append(
            FrameReport(
                name=frame.name,
                seconds=frame.metadata.seconds,
                aperture=frame.metadata.aperture,
                iso=frame.metadata.iso,
                ev=ev,
                nominal_ev=float(np.log2(facts.nominal[i])),
                ev_error=facts.ratio_errors[i],
                clip_stop=float(np.log2(level)) - ev,
                noise_stop=float(np.log2(floor)) - ev,
                clipped_share=facts.clipped[i],
                feeds=float(facts.feeds[i]),
                shift=round(facts.shifts[i], 3),
                turn=round(facts.turns[i], 4),
                align_error=round(facts.errors[i], 4),
            )
        )
    some = float((radiance.clipped[::step, ::step] > 0).mean())
    coverage = cover(
        facts.gains,
        found.noise,
        [r.clip_stop for r in reports],
        [r.seconds for r in reports],
        [r.iso for r in reports],
        statistics,
        some,
        (width, height),
        facts.stack is not None,
    )
    sensor = first.flip in (5, 6)
    size = (height, width) if sensor else (width, height)
    common = None
    if facts.common is not None and facts.common[2:] != size:
        common = _turned(tuple(v / n for v, n in zip(facts.common, size * 2)), first.flip)
    moved = radiance.moved
    return MergeReport(
        reference=found.indices[chosen],
        width=width,
        height=height,
        frames=reports,
        set_aside=found.aside,
        mode=facts.mode,
        aligned=any(s > 0 for s in facts.shifts),
        common=common,
        moved_share=0.0 if moved is None else float((moved[::CELL, ::CELL] > 0).mean()),
        regions=[
            Region(
                **dict(zip(("x", "y", "width", "height"), (round(v, 5) for v in _turned(tuple(r[:4]), first.flip)))),
                frame=r[4],
                soft=r[5],
            )
            for r in facts.regions
        ],
        stack=facts.stack,
        calibration=facts.calibration,
        coverage=coverage,
        hot_pixels=facts.hot,
        source_indices=found.indices,
        as_shot=list(first.as_shot),
        warnings=found.warnings + _warnings(found, facts),
        clipped_share=[float((radiance.clipped[::step, ::step] & bit > 0).mean()) for bit in (1, 2, 4)],
        **statistics,
    )


def _warnings(found: Gathered, facts: Facts) -> list[str]:
    out = []
    for i, frame in enumerate(found.lights):
        off = float(np.log2(facts.gains[i] / facts.nominal[i]))
        if abs(off) > 0.25:
            out.append(f"{frame.name}: was exposed {off:+.2f} EV off what its file tells; the measured value is used.")
        if facts.ratio_errors[i] is None:
            out.append(
                f"{frame.name}: shares too little well-exposed light with the next darker frame to check its "
                "exposure; the file's value is used."
            )
        if frame.developed and frame.path.suffix.lower() not in PICTURE_ENDINGS:
            out.append(
                f"{frame.name}: its sensor has no Bayer mosaic; LibRaw's demosaic comes before the merge, and the "
                "predicted noise is only roughly right."
            )
        if facts.clipped[i] > 0.98:
            out.append(f"{frame.name}: is clipped nearly everywhere and adds little.")
    if facts.mode == "bracket" and len(found.lights) > 1 and max(facts.nominal) < 1.1 * min(facts.nominal):
        out.append("All frames have the same exposure: they are averaged, and reach no further into lights or shadows.")
    return out
