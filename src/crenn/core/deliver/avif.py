"""AVIF of 10 bits with what is told beside the picture (ISO/IEC 14496-12, 23008-12; AV1 Image File Format 1.1).

The encoder makes the picture and a file about it that has no room for anything else. The picture is taken out of that
and put into one of our own, with its light level, Exif and XMP.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass

from crenn.core.errors import CrennError

#: Numbers of items in a file.
_PICTURE, _EXIF, _XMP = 1, 2, 3
#: Properties that a reader has to know to show a picture.
_ESSENTIAL = (b"av1C",)


@dataclass(frozen=True)
class _Item:
    """What stands beside a picture: its number, kind, type of its content, and bytes."""

    number: int
    kind: bytes
    content: bytes
    body: bytes


def _box(kind: bytes, *parts: bytes) -> bytes:
    body = b"".join(parts)
    return struct.pack(">I4s", 8 + len(body), kind) + body


def _full(kind: bytes, *parts: bytes, version: int = 0, flags: int = 0) -> bytes:
    return _box(kind, struct.pack(">I", version << 24 | flags), *parts)


def _boxes(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """Kinds and bodies of the boxes in some bytes."""
    at = 0
    while at + 8 <= len(data):
        size, kind = struct.unpack_from(">I4s", data, at)
        first = at + 8
        if size == 1:
            (size,), first = struct.unpack_from(">Q", data, first), first + 8
        end = at + size if size else len(data)
        if end < first or end > len(data):
            break
        yield kind, data[first:end]
        at = end


def _inside(data: bytes, *path: bytes) -> bytes:
    for kind in path:
        found = next((body for name, body in _boxes(data) if name == kind), None)
        if found is None:
            raise CrennError("The encoder's AVIF has another shape than it had;", remedy="choose another format.")
        # A meta box has a version before its boxes.
        data = found[4:] if kind == b"meta" else found
    return data


def _picture_in(data: bytes) -> tuple[bytes, list[bytes]]:
    """The coded picture of a file that has one, and its properties as boxes."""
    location = _inside(data, b"meta", b"iloc")
    version, sizes, count = location[0], location[4], struct.unpack_from(">H", location, 6)[0]
    if version != 0 or sizes != 0x44 or location[5] >> 4 != 0 or count != 1:
        raise CrennError("The encoder's AVIF is not of one picture;", remedy="choose another format.")
    extents = struct.unpack_from(">H", location, 12)[0]
    places = [struct.unpack_from(">II", location, 14 + 8 * i) for i in range(extents)]
    picture = b"".join(data[first : first + length] for first, length in places)
    properties = [_box(kind, body) for kind, body in _boxes(_inside(data, b"meta", b"iprp", b"ipco"))]
    return picture, properties


def with_told(data: bytes, light_level: tuple[float, float] | None, exif: bytes, xmp: bytes) -> bytes:
    """An encoder's AVIF of one picture, with more told beside it.

    Parameters
    ----------
    data : bytes
        The file.
    light_level : tuple of float, optional
        cd/m² of the brightest pixel and of the mean.
    exif, xmp : bytes
        Exif from its TIFF header on, and an XMP packet; empty for none.

    Raises
    ------
    CrennError
        If the file is not built as those of the encoder are.
    """
    picture, properties = _picture_in(data)
    if light_level is not None:
        properties.append(_box(b"clli", struct.pack(">HH", *(min(round(n), 65535) for n in light_level))))
    items = [_Item(_PICTURE, b"av01", b"", picture)]
    if exif:
        # Four bytes tell where the TIFF header begins.
        items.append(_Item(_EXIF, b"Exif", b"", bytes(4) + exif))
    if xmp:
        items.append(_Item(_XMP, b"mime", b"application/rdf+xml\0", xmp))
    kinds = _box(b"ftyp", b"avif", bytes(4), b"avif", b"mif1", b"miaf")
    # Where items begin is told by how long this is, which does not depend on where they begin.
    first = len(kinds) + len(_meta(properties, items, 0)) + 8
    return kinds + _meta(properties, items, first) + _box(b"mdat", *(item.body for item in items))


def _meta(properties: list[bytes], items: list[_Item], first: int) -> bytes:
    """All that is told of items which stand one after another from a byte of the file on."""
    infos, places = [], []
    for item in items:
        named = struct.pack(">HH", item.number, 0) + item.kind + b"\0" + item.content
        infos.append(_full(b"infe", named, version=2))
        places.append(struct.pack(">HHHII", item.number, 0, 1, first, len(item.body)))
        first += len(item.body)
    about = [_box(b"cdsc", struct.pack(">HHH", item.number, 1, _PICTURE)) for item in items[1:]]
    essential = [0x80 if p[4:8] in _ESSENTIAL else 0 for p in properties]
    of_picture = struct.pack(">IHB", 1, _PICTURE, len(properties)) + bytes(i + 1 | e for i, e in enumerate(essential))
    return _full(
        b"meta",
        _full(b"hdlr", bytes(4), b"pict", bytes(12), b"\0"),
        _full(b"pitm", struct.pack(">H", _PICTURE)),
        _full(b"iloc", b"\x44\0", struct.pack(">H", len(items)), *places),
        _full(b"iinf", struct.pack(">H", len(items)), *infos),
        *([_full(b"iref", *about)] if about else []),
        _box(b"iprp", _box(b"ipco", *properties), _full(b"ipma", of_picture)),
    )
