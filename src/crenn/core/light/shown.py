"""The luminance that the picture shows, between its white point and its black point."""

import numpy as np

#: Luminance of the picture up to which light is shown in proportion; above it rolls off to white.
STRAIGHT = 0.45


def shown_luminance(stops: np.ndarray, white: float, black: float | None) -> np.ndarray:
    """Luminance 0–1 of the picture for stops relative to nominal white.

    In proportion up to `STRAIGHT`, then a hyperbola that leaves it with the same slope and meets 1 at the white
    point; the black point's light is taken off.

    Parameters
    ----------
    stops : ndarray (N,)
    white, black : float
        EV; ``black`` may be None for none.
    """
    light = np.exp2(stops)
    low = 0.0 if black is None else float(np.exp2(black))
    light = np.maximum(light - low, 0.0) / (1.0 - low)
    top = (float(np.exp2(white)) - low) / (1.0 - low)
    knee = min(STRAIGHT, 0.8 * top)
    if top <= 1.0:
        # White below nominal: everything is raised in proportion, with no room for a roll-off.
        return np.clip(light / top, 0.0, 1.0)
    u = np.clip((light - knee) / (top - knee), 0.0, 1.0)
    steep = (top - knee) / (1.0 - knee)
    rolled = knee + (1.0 - knee) * steep * u / (1.0 + (steep - 1.0) * u)
    return np.where(light <= knee, light, rolled)
