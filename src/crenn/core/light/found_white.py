"""The white balance that a picture itself asks for: over a patch, over all of it, and as the eye would have it."""

from dataclasses import dataclass

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.light.white_patch import White, speaking, white_of_patch

#: White towards which the eye leans, in kelvin: daylight.
_DAYLIGHT = 5500.0
#: Share of the way from daylight that a balance goes with the light: lamps stay warm, and the blue hour blue. The eye
#: adapts to warm light indoors far more than to a blue sky outdoors.
_WITH_WARM, _WITH_BLUE, _WITH_TINT = 0.65, 0.15, 0.7
#: Deviation, in stops of colour ratios, within which colours count as dull, and how often their mean is taken anew.
_DULL, _SHIFTS = 0.5, 12
#: Pieces that a patch is cut into along each side, to tell how even it is.
_PIECES = 4


@dataclass(frozen=True)
class FoundWhite:
    """A white balance.

    Attributes
    ----------
    temperature, tint : float
        Kelvin, thousandths of Duv.
    red, blue : float
        EV beside it, where no white light has the colour.
    short : float
        EV by which they still fall short.
    spread : float or None
        Deviation of temperature within a patch, in mired.
    """

    temperature: float
    tint: float
    red: float = 0.0
    blue: float = 0.0
    short: float = 0.0
    spread: float | None = None

    @classmethod
    def of(cls, white: White, spread: float | None = None) -> "FoundWhite":
        return cls(white.temperature, white.tint, white.red, white.blue, white.short, spread)


def white_in_patch(patch: np.ndarray, as_shot: tuple[float, float]) -> FoundWhite:
    """The white balance that makes a patch neutral, and how even the patch is.

    Parameters
    ----------
    patch : ndarray, float32 (h, w, 3)
        Scene-linear Rec. 2020, balanced as shot.
    as_shot : tuple of float

    Raises
    ------
    ValueError
        As `white_of_patch` does.
    """
    found = white_of_patch(patch.reshape(-1, 3).mean(0), as_shot)
    count = min(_PIECES, *patch.shape[:2])
    mired = []
    for rows in np.array_split(patch, count, 0):
        for piece in np.array_split(rows, count, 1):
            try:
                mired.append(1e6 / white_of_patch(piece.reshape(-1, 3).mean(0), as_shot).temperature)
            except ValueError:
                continue
    return FoundWhite.of(found, float(np.std(mired)) if len(mired) > 1 else None)


def white_of_picture(
    rgb: np.ndarray, as_shot: tuple[float, float], floor: float = 0.0, ceiling: float = np.inf
) -> FoundWhite:
    """The white balance by which the picture as a whole is grey (Buchsbaum 1980): each place counts alike.

    Parameters
    ----------
    rgb : ndarray, float32 (H, W, 3)
        Scene-linear Rec. 2020, balanced as shot.
    as_shot : tuple of float
    floor, ceiling : float
        Luminance below which noise rules, and from which lamps and lost light do.

    Raises
    ------
    ValueError
        If nothing is bright enough to say anything.
    """
    small, known = speaking(rgb, floor, ceiling)
    if known.sum() < 16:
        raise ValueError("Nothing in the picture is bright enough to tell the colour of its light.")
    colours = small[known].astype(np.float64)
    return FoundWhite.of(white_of_patch(np.exp(np.log(colours / luminance(colours)[:, None]).mean(0)), as_shot))


def dull_white(
    rgb: np.ndarray, as_shot: tuple[float, float], floor: float = 0.0, ceiling: float = np.inf
) -> FoundWhite:
    """The white balance by which the dull colours nearest to white as shot are grey.

    A mean shift (Comaniciu and Meer 2002) over the logarithms of red and blue to green: bricks, neon and aurora lie
    elsewhere and have no say, where a mean would go to them. Parameters and errors as of `white_of_picture`.
    """
    small, known = speaking(rgb, floor, ceiling)
    if known.sum() < 16:
        raise ValueError("Nothing in the picture is bright enough to tell the colour of its light.")
    logs = np.log2(small[known].astype(np.float64))
    places = logs[:, (0, 2)] - logs[:, 1:2]
    white = np.zeros(2)
    for _ in range(_SHIFTS):
        weight = np.exp(-(((places - white) / _DULL) ** 2).sum(1) / 2)
        if weight.sum() < 1e-6 * len(places):
            raise ValueError("No dull colour in the picture tells the colour of its light.")
        white = (places * weight[:, None]).sum(0) / weight.sum()
    return FoundWhite.of(white_of_patch(np.exp2([white[0], 0.0, white[1]]), as_shot))


def automatic_white(
    rgb: np.ndarray, as_shot: tuple[float, float], floor: float = 0.0, ceiling: float = np.inf
) -> FoundWhite:
    """The white balance for an eye that adapts in part: lamps stay warm, and the light of a blue sky is no cast.

    Between daylight and what `dull_white` finds, in mired; far less of the way towards blue. Parameters and errors as
    of `white_of_picture`.
    """
    found = dull_white(rgb, as_shot, floor, ceiling)
    away = 1e6 / found.temperature - 1e6 / _DAYLIGHT
    temperature = 1e6 / (1e6 / _DAYLIGHT + away * (_WITH_WARM if away > 0 else _WITH_BLUE))
    # Of what no light explains the eye goes along as far as with a tint.
    red, blue = _WITH_TINT * found.red, _WITH_TINT * found.blue
    return FoundWhite(temperature, _WITH_TINT * found.tint, red, blue, found.short)
