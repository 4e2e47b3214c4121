"""The luminance that the picture shows, between its white point and its black point."""

import numpy as np

#: Luminance of the picture up to which light is shown in proportion; above it rolls off to white.
STRAIGHT = 0.45


def shown_luminance(stops: np.ndarray, white: float, black: float | None, peak: float = 1.0) -> np.ndarray:
    """Luminance of the picture, 0 to ``peak``, for stops relative to nominal white.

    In proportion up to `STRAIGHT`, then a hyperbola that leaves it with the same slope and meets the peak at the white
    point; the black point's light is taken off. Where there is more room than the white point needs, light is in
    proportion up to there.

    Parameters
    ----------
    stops : ndarray (N,)
    white, black : float
        EV; ``black`` may be None for none.
    peak : float
        The brightest that is shown, at least 1, which is the white of paper and of screens that reach no farther.
    """
    light = np.exp2(stops)
    low = 0.0 if black is None else float(np.exp2(black))
    light = np.maximum(light - low, 0.0) / (1.0 - low)
    top = (float(np.exp2(white)) - low) / (1.0 - low)
    knee = min(STRAIGHT, 0.8 * top)
    if top <= 1.0:
        # White below nominal: everything is raised in proportion, with no room for a roll-off.
        return np.clip(light / top, 0.0, 1.0)
    if top <= peak:
        return np.minimum(light, top)
    u = np.clip((light - knee) / (top - knee), 0.0, 1.0)
    steep = (top - knee) / (peak - knee)
    rolled = knee + (peak - knee) * steep * u / (1.0 + (steep - 1.0) * u)
    return np.where(light <= knee, light, rolled)
