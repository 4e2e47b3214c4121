"""Writes finished pictures: JPEG, PNG, TIFF, AVIF, WebP, and light as OpenEXR and DNG."""

from collections.abc import Iterator, Mapping
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from crenn.core.areas.area import Area
from crenn.core.colorimetry.profiles import IccProfile
from crenn.core.deliver.bands import bands as whole_bands
from crenn.core.deliver.bands import code_bands, light_bands, light_in, shown_bands
from crenn.core.deliver.border import Border, bordered, within
from crenn.core.deliver.codes import codes_of_output
from crenn.core.deliver.dng import write_dng
from crenn.core.deliver.gain_map import GainMap
from crenn.core.deliver.hdr import LightLevel
from crenn.core.deliver.lossy import write_lossy
from crenn.core.deliver.metadata import CaptureMetadata
from crenn.core.deliver.naming import named
from crenn.core.deliver.output import Output
from crenn.core.deliver.sharpen import Sharpening, noise_of
from crenn.core.deliver.spaces import SPACES, CodeSpace
from crenn.core.deliver.writers import Labels, write_light, write_png, write_tiff
from crenn.core.deliver.xmp import SEGMENT, packet
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.progress import Progress
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: Side of the parts that a picture's noise is told by, in pixels of the file, and how many there are each way.
_PART, _PARTS = 192, 3
#: A mask where an area acts wholly.
_WHOLLY = 65535


@dataclass(frozen=True)
class Delivered:
    """What a file came to: (w, h) with its border, its quality, if that was of any account, what its codes are of, and
    the day when it was taken."""

    size: tuple[int, int]
    quality: int | None
    space: str
    day: str | None

    def named(self, output: Output, told: Mapping[str, str | int | None]) -> str:
        """What the file is called by its output's pattern; ``told`` has what it cannot know of itself."""
        own: dict[str, str | int | None] = {
            "width": self.size[0],
            "height": self.size[1],
            "space": self.space,
            "date": self.day,
        }
        return named(output.name, {**told, **own}, output.format)


def deliver(
    renderer: Renderer,
    treatment: Treatment,
    path: Path,
    output: Output,
    metadata: CaptureMetadata | None = None,
    progress: Progress | None = None,
    profile: IccProfile | None = None,
) -> Delivered:
    """Render a scene and write it to a file.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    path : Path
    output : Output
        JPEG, AVIF and WebP have 8 bits, PNG and TIFF 8 or 16, of the space that it names; OpenEXR is scene-linear
        Rec. 2020 before the display transform, DNG the merged light before any treatment. What reaches above white is
        Rec. 2100 PQ, 10 bits of AVIF or 16 of PNG, or stands beside the picture of a JPEG as a gain map.
    metadata : CaptureMetadata, optional
    progress : Progress, optional
    profile : IccProfile, optional
        The one that the output names.

    Raises
    ------
    CrennError
        If it would be too large, light is to have a border, or the file cannot be written.
    """
    progress, metadata = progress or Progress(), metadata or CaptureMetadata()
    if output.border is not None and output.of_light:
        raise CrennError("A border goes round a picture, not round scene-linear light;", path, "leave it out.")
    # A raw developer is given all that was merged.
    treatment = Treatment.neutral() if output.format == "dng" else treatment
    height, width = renderer.frame(treatment).size
    size = output.size.of((width, height))
    space, quality = codes_of_output(output, profile), None
    told = metadata.told(output.about)
    with replacing(path) as temporary:
        if output.of_light:
            bands = light_bands(renderer, treatment, size, progress.part(0, 0.9))
            if output.format == "exr":
                write_light(temporary, size, bands, output.half)
            else:
                write_dng(temporary, size, bands, renderer.brightest, told, output.half)
        else:
            size, quality = _write_picture(temporary, renderer, treatment, size, output, space, told, progress)
    progress.at(1.0, "Written")
    return Delivered(size, quality, space.title, metadata.day)


