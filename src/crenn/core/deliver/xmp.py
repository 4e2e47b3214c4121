"""What was done to a picture, and what is told of it, as XMP (ISO 16684-1:2019) in the delivered file."""

import base64
import json
import re
import zlib
from pathlib import Path
from typing import Any
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from PIL import Image

from crenn.core.deliver.output import About
from crenn.core.errors import CrennError, InvalidTreatment
from crenn.core.frames.position import Position
from crenn.core.treatment import Treatment, parse_treatment

#: Our own namespace: ``treatment`` is a treatment document, JSON packed by zlib, in base64.
NAMESPACE = "https://crenn.example/ns/1.0/"
#: Endings of delivered files that carry XMP, and bytes of a packet that a JPEG's segment holds (ISO 16684-3).
CARRIERS = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".avif", ".webp")
SEGMENT = 65_000
#: A treatment that unpacks to more than this is none.
_LONGEST = 32 * 2**20
_SPACES = {
    "x": "adobe:ns:meta/",
    "rdf": "http://www.w3.org/1999/02/22-rdf-syntax-ns#",
    "dc": "http://purl.org/dc/elements/1.1/",
    "exif": "http://ns.adobe.com/exif/1.0/",
    "crenn": NAMESPACE,
}


def packet(
    about: About, treatment: Treatment | None, most: int | None = SEGMENT, position: Position | None = None
) -> bytes:
    """An XMP packet; empty where nothing is told.

    Parameters
    ----------
    about : About
    treatment : Treatment, optional
    most : int, optional
        Bytes that there is room for: a treatment that does not fit is left out.
    position : Position, optional
        Where it was taken, told if ``about`` wants it.
    """
    told = _described(about)
    if position is not None and about.position:
        told.append(position.xmp())
    own = ""
    if treatment is not None and about.treatment:
        # What states no version is of the newest, and one that is kept for years is not.
        document = {"format": treatment.format, "version": treatment.version}
        document |= treatment.model_dump(mode="json", exclude_defaults=True)
        packed = zlib.compress(json.dumps(document).encode(), 9)
        own = f"<crenn:treatment>{base64.b64encode(packed).decode()}</crenn:treatment>"
    for parts in ([*told, own], told):
        body = "".join(parts)
        if not body:
            return b""
        names = "".join(f' xmlns:{key}="{space}"' for key, space in _SPACES.items() if key not in ("x", "rdf"))
        text = (
            '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
            f'<x:xmpmeta xmlns:x="{_SPACES["x"]}"><rdf:RDF xmlns:rdf="{_SPACES["rdf"]}">'
            f'<rdf:Description rdf:about=""{names}>{body}</rdf:Description></rdf:RDF></x:xmpmeta>'
            '<?xpacket end="r"?>'
        ).encode()
        if most is None or len(text) <= most:
            return text
    return b""


def _described(about: About) -> list[str]:
    """Dublin Core of what is told."""

    def in_words(name: str, text: str) -> str:
        words = f'<rdf:Alt><rdf:li xml:lang="x-default">{escape(text)}</rdf:li></rdf:Alt>'
        return f"<dc:{name}>{words}</dc:{name}>" if text else ""

    creator = f"<rdf:Seq><rdf:li>{escape(about.creator)}</rdf:li></rdf:Seq>"
    return [
        in_words("title", about.title),
        in_words("description", about.caption),
        in_words("rights", about.copyright),
        f"<dc:creator>{creator}</dc:creator>" if about.creator else "",
    ]


def treatment_in(path: Path) -> Treatment:
    """The treatment that a delivered file carries.

    Raises
    ------
    CrennError
        If the file cannot be read, or carries none.
    """
    path = Path(path)
    try:
        with Image.open(path) as picture:
            told: Any = picture.info.get("xmp") or picture.info.get("XML:com.adobe.xmp")
            if told is None and hasattr(picture, "tag_v2"):
                told = picture.tag_v2.get(700)
    except (OSError, ValueError, SyntaxError) as fault:
        raise CrennError("is no picture that can be read.", path, "Choose one that was delivered.") from fault
    return treatment_of_packet(told.encode() if isinstance(told, str) else bytes(told or b""), path)


def treatment_of_packet(text: bytes, path: Path | str | None = None) -> Treatment:
    """The treatment in an XMP packet.

    Parameters
    ----------
    text : bytes
        The packet, or more than it.
    path : path-like, optional
        Named in messages.

    Raises
    ------
    CrennError
        If there is none in it, or it is damaged or cannot be.
    """
    packed = _own_of(text)
    if packed is None:
        raise CrennError("carries no treatment.", path, "Deliver it with what was done to it, or name a JSON file.")
    try:
        unpacker = zlib.decompressobj()
        document = json.loads(unpacker.decompress(base64.b64decode(packed, validate=True), _LONGEST))
    except (ValueError, zlib.error) as fault:
        raise InvalidTreatment("carries a treatment that is damaged.", path) from fault
    return parse_treatment(document, path)


def _own_of(text: bytes) -> str | None:
    """The packed treatment in a packet."""
    body = re.search(rb"<x:xmpmeta.*</x:xmpmeta>", text, re.DOTALL)
    # Entities are declared before; the part that is looked at knows none.
    if body is None or b"<!" in body.group():
        return None
    try:
        found = ElementTree.fromstring(body.group()).find(f".//{{{NAMESPACE}}}treatment")
    except ElementTree.ParseError:
        return None
    return None if found is None else found.text
