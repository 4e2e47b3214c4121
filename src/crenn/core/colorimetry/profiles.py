"""ICC profiles of devices (ICC.1:2022), and colours brought from one to another by Little CMS."""

from dataclasses import dataclass
from io import BytesIO
from typing import Literal

import imagecodecs
import numpy as np
from PIL import ImageCms

from crenn.core.errors import CrennError

Intent = Literal["perceptual", "relative", "saturation", "absolute"]
_INTENTS: dict[str, int] = {"perceptual": 0, "relative": 1, "saturation": 2, "absolute": 3}
#: Colour spaces of devices by their signatures, and kinds of profiles that pictures can be brought to.
_SPACES = {b"RGB ": "RGB", b"CMYK": "CMYK", b"GRAY": "GRAY"}
_CLASSES = (b"mntr", b"prtr", b"scnr", b"spac")
_BLACK_POINT = 8192
#: Bytes of a profile at most.
LARGEST = 8 * 2**20


@dataclass(frozen=True)
class IccProfile:
    """A device's profile.

    Attributes
    ----------
    title : str
        What it calls itself.
    space : str
        "RGB", "CMYK" or "GRAY".
    data : bytes
    """

    title: str
    space: str
    data: bytes


def read_profile(data: bytes, path=None) -> IccProfile:
    """A profile that pictures can be brought to.

    Parameters
    ----------
    data : bytes
    path : path-like, optional
        Named in messages.

    Raises
    ------
    CrennError
        If it is none, is damaged, or is of something else than RGB, CMYK or grey.
    """
    remedy = "Choose an ICC profile of a printer, a paper or a screen."
    if not 132 <= len(data) <= LARGEST or data[36:40] != b"acsp":
        raise CrennError("is no ICC profile.", path, remedy)
    space, kind = _SPACES.get(data[16:20]), data[12:16]
    if space is None or kind not in _CLASSES:
        raise CrennError("is a profile that pictures cannot be brought to.", path, remedy)
    try:
        title = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(BytesIO(data)))
        profile = IccProfile(" ".join(title.split())[:200] or "Profile", space, data)
        grey = np.full((1, 1, 3), 128, np.uint8)
        brought(brought(grey, _SRGB, profile), profile, _SRGB)
    except (ImageCms.PyCMSError, OSError, ValueError, RuntimeError) as fault:
        raise CrennError("is an ICC profile that is damaged.", path, remedy) from fault
    return profile


def brought(
    codes: np.ndarray,
    source: IccProfile,
    target: IccProfile,
    intent: Intent = "relative",
    black_point: bool = False,
    fine: bool = False,
) -> np.ndarray:
    """Codes of one device as those of another.

    Parameters
    ----------
    codes : ndarray, uint8 or uint16 (h, w, n)
        As many channels as the source has; grey is (h, w).
    source, target : IccProfile
    intent : str
    black_point : bool
        Whether the source's black becomes the target's (ISO 18619); not of "absolute".
    fine : bool
        Whether the result has 16 bits whatever ``codes`` have.

    Returns
    -------
    ndarray, uint8 or uint16 (h, w, m)
    """
    return np.asarray(
        imagecodecs.cms_transform(
            np.ascontiguousarray(codes),
            source.data,
            target.data,
            colorspace=source.space,
            outcolorspace=target.space,
            outdtype="uint16" if fine else codes.dtype.str[1:],
            intent=_INTENTS[intent],
            flags=_BLACK_POINT if black_point and intent != "absolute" else 0,
        )
    )


_SRGB = IccProfile("sRGB", "RGB", ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
