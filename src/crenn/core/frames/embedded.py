"""The camera's own developed picture, as most raw files carry it."""

import io
from pathlib import Path

import cv2
import numpy as np
import rawpy
from PIL import Image

from crenn.core.colorimetry.spaces import XYZ_TO_REC2020, srgb_decode
from crenn.core.frames.metadata import RAW_ENDINGS
from crenn.core.frames.profiles import profile_of

#: Longer side of it small, and the least shorter side that it must have, in pixels.
SMALL, _LEAST = 320, 48


def embedded_picture(path: Path, side: int | None = SMALL) -> np.ndarray | None:
    """The largest picture that a raw file carries.

    Parameters
    ----------
    path : Path
    side : int, optional
        Pixels that its longer side is reduced to; as large as it is if None.

    Returns
    -------
    ndarray, float32 (h, w, 3), or None
        Linear Rec. 2020 with 1 for white, as it lies in the file: not turned. None where there is no such picture, or
        it is too small to tell anything, or damaged: no frame is refused for it.
    """
    path = Path(path)
    if path.suffix.lower() not in RAW_ENDINGS or not path.is_file():
        return None
    try:
        with rawpy.imread(str(path)) as raw:
            found = raw.extract_thumb()
        if found.format == rawpy.ThumbFormat.JPEG:
            with Image.open(io.BytesIO(found.data)) as picture:
                profile = picture.info.get("icc_profile")
                # The decoder halves as it goes: a picture of full size takes no longer than a small one.
                if side is not None:
                    picture.draft("RGB", (2 * side, 2 * side))
                codes = np.asarray(picture.convert("RGB"))
        else:
            codes, profile = np.asarray(found.data), None
    except MemoryError:
        raise
    except Exception:  # LibRaw's and Pillow's many ways of saying that there is nothing of use
        return None
    if codes.ndim != 3 or codes.shape[2] != 3 or codes.dtype != np.uint8 or min(codes.shape[:2]) < _LEAST:
        return None
    about = profile_of(profile)
    table = np.arange(256) / 255.0
    curve = about.curve or srgb_decode
    light = curve(table).astype(np.float32)[codes]
    if side is not None and max(light.shape[:2]) > side:
        factor = side / max(light.shape[:2])
        size = tuple(max(round(n * factor), 1) for n in light.shape[1::-1])
        light = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.transform(light, (XYZ_TO_REC2020 @ about.matrix).astype(np.float32)))
