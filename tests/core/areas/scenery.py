"""What parts of masks are made in, for tests: a window that is the whole of a small scene."""

from types import SimpleNamespace

import numpy as np

from crenn.core.areas.appearance import appearance_features
from crenn.core.areas.part import Part


def shares(part: Part, x: np.ndarray, y: np.ndarray, light: np.ndarray | None = None) -> np.ndarray:
    """How far places belong to a part that asks for places or for light alone, float32 (h, w)."""
    scenery = SimpleNamespace(
        scale=1.0,
        long_side=max(x.shape),
        floor=1e-4,
        lamps=(),
        places=lambda: (x, y),
        light=lambda blur=0.0: light,
        appearance_features=lambda blur: appearance_features(light, 1e-4),
    )
    return part.share(scenery)  # type: ignore[arg-type]