def _write_picture(
    path: Path,
    renderer: Renderer,
    treatment: Treatment,
    size: tuple[int, int],
    output: Output,
    space: CodeSpace,
    metadata: CaptureMetadata,
    progress: Progress,
) -> tuple[tuple[int, int], int | None]:
    """Write a picture of a size (w, h); its size with a border, and the quality that it came to."""
    rendering = progress.part(0, 0.9)
    peak = 1.0 if output.stops is None else 2.0**output.stops
    level = LightLevel() if output.pq else None
    with ExitStack() as open_until_then:
        gains = None
        if peak > 1.0 and not output.pq:
            gains = open_until_then.enter_context(GainMap.waiting(size, path.parent))
            bands = _with_gains(gains, renderer, treatment, size, rendering, space, peak)
            # The picture itself reaches no farther than ever.
            peak = 1.0
        else:
            bands = code_bands(renderer, treatment, size, rendering, space, peak)
        dpi = output.size.dpi if output.size.by == "print" else None
        sharpening = Sharpening.made_for(output.sharpen, output.sharpening, dpi)
        if sharpening is not None:
            bands = sharpening.bands(bands, noise_of(_parts(renderer, treatment, size, space, peak)))
        inner = size
        if output.border is not None:
            bands, size = bordered(bands, size, output.border, space)
        if level is not None:
            bands = level.watching(bands)
        xmp = packet(output.about, treatment, SEGMENT if output.format == "jpg" else None, metadata.position)
        labels = Labels(space.profile, space is SPACES["srgb"], metadata.exif(output.about), xmp, dpi, level)
        if output.format == "png":
            write_png(path, size, bands, labels, 16 if output.pq else output.bits)
        elif output.format == "tif":
            pages = _mask_pages(renderer, treatment, inner, output.border) if output.areas else ()
            write_tiff(path, size, bands, labels, metadata, output.bits, pages)
        else:
            return size, write_lossy(path, output, size, bands, labels, progress.part(0.9, 1.0), gains)
    return size, None


def _with_gains(
    gains: GainMap,
    renderer: Renderer,
    treatment: Treatment,
    size: tuple[int, int],
    progress: Progress,
    space: CodeSpace,
    peak: float,
) -> Iterator[np.ndarray]:
    """The picture as codes of a space, uint16 (rows, w, 3) a band, while its gains up to ``peak`` are taken.

    Both pictures are made band by band in turn, so that the second finds what was kept of the first.
    """
    plain = shown_bands(renderer, treatment, size, progress, space)
    bright = shown_bands(renderer, treatment, size, Progress(), space, peak)
    for rows, reaching in zip(plain, bright, strict=True):
        gains.add(rows, reaching)
        yield space.encoded(rows)


def _parts(
    renderer: Renderer, treatment: Treatment, size: tuple[int, int], space: CodeSpace, peak: float
) -> Iterator[np.ndarray]:
    """Parts of a picture of a size (w, h) all over it, as codes of a space, uint16 (h, w, 3)."""
    height, width = renderer.frame(treatment).size
    across, down = width / size[0], height / size[1]
    for row in range(_PARTS):
        for column in range(_PARTS):
            w, h = min(_PART, size[0]), min(_PART, size[1])
            x, y = ((n - part) * at / (_PARTS - 1) for n, part, at in zip(size, (w, h), (column, row)))
            window = Window(x * across, y * down, w * across, h * down, w, h)
            yield space.encoded(renderer.shown(treatment, window, space=space.shown, peak=peak)[0])


def _mask_pages(
    renderer: Renderer, treatment: Treatment, size: tuple[int, int], border: Border | None
) -> Iterator[tuple[str, Iterator[np.ndarray]]]:
    """Masks of the areas of a treatment by their names, each of a size (w, h) and within the picture's border."""
    for area in treatment.areas:
        bands = _mask_bands(renderer, treatment, area, size, Progress())
        yield area.name, bands if border is None else within(bands, size, border)


def _mask_bands(
    renderer: Renderer, treatment: Treatment, area: Area, size: tuple[int, int], progress: Progress
) -> Iterator[np.ndarray]:
    """An area's mask in the picture's frame, uint16 (rows, w) a band, of a size (w, h)."""
    height, width = renderer.frame(treatment).size

    def mask(window: Window) -> np.ndarray:
        return renderer.mask(area, renderer.view(treatment, window))

    if size[0] <= width and size[1] <= height:
        return whole_bands((height, width), size, mask, progress)
    # What is enlarged is set between as light is, which has three colours.
    larger = light_in(
        (height, width), size, lambda w: np.repeat(mask(w)[..., None] / np.float32(_WHOLLY), 3, -1), progress
    )
    return (np.rint(np.clip(band[..., 0], 0, 1) * _WHOLLY).astype(np.uint16) for band in larger)


def deliver_mask(
    renderer: Renderer, treatment: Treatment, area: Area, path: Path, progress: Progress | None = None
) -> None:
    """Write the mask of an area as a grey PNG of 16 bits, at full size and in the picture's frame.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    area : Area
    path : Path
    progress : Progress, optional

    Raises
    ------
    CrennError
        If the file cannot be written.
    """
    progress = progress or Progress()
    height, width = renderer.frame(treatment).size
    bands = _mask_bands(renderer, treatment, area, (width, height), progress)
    with replacing(path) as temporary:
        write_png(temporary, (width, height), bands, None)
    progress.at(1.0, "Written")
