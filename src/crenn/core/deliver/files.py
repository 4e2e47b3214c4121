"""Writes finished pictures: JPEG, PNG, TIFF, AVIF, and scene-linear OpenEXR."""

from pathlib import Path
from typing import Literal

import numpy as np

from crenn.core.areas.area import Area
from crenn.core.deliver.bands import bands as whole_bands
from crenn.core.deliver.bands import code_bands, light_bands
from crenn.core.deliver.border import Border, bordered
from crenn.core.deliver.metadata import CaptureMetadata
from crenn.core.deliver.writers import write_eight_bits, write_light, write_png, write_tiff
from crenn.core.errors import CrennError
from crenn.core.files import replacing
from crenn.core.progress import Progress
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

FORMATS = ("jpg", "png", "tif", "avif", "exr")


def deliver(
    renderer: Renderer,
    treatment: Treatment,
    path: Path,
    file_format: Literal["jpg", "png", "tif", "avif", "exr"],
    long_edge: int | None = None,
    quality: int = 92,
    metadata: CaptureMetadata | None = None,
    progress: Progress | None = None,
    border: Border | None = None,
) -> None:
    """Render a scene and write it to a file.

    Parameters
    ----------
    renderer : Renderer
    treatment : Treatment
    path : Path
    file_format : str
        JPEG and AVIF have 8 bits, PNG and TIFF 16, all sRGB; OpenEXR is scene-linear Rec. 2020 before the display
        transform.
    long_edge : int, optional
        Longer side in pixels; full size if None or larger than the picture.
    quality : int
        1 to 100, for JPEG and AVIF.
    metadata : CaptureMetadata, optional
    progress : Progress, optional
    border : Border, optional
        Goes round the picture: it is that much larger.

    Raises
    ------
    CrennError
        If the format is unknown or has no border, the file cannot be written.
    """
    progress, metadata = progress or Progress(), metadata or CaptureMetadata()
    if file_format not in FORMATS:
        raise CrennError(f"“{file_format}” is no format to deliver;", path, "use jpg, png, tif, avif or exr.")
    if border is not None and file_format == "exr":
        raise CrennError("A border goes round a picture, not round scene-linear light;", path, "leave it out.")
    window = Window.whole(renderer.frame(treatment).size, long_edge)
    size = window.out_width, window.out_height
    rendering = progress.part(0, 0.9)
    with replacing(path) as temporary:
        if file_format == "exr":
            write_light(temporary, size, light_bands(renderer, treatment, size, rendering))
        else:
            bands = code_bands(renderer, treatment, size, rendering)
            if border is not None:
                bands, size = bordered(bands, size, border)
            if file_format == "png":
                write_png(temporary, size, bands)
            elif file_format == "tif":
                write_tiff(temporary, size, bands, metadata)
            else:
                write_eight_bits(
                    temporary, {"jpg": "JPEG", "avif": "AVIF"}[file_format], size, bands, quality, metadata
                )
    progress.at(1.0, "Written")


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

    def mask(window: Window) -> np.ndarray:
        return renderer.mask(area, renderer.view(treatment, window))

    bands = whole_bands((height, width), (width, height), mask, progress)
    with replacing(path) as temporary:
        write_png(temporary, (width, height), bands, grey=True)
    progress.at(1.0, "Written")
