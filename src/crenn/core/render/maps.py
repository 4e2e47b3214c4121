"""Maps of the scene over the picture: a value as greys in steps, with contour lines that say what they stand for."""

import cv2
import numpy as np

_LINE = np.array([232, 228, 214], np.uint8)
_DARK = np.array([24, 22, 18], np.uint8)
#: A step's largest region is labelled if a circle of this radius fits into it, in pixels.
_ROOM = 13
#: Regions of a step that are labelled at most.
_LABELS = 3


def draw_map(codes: np.ndarray, values: np.ndarray, step: float, unit: str, bold: int = 1) -> None:
    """Draw a map in place of a picture.

    Each step of the value has a grey of its own, from black to white; between steps runs a line, and where there is
    room stands how much it is.

    Parameters
    ----------
    codes : ndarray, uint8 (h, w, 3)
        The picture, whose texture shows a little.
    values : ndarray, float32 (h, w)
        NaN where there is none.
    step : float
        Of the value.
    unit : str
        Written behind the value.
    bold : int
        Every so many steps the line is heavier.
    """
    known = np.isfinite(values)
    if not known.any():
        return
    smooth = cv2.medianBlur(np.where(known, values, np.nanmin(values)).astype(np.float32), 5)
    level = np.floor(smooth / step).astype(np.int32)
    low, high = (int(v) for v in np.percentile(level[known], (0.1, 99.9)))
    level = np.clip(level, low, high)
    grey = 24 + (level - low) * (206 / max(high - low, 1))
    texture = codes.astype(np.float32).mean(-1) - cv2.blur(codes.astype(np.float32).mean(-1), (31, 31))
    codes[:] = np.clip(grey + 0.12 * texture, 0, 255).astype(np.uint8)[..., None]
    codes[~known] = _DARK
    lines = np.zeros(level.shape, bool)
    heavy = np.zeros(level.shape, bool)
    for one, other, where in (
        (level[:, 1:], level[:, :-1], np.s_[:, 1:]),
        (level[1:], level[:-1], np.s_[1:]),
    ):
        lines[where] |= one != other
        heavy[where] |= (one != other) & (np.maximum(one, other) % max(bold, 1) == 0)
    bright = grey > 128
    codes[lines & ~bright] = _LINE
    codes[lines & bright] = _DARK
    if bold > 1:
        thick = cv2.dilate(heavy.astype(np.uint8), np.ones((2, 2), np.uint8)) > 0
        codes[thick & ~bright] = _LINE
        codes[thick & bright] = _DARK
    _label(codes, level, known, step, unit, low, high)


def _label(
    codes: np.ndarray, level: np.ndarray, known: np.ndarray, step: float, unit: str, low: int, high: int
) -> None:
    """Write the value of each step into its largest regions."""
    for k in range(low, high + 1):
        region = ((level == k) & known).astype(np.uint8)
        region[0] = region[-1] = region[:, 0] = region[:, -1] = 0
        room = cv2.distanceTransform(region, cv2.DIST_L2, 5)
        for _ in range(_LABELS):
            _, most, _, (x, y) = cv2.minMaxLoc(room)
            if most < _ROOM:
                break
            value = k * step
            text = f"{value:+.0f}{unit}".replace("+0", "0") if unit == " EV" else f"{value:.0f}{unit}"
            (width, height), _ = cv2.getTextSize(text, cv2.FONT_HERSHEY_SIMPLEX, 0.42, 1)
            at = (int(x - width / 2), int(y + height / 2))
            ink = _DARK if codes[y, x, 0] > 128 else _LINE
            cv2.putText(codes, text, at, cv2.FONT_HERSHEY_SIMPLEX, 0.42, [int(v) for v in ink], 1, cv2.LINE_AA)
            cv2.circle(room, (x, y), int(6 * _ROOM), 0, -1)


def exaggerated(codes: np.ndarray) -> None:
    """Exaggerate the colour of a picture in place, most in the dark: so a cast is seen that would be overlooked."""
    lab = cv2.cvtColor(codes, cv2.COLOR_RGB2Lab).astype(np.float32)
    more = 2.0 + 4.0 * (1.0 - lab[..., :1] / 255.0)
    lab[..., 1:] = np.clip((lab[..., 1:] - 128.0) * more + 128.0, 0, 255)
    codes[:] = cv2.cvtColor(lab.astype(np.uint8), cv2.COLOR_Lab2RGB)
