"""ICC profiles of spaces that three primaries and one curve make up (ICC.1:2022, version 4)."""

import struct

import numpy as np

from crenn.core.colorimetry.spaces import adaptation_matrix

#: White of the profile connection space: D50, as it is written in profiles.
PCS_WHITE = np.array([0.9642, 1.0, 0.8249])
_COPYRIGHT = "No copyright, use freely"


def _fixed(values) -> bytes:
    """s15Fixed16 numbers."""
    return b"".join(struct.pack(">i", round(float(v) * 65536)) for v in np.ravel(values))


def _text(text: str) -> bytes:
    """A multiLocalizedUnicode tag in one language."""
    words = text.encode("utf-16-be")
    return b"mluc" + bytes(4) + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(words), 28) + words


def matrix_profile(title: str, to_xyz: np.ndarray, white: np.ndarray, curve: tuple[float, ...]) -> bytes:
    """The profile of an RGB space.

    Parameters
    ----------
    title : str
    to_xyz : ndarray (3, 3)
        From linear light to XYZ under the space's own white.
    white : ndarray (3,)
        XYZ of that white at Y = 1.
    curve : tuple of float
        g alone for ``light = code ** g``; or g, a, b, c, d for ``light = (a code + b) ** g`` from the code d on and
        ``c code`` below: the parametric types 0 and 3.

    Returns
    -------
    bytes
    """
    adapted = adaptation_matrix(np.asarray(white), PCS_WHITE)
    columns = (adapted @ to_xyz).T
    kind = {1: 0, 5: 3}[len(curve)]
    parametric = b"para" + bytes(4) + struct.pack(">HH", kind, 0) + _fixed(curve)
    tags = {
        b"desc": _text(title),
        b"cprt": _text(_COPYRIGHT),
        b"wtpt": b"XYZ " + bytes(4) + _fixed(PCS_WHITE),
        b"chad": b"sf32" + bytes(4) + _fixed(adapted),
        **{name: b"XYZ " + bytes(4) + _fixed(column) for name, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns)},
        b"rTRC": parametric,
        b"gTRC": parametric,
        b"bTRC": parametric,
    }
    table, data, places = b"", b"", {}
    first = 128 + 4 + 12 * len(tags)
    for name, body in tags.items():
        if body not in places:
            places[body] = first + len(data)
            data += body + bytes(-len(body) % 4)
        table += struct.pack(">4sII", name, places[body], len(body))
    size = first + len(data)
    header = struct.pack(">I4sI4s4s4s", size, bytes(4), 0x04400000, b"mntr", b"RGB ", b"XYZ ")
    # A date of its own would make files differ that are the same.
    header += struct.pack(">6H4s", 2022, 1, 1, 0, 0, 0, b"acsp") + bytes(28) + _fixed(PCS_WHITE)
    return header.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + data
