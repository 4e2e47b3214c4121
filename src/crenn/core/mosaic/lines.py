"""Takes row and column patterns out of the shadows of a mosaic.

The amplifiers of a sensor's rows and columns differ a little, from frame to frame or for good. What they add is far
less than a single site's noise, but the same along all of a line, so that it shows once shadows are lifted.
"""

import cv2
import numpy as np
from scipy.ndimage import median_filter

#: Sites count as dark up to so many times the least variance: there read noise rules, and one frame feeds them.
_DARK = 2.0
#: Lines of the same colours that a line is compared with, itself among them.
_AROUND = 17
#: Parts of a line that are judged one by one, and the fewest of them, with the fewest dark sites in each; and sites of
#: a part that are looked at.
_PARTS, _FEWEST, _SITES, _SIDE = 24, 6, 16, 56
#: Parts whose lines differ by so many times what they do in most are left out.
_TEXTURE = 1.5
#: A pattern has at least so many times the energy that chance alone gives its lines; and no line stands out by more
#: than so many deviations of the pattern: what does is part of the scene.
_SURE, _MOST = 3.0, 4.0
_ROUNDS = 4
#: Pixels around a site whose mean variance says whether it is dark. By its own, which goes by its own light, those that
#: noise made darker would be chosen.
_CALM = 9
#: Correlation of neighbouring lines that no pattern has.
_ALIKE = 0.25


def line_offsets(light: np.ndarray, variance: np.ndarray) -> np.ndarray:
    """By how much each row of a mosaic departs from those around it in the shadows, float32 (H,).

    A line is compared with the median of its neighbours of the same colours, part by part, and the median of its parts
    counts: what is of the scene seldom runs along most of a line. Without a pattern nothing is told.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        A Bayer mosaic and its variance, the latter without the noise that it has by that of the light.
    """
    height, width = light.shape
    out = np.zeros(height, np.float32)
    if height < 2 * _AROUND or width < _FEWEST * _SITES:
        return out
    least = float(np.quantile(variance[::8, ::8], 0.01))
    # So many places of a line tell enough of it.
    parts = min(_PARTS, width // _SITES)
    side = min(width // parts, _SIDE)
    starts = np.linspace(0, width - side, parts).astype(int)
    columns = (starts[:, None] + np.arange(side)).ravel()
    for first in (0, 1):
        dark = variance[first::2][:, columns] < _DARK * least
        sums = np.where(dark, light[first::2][:, columns], 0).reshape(-1, parts, side).sum(2)
        sites = dark.reshape(-1, parts, side).sum(2)
        known = sites >= _SITES
        means = np.where(known, sums / np.maximum(sites, 1), 0)
        # Parts without dark sites must not draw their neighbours down.
        filled = np.where(known, means, [[_middle(m[k]) for m, k in zip(means.T, known.T)]])
        departs = np.where(known, means - median_filter(filled, (_AROUND, 1), mode="nearest"), np.nan)
        # Parts where lines differ by more than elsewhere show texture.
        spread = np.array([_middle(np.abs(part[np.isfinite(part)])) for part in departs.T])
        departs[:, ~(spread <= _TEXTURE * _middle(spread[spread > 0]))] = np.nan
        out[first::2] = _standing_out(departs, np.sqrt(least))
    energy = float(np.square(out).mean())
    # What neighbours of other colours share is drawn by the lens.
    shared = float((out[1:] * out[:-1]).mean()) > _ALIKE * energy
    return np.zeros(height, np.float32) if shared else out


def _middle(values: np.ndarray) -> float:
    """The median; 0 of nothing."""
    return float(np.median(values)) if values.size else 0.0


def _standing_out(departs: np.ndarray, deviation: float) -> np.ndarray:
    """What lines depart by, float32 (N,), by what their parts do, (N, P), NaN where nothing is known."""
    known = np.isfinite(departs)
    enough = known.sum(1) >= _FEWEST
    offsets = np.zeros(len(departs), np.float32)
    if not enough.any():
        return offsets
    middle = np.nanmedian(departs[enough], 1)
    # The standard error of a median, from the spread of the parts.
    spread = 1.4826 * np.nanmedian(np.abs(departs[enough] - middle[:, None]))
    errors = 1.2533 * spread / np.sqrt(known[enough].sum(1))
    # The energy of the pattern is what is more than chance; without any, lines are left as they are.
    chance = float(np.mean(errors**2))
    energy = (1.4826 * float(np.median(np.abs(middle)))) ** 2 - chance
    if energy > max(_SURE * chance, 0.0):
        # Each line is believed as far as it can be told (James and Stein 1961).
        believed = middle * energy / (energy + errors**2)
        most = min(_MOST * np.sqrt(energy), 2 * deviation)
        offsets[enough] = np.where(np.abs(middle) < most, believed, 0)
    return offsets


def take_lines(light: np.ndarray, variance: np.ndarray) -> float:
    """Take row and column patterns out of the shadows, in place.

    Parameters
    ----------
    light, variance : ndarray, float32 (H, W)
        A Bayer mosaic and its variance.

    Returns
    -------
    float
        Deviation of what was taken out, relative to that of a dark site's noise; 0 if there was no pattern.
    """
    calm = cv2.blur(variance, (_CALM, _CALM))
    least = float(np.quantile(calm[::8, ::8], 0.01))
    taken = 0.0
    for across, own in ((light, calm), (light.T, calm.T)):
        # Where more light is, other frames have a say, and photon noise hides it.
        share = None
        total = np.zeros(across.shape[0], np.float32)
        for _ in range(_ROUNDS):
            # Neighbours have a pattern as well: what is left after the first round is taken by the next.
            offsets = line_offsets(across, own)
            if not offsets.any():
                break
            if share is None:
                share = np.clip((2 * _DARK * least - own) / np.float32(_DARK * least), 0, 1)
            across -= offsets[:, None] * share
            total += offsets
        taken += float(np.square(total).mean())
    return float(np.sqrt(taken / least)) if least > 0 else 0.0
