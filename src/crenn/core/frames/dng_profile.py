"""Tables of hues that a DNG file brings along (Adobe Digital Negative 1.7, chapter 6): its camera's profile."""

from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from crenn.core.colorimetry.hue_saturation import MOST_NODES, HueSaturationMap

#: Tags of dimensions, tables and encoding: of the two for two lights, and of the look.
_HUES, _LOOK = (50937, (50938, 50939), 51107), (50981, (50982,), 51108)


def _table(tags: Any, dimensions: int, data: int) -> np.ndarray | None:
    """A table's nodes, float32 (values, hues, saturations, 3); None if there is none, or it is damaged."""
    if dimensions not in tags or data not in tags:
        return None
    counts = [int(v) for v in np.ravel(tags[dimensions].value)]
    if len(counts) != 3 or min(counts) < 1 or int(np.prod(counts)) > MOST_NODES:
        return None
    values = np.ravel(np.asarray(tags[data].value, np.float32))
    hues, saturations, depth = counts
    return values.reshape(depth, hues, saturations, 3) if values.size == 3 * int(np.prod(counts)) else None


def dng_profile(path: Path, share: float) -> tuple[HueSaturationMap, ...]:
    """The tables of a file's profile in the order in which they act; none where it has none or they are damaged.

    Parameters
    ----------
    path : Path
    share : float
        How far the light as shot lies from the first light of the profile's towards its second, 0 to 1.
    """
    out = []
    try:
        with tifffile.TiffFile(path) as file:
            tags = file.pages.first.tags
            for dimensions, data, encoding in (_HUES, _LOOK):
                tables = [nodes for tag in data if (nodes := _table(tags, dimensions, tag)) is not None]
                if not tables:
                    continue
                nodes = tables[0] if len(tables) == 1 else (1 - share) * tables[0] + share * tables[1]
                encoded = encoding in tags and int(np.ravel(tags[encoding].value)[0]) == 1
                out.append(HueSaturationMap(nodes.astype(np.float32), encoded))
    except (OSError, ValueError, TypeError, IndexError, KeyError, tifffile.TiffFileError):
        return ()
    return tuple(out)
