"""A film of a series, written by ffmpeg picture by picture."""

import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.errors import CrennError, DiskFull
from crenn.core.files import replacing

Codec = Literal["h264", "av1", "vc3"]
#: Endings of films, and what ffmpeg is told: H.264 (ITU-T H.264), AV1 of 10 bits, and for those who cut films VC-3 of
#: 10 bits (SMPTE ST 2019-1), each of whose pictures stands alone.
_CODECS: dict[str, tuple[str, list[str]]] = {
    "h264": ("mp4", ["-c:v", "libx264", "-preset", "medium", "-pix_fmt", "yuv420p", "-movflags", "+faststart"]),
    "av1": ("mp4", ["-c:v", "libsvtav1", "-preset", "6", "-pix_fmt", "yuv420p10le", "-movflags", "+faststart"]),
    "vc3": ("mov", ["-c:v", "dnxhd", "-profile:v", "dnxhr_hqx", "-pix_fmt", "yuv422p10le"]),
}
#: Least and greatest rate factors of H.264 and AV1, by quality 100 and 1.
_RATES = {"h264": (10, 40), "av1": (16, 55)}
#: Pictures of films have even sides, and no longer ones than H.264 knows at its highest level.
_LONGEST = 8192
#: The smallest pictures of VC-3 of any size.
_LEAST_VC3 = (256, 120)


class Film(BaseModel):
    """What a film is to be like."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    codec: Codec = "h264"
    rate: float = Field(24.0, ge=1, le=120, description="pictures a second")
    pixels: int = Field(1920, ge=64, le=_LONGEST, description="of the longer side; pictures are not enlarged")
    quality: int = Field(85, ge=1, le=100, description="of H.264 and AV1")

    @property
    def ending(self) -> str:
        return _CODECS[self.codec][0]

    def size_of(self, whole: tuple[int, int]) -> tuple[int, int]:
        """(w, h) of its pictures, even, for one of (H, W)."""
        height, width = whole
        factor = min(self.pixels / max(whole), 1.0)
        return (max(int(width * factor) // 2, 1) * 2, max(int(height * factor) // 2, 1) * 2)


class FilmWriter:
    """Takes pictures of a film, one after the other."""

    def __init__(self, pipe: IO[bytes], size: tuple[int, int]) -> None:
        self._pipe, self.size = pipe, size
        self.count = 0

    def add(self, codes: np.ndarray) -> None:
        """The next picture, sRGB codes, uint16 (h, w, 3)."""
        width, height = self.size
        if codes.shape != (height, width, 3):
            raise ValueError(f"a picture of {codes.shape[1]} × {codes.shape[0]} in a film of {width} × {height}")
        self._pipe.write(np.ascontiguousarray(codes, "<u2").tobytes())
        self.count += 1


@contextmanager
def film_at(path: Path, film: Film, size: tuple[int, int]) -> Iterator[FilmWriter]:
    """A film that replaces a file once it is whole.

    Parameters
    ----------
    path : Path
        With the ending of the film.
    film : Film
    size : tuple of int
        (w, h) of its pictures, even.

    Raises
    ------
    CrennError
        If ffmpeg is not there, or cannot write the film.
    """
    program = shutil.which("ffmpeg")
    if program is None:
        raise CrennError("A film needs ffmpeg, which is not here.", path, "Install Debian's package ffmpeg.")
    if film.codec == "vc3" and (size[0] < _LEAST_VC3[0] or size[1] < _LEAST_VC3[1]):
        raise CrennError(f"VC-3 has no pictures of {size[0]} × {size[1]} px;", path, "make them larger, or use H.264.")
    _, options = _CODECS[film.codec]
    if film.codec in _RATES:
        best, least = _RATES[film.codec]
        options = [*options, "-crf", str(round(least + (best - least) * film.quality / 100))]
    raw = ["-f", "rawvideo", "-pix_fmt", "rgb48le", "-s", f"{size[0]}x{size[1]}", "-r", f"{film.rate:g}", "-i", "-"]
    # Codes stay those of sRGB, whose primaries are BT.709's; luminance is made of them as BT.709 says.
    colours = ["-vf", "scale=out_color_matrix=bt709:out_range=tv:flags=accurate_rnd+full_chroma_int"]
    colours += ["-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "iec61966-2-1", "-color_range", "tv"]
    with replacing(path) as temporary, tempfile.TemporaryFile() as said:
        command = [program, "-v", "error", "-nostdin", "-y", *raw, *colours, *options, str(temporary)]
        with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=said) as process:
            assert process.stdin is not None
            try:
                yield FilmWriter(process.stdin, size)
            except BrokenPipeError:
                # It has ended: why, it says.
                pass
            except BaseException:
                process.kill()
                raise
            with suppress(BrokenPipeError):
                process.stdin.close()
            if process.wait():
                said.seek(0)
                lines = said.read().decode("utf-8", "replace").strip().splitlines() or ["it did not say why"]
                if any("No space left" in line for line in lines):
                    raise DiskFull("cannot be written: the disk is full.", path, "Free some space and try again.")
                raise CrennError(f"ffmpeg could not write the film: {lines[-1][:200]}.", path, "Choose another kind.")
