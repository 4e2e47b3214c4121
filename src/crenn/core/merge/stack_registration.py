"""How the frames of a stack lie: on their stars over still ground, or as whole pictures."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import cv2
import numpy as np

from crenn.core.align.bracket import fits_as_it_lies
from crenn.core.align.horizon import find_ground, painted, snapped
from crenn.core.align.proxy import SEEN, SHARP, Level, levels_of, relative_sharpness, seen
from crenn.core.align.register import WORTH, is_still, refined, register, shifts_of
from crenn.core.frames.light import LightFrame
from crenn.core.geometry.mapping import Mesh
from crenn.core.geometry.resample import resample
from crenn.core.merge.brush import on_sensor, stroke_mask
from crenn.core.merge.calibrate import mend_sites
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.mosaics import Mosaics
from crenn.core.mosaic.bayer import half_colour
from crenn.core.progress import Progress

if TYPE_CHECKING:
    from crenn.core.align.stars import SkyFit, Stars

#: Less agreement of structure than the first means too little to go by, less than the second another view.
_ALIKE, _OTHER = 0.4, 0.25
#: A shift known no better than this, in pixels, was not measured.
_VAGUE = 0.2
#: Error of the exposure of equal frames, in stops.
_EQUAL = 0.001
#: The sky turned too far for a frame that shows less of the reference frame's sky than this.
_OVERLAP = 0.5
#: Stars that move by less than so many pixels stand still; a picture of nothing but sky is even in so much of it.
_STANDS, _ALL_SKY = 0.3, 0.95
#: So many frames serve to tell sky from ground.
_WITNESSES = 12


@dataclass
class StackRegistration:
    """How the frames of a stack lie against the reference frame; where each lies is noted in the frames themselves.

    Their meshes are of the sky if ``sky``, else of the whole picture. ``gone`` are the frames that cannot be used.
    """

    sky: bool = False
    ground: np.ndarray | None = None
    gone: list[LightFrame] = field(default_factory=list)
    aside: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)


def mended(mosaics: Mosaics, k: int, hot: np.ndarray) -> np.ndarray:
    """A mosaic without its hot sites; the one kept stays as it is."""
    mosaic = mosaics.get(k)
    if hot.any():
        mosaic = mosaic.copy()
        mend_sites(mosaic, hot)
    return mosaic


def luma_of(colour: np.ndarray) -> np.ndarray:
    # Sites of all colours alike: their middle is the quad's, whatever a star's colour.
    return colour @ np.array([0.25, 0.5, 0.25], np.float32)


def light_of_quads(frame: LightFrame, mosaic: np.ndarray) -> np.ndarray:
    """A mosaic, uint16 (H, W), in its white balance as shot at half the size, float32 (H // 2, W // 2, 3)."""
    return half_colour(mosaic, frame.pattern, frame.levels.black, frame.levels.white) * frame.raw.neutral_gains


def stars_in(frame: LightFrame, luma: np.ndarray, reduced: int = 1) -> "Stars":
    """Point lights of a frame by its light of quads, float32 (h, w), or of so many quads by so many."""
    from crenn.core.align.stars import find_stars

    gains = frame.raw.neutral_gains
    # Red and blue are one site of a quad, green the mean of two.
    alike = np.array([1 / 16, 1 / 8, 1 / 16]) * gains / reduced**2
    deviation = float(np.sqrt(alike @ (frame.noise.offset * gains)))
    return find_stars(luma, deviation, 2 * reduced, float(alike @ frame.noise.slope))


def lay_sky(
    frames: Sequence[LightFrame],
    mosaics: Mosaics,
    hot: np.ndarray,
    reference: int,
    instructions: Instructions,
    progress: Progress,
) -> tuple[StackRegistration | None, str]:
    """Register a stack on its stars, and find the ground that stays: (None, why) if it shows none, or none that turn.

    The stack is decided by two things: what the point lights stand on, and whether they turn as a sky does.
    """
    # SciPy's optimiser takes long to import, and only stacks that may show stars need it.
    from crenn.core.align.stars import fit_sky, is_star_field, turns_evenly

    count, asked = len(frames), instructions.follow == "stars"
    stars, quarters = [], []
    witnesses = set(np.linspace(0, count - 1, min(count, _WITNESSES)).round().astype(int).tolist()) | {reference}
    colour_mean: np.ndarray = np.zeros((1, 1, 3), np.float32)
    for k, frame in enumerate(frames):
        progress.at(0.6 * k / count, f"Looking for stars in {frame.name}")
        colour = light_of_quads(frame, mended(mosaics, k, hot))
        luma = luma_of(colour)
        stars.append(stars_in(frame, luma))
        if k == 0 and not is_star_field(stars[0]) and not asked:
            return None, "too few points of light stand on dark, even ground for stars."
        if k in witnesses:
            quarter = cv2.resize(luma, (luma.shape[1] // 2, luma.shape[0] // 2), interpolation=cv2.INTER_AREA)
            quarters.append((k, quarter))
            small = cv2.resize(colour, (luma.shape[1] // 4, luma.shape[0] // 4), interpolation=cv2.INTER_AREA)
            colour_mean = small + colour_mean
    colour_mean = colour_mean / len(quarters)
    height, width = mosaics.shape
    times, clocked = moments(frames)
    fit = fit_sky(stars, times, reference, (width, height))
    shifts = [_sky_shift(fit, k) for k in range(count)]
    known = [k for k in range(count) if fit.pairs[k] > 0]
    if len(known) < 2:
        return None, "its points of light are not found again from frame to frame."
    turned = turns_evenly(fit, times, reference, clocked)
    if not asked:
        if max(shifts[k] for k in known) < _STANDS:
            return None, "its points of light stand still."
        if not turned and stars[reference].even < _ALL_SKY:
            return None, "its points of light do not turn as stars would in the time between the frames."
    laid = StackRegistration(sky=True)
    why = ""
    if not asked:
        why = f"{len(stars[reference])} points of light on dark, even ground " + (
            f"turn evenly, by up to {max(shifts):.0f} px." if turned else "are all that it shows."
        )
    gone: set[int] = set()
    for k, frame in enumerate(frames):
        if k == reference:
            continue
        if fit.pairs[k] == 0:
            gone.add(k)
            laid.aside.append(f"{frame.name}: its stars could not be found again, as under cloud; it was left out.")
            continue
        mesh = fit.mesh(k)
        overlap = _overlap(mesh)
        if overlap < _OVERLAP:
            gone.add(k)
            laid.aside.append(
                f"{frame.name}: its sky turned too far, only {overlap:.0%} of the reference frame's sky is in it; "
                "it was left out. Stack it with frames taken nearer to it in time."
            )
            continue
        frame.mesh, frame.shift, frame.error = mesh, shifts[k], float(fit.error[k])
    progress.at(0.7, "Telling sky from ground")
    laid.gone = [frames[k] for k in sorted(gone)]
    for frame in frames:
        frame.gain_error = _EQUAL
    quarters = [(k, q) for k, q in quarters if k not in gone]
    # Where the camera moved by itself, nothing of the picture stands still.
    look = turned and not asked
    laid.ground = _ground(frames[reference], quarters, colour_mean, fit, reference, instructions, (height, width), look)
    if look and laid.ground.max() == 0:
        laid.warnings.append(
            "No ground was found in the stack: the whole picture follows the stars. Paint the ground in if "
            "there is some."
        )
    return laid, why


def moments(frames: Sequence[LightFrame]) -> tuple[np.ndarray, bool]:
    """Moments of the frames in seconds, and whether a clock told them: else they stand for the frames' order."""
    taken = [f.metadata.taken for f in frames if f.metadata.taken is not None]
    if len(set(taken)) < len(frames):
        return np.arange(len(frames), dtype=float), False
    first = min(taken)
    return np.array([(t - first).total_seconds() for t in taken]), True


def _sky_shift(fit: "SkyFit", k: int) -> float:
    """Largest way of the sky between the reference frame and another, in pixels."""
    return (
        0.0
        if not np.isfinite(fit.rotations[k]).all()
        else float(
            np.quantile(np.hypot(*(fit.mesh(k).nodes - Mesh.identity(fit.lens.size[::-1]).nodes).reshape(-1, 2).T), 0.9)
        )
    )


def _overlap(mesh: Mesh) -> float:
    """Share of the upper two thirds of the picture that the other frame shows, too."""
    height, width = mesh.size
    part = mesh.nodes[: max(int(mesh.nodes.shape[0] * 0.66), 1)]
    return float(((part[..., 0] >= 0) & (part[..., 0] < width) & (part[..., 1] >= 0) & (part[..., 1] < height)).mean())


def _ground(
    first: LightFrame,
    quarters: list[tuple[int, np.ndarray]],
    colour_mean: np.ndarray,
    fit: "SkyFit",
    reference: int,
    instructions: Instructions,
    size: tuple[int, int],
    look: bool,
) -> np.ndarray:
    """The ground as a mask, uint8 (H, W): what is found, if it is looked for, and what was painted."""
    values = np.stack([q for _, q in quarters])
    shape = values.shape[1:]

    def as_sky(k: int, quarter: np.ndarray) -> np.ndarray:
        if k == reference:
            return quarter
        # A mesh between pictures a quarter the size.
        mesh = fit.mesh(k)
        small = Mesh.of(lambda p: (mesh.at(p * 4 + 1.5) - 1.5) / 4, shape)
        return resample(quarter[..., None], small)[..., 0]

    turned = np.stack([as_sky(k, quarter) for k, quarter in quarters])
    level, calm = np.maximum(values.mean(0), 0), cv2.medianBlur(values.mean(0).astype(np.float32), 5)
    model = first.noise
    # Four quads of four sites each: about 16 times less variance than a site.
    noise = (model.slope[1] * level + model.offset[1]) / 12
    # Only fine detail tells: a glow in the sky may stand still.
    for stack in (values, turned):
        for picture in stack:
            gone = ~np.isfinite(picture)
            picture -= cv2.GaussianBlur(np.where(gone, level, picture), (0, 0), 2.5)
    _forget_passing(values, turned, np.sqrt(noise))
    still_spread = np.nanvar(values, 0, ddof=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        known = np.isfinite(turned)
        n = known.sum(0)
        mean = np.where(known, turned, 0).sum(0) / np.maximum(n, 1)
        turned_spread = np.where(known, (turned - mean) ** 2, 0).sum(0) / np.maximum(n - 1, 1)
    turned_spread = np.where(n >= 3, turned_spread, still_spread)
    mask = thin = np.zeros(shape, np.float32)
    if look:
        mask, thin = find_ground(
            colour_mean, still_spread.astype(np.float32), turned_spread.astype(np.float32), noise.astype(np.float32)
        )
    if mask.max() > 0 and mask.min() < 1:
        guide = cv2.resize(colour_mean, shape[::-1], interpolation=cv2.INTER_LINEAR) @ np.array(
            [0.25, 0.5, 0.25], np.float32
        )
        low, high = np.quantile(level[mask > 0.5], 0.5), np.quantile(level[mask <= 0.5], 0.5)
        # Stars would pull the border: the median of a few pixels stands for the sky.
        guide = np.clip(
            (np.arcsinh(calm / max(low, 1e-9)) - np.arcsinh(1.0))
            / max(abs(np.arcsinh(high / max(low, 1e-9)) - np.arcsinh(1.0)), 0.2),
            -2,
            2,
        ).astype(np.float32)
        mask = snapped(mask, guide, max(round(shape[1] / 250), 2))
        mask = np.maximum(mask, thin)
    full = cv2.resize(mask, size[::-1], interpolation=cv2.INTER_LINEAR)
    turned_strokes = on_sensor(instructions, first.raw.flip).strokes
    strokes = [s for s in turned_strokes if s.kind in ("sky", "ground")]
    full = painted(full, [(stroke_mask(s, size), s.kind == "ground") for s in strokes])
    if strokes:
        full = cv2.blur(full, (9, 9))
    return np.rint(full * 255).astype(np.uint8)


def _forget_passing(still: np.ndarray, turned: np.ndarray, deviation: np.ndarray) -> None:
    """Take out, in place, what stands out in one and the same frame both as frames lie and turned: satellites."""

    def standing_out(stack):
        with np.errstate(invalid="ignore"):
            highest = np.where(np.isfinite(stack), stack, -np.inf).argmax(0)
            excess = np.take_along_axis(stack, highest[None], 0)[0] - np.nanmedian(stack, 0)
        return highest, excess > 5 * deviation

    (a, loud), (b, turned_loud) = standing_out(still), standing_out(turned)
    alike = loud & turned_loud & (a == b)
    kernel = np.ones((5, 5), np.uint8)
    tracks = [cv2.dilate((alike & (a == k)).astype(np.uint8), kernel) > 0 for k in range(len(still))]
    # Where several frames stand out it is a star that hardly moves.
    lone = np.sum(tracks, 0) == 1
    for k, track in enumerate(tracks):
        still[k][track & lone] = np.nan
        turned[k][track & lone] = np.nan


def lay_ground(
    frames: Sequence[LightFrame],
    mosaics: Mosaics,
    hot: np.ndarray,
    reference: int,
    instructions: Instructions,
    progress: Progress,
) -> StackRegistration:
    """Register a stack as whole pictures, each frame against the reference frame."""
    laid = StackRegistration()
    unsure: list[str] = []

    def levels(k: int) -> list[Level]:
        f = frames[k]
        return levels_of(mended(mosaics, k, hot), f.pattern, f.levels, f.noise)

    fixed = levels(reference)
    before = np.eye(3)
    for k, frame in enumerate(frames):
        frame.gain_error = _EQUAL
        if k == reference:
            continue
        progress.at(k / len(frames), f"Aligning {frame.name}")
        own = levels(k)
        frame.gain = _flicker(fixed[-1], own[-1])
        if not instructions.align:
            continue
        share = seen(own[-1])
        if share < SEEN:
            unsure.append(frame.name)
            continue
        match = register(fixed, own, [before], min(1, len(own) - 1))
        if match is None or match.agreement < _ALIKE:
            # What shows no detail fits as it lies; what shows another view does not.
            other = match is not None and match.agreement < _OTHER and share > 0.2
            if other and fits_as_it_lies(fixed[-1], own[-1]) is False:
                laid.gone.append(frame)
                laid.aside.append(
                    f"{frame.name}: does not fit the other frames: it shows another view, or moved too far."
                )
            else:
                unsure.append(frame.name)
            continue
        if is_still(match, mosaics.shape):
            continue
        match = refined(fixed, own, match)
        if is_still(match, mosaics.shape):
            continue
        if match.improvement < WORTH:
            if match.error > _VAGUE:
                unsure.append(frame.name)
            continue
        if relative_sharpness(fixed[0], own[0]) < SHARP:
            laid.gone.append(frame)
            laid.aside.append(f"{frame.name}: is blurred; it was left out.")
            continue
        before = match.matrix
        frame.mesh = Mesh.from_homography(match.matrix, mosaics.shape)
        frame.shift, frame.error = float(np.hypot(*shifts_of(match.matrix, mosaics.shape)[4])), match.error
    if unsure:
        laid.warnings.append(
            f"{', '.join(unsure)}: {'shows' if len(unsure) == 1 else 'show'} too little detail to be aligned by; "
            f"{'it lies' if len(unsure) == 1 else 'they lie'} as taken."
        )
    return laid


def _flicker(fixed: Level, own: Level) -> float:
    """Exposure of a frame of a stack relative to the reference frame."""
    both = fixed.valid & own.valid & (fixed.light > 4 * np.sqrt(fixed.variance))
    if both.sum() <= 200:
        return 1.0
    gain = float(np.median(own.light[both] / fixed.light[both]))
    # Within a hundredth of a stop frames are equal: flicker of a lamp is no change of exposure.
    return gain if 0.007 < abs(np.log2(max(gain, 1e-6))) < 1.0 else 1.0
