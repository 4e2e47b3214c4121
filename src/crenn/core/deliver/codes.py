"""What the codes of an output are: those of a space, of absolute light, or of a device by its profile."""

import numpy as np

from crenn.core.colorimetry.profiles import IccProfile, brought
from crenn.core.deliver.hdr import PqSpace
from crenn.core.deliver.output import Output
from crenn.core.deliver.spaces import SPACES, CodeSpace
from crenn.core.errors import CrennError

_WIDE = IccProfile("Rec. 2020", "RGB", SPACES["rec2020"].profile)


class DeviceSpace:
    """Codes of a device, by its ICC profile; see `crenn.core.deliver.spaces.OutputSpace`.

    Colours come to it by relative colorimetric intent, black becomes its black.
    """

    shown = SPACES["rec2020"].shown

    def __init__(self, profile: IccProfile) -> None:
        if profile.space != "RGB":
            raise CrennError(
                f"“{profile.title}” is a profile of {profile.space};",
                remedy="files are delivered in RGB: choose another.",
            )
        self._device = profile
        self.title, self.profile = profile.title, profile.data

    def encoded(self, light: np.ndarray) -> np.ndarray:
        """Codes of 16 bits of light 0–1 of Rec. 2020, uint16 of the same shape."""
        codes = SPACES["rec2020"].encoded(light)
        # A lone grey, as a border's, becomes the device's grey.
        pixels = codes if codes.ndim == 3 else np.broadcast_to(codes, (1, 1, 3))
        out = brought(pixels, _WIDE, self._device, "relative", black_point=True)
        return out if codes.ndim == 3 else np.asarray(out[0, 0, 1], np.uint16)


def codes_of_output(output: Output, profile: IccProfile | None) -> CodeSpace:
    """What the codes of an output are.

    Parameters
    ----------
    output : Output
    profile : IccProfile, optional
        The one that it names.

    Raises
    ------
    CrennError
        If it names one that is not given, or is not of RGB.
    """
    if output.pq:
        return PqSpace()
    if output.profile is None:
        return SPACES[output.space]
    if profile is None:
        raise CrennError(f"The profile “{output.profile}” is not here.", remedy="Bring it in, or choose a space.")
    return DeviceSpace(profile)
