"""Documents kept in sections: what two states of a document share is stored once.

A document is parted into its sections, and what is long within one into pieces of its own. Each is kept under the
digest of its content (a Merkle tree, Merkle 1987): a dial that was turned adds a few bytes, however long the strokes
beside it are.
"""

import base64
import hashlib
import json
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from crenn.store.models import Section

#: A value longer than about this, as JSON, is kept by itself; of a list, so many members at most stand in one piece.
_LONG, _TOGETHER = 1500, 32
#: What stands in the place of a piece: the digest of its content; and of a list that is kept in several.
_PIECE, _PIECES = "§", "§§"


def _digest(text: str) -> str:
    return base64.urlsafe_b64encode(hashlib.blake2b(text.encode(), digest_size=16).digest()).decode().rstrip("=")


def _text(value: Any) -> str:
    return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def digest_of(value: Any) -> str:
    """The digest that a piece of a document is kept under."""
    return _digest(_text(value))


def parted(document: Mapping[str, Any]) -> tuple[dict[str, str], dict[str, Any]]:
    """A document as the digests of its sections, and all pieces by their digests."""
    pieces: dict[str, Any] = {}

    def keep(value: Any) -> str:
        digest = digest_of(value)
        pieces[digest] = value
        return digest

    def part(value: Any) -> tuple[Any, int]:
        """A value whose long members are kept apart, and about how long it is then."""
        if isinstance(value, dict):
            members = {key: short(own) for key, own in value.items()}
            return {key: own for key, (own, _) in members.items()}, sum(n + 10 for _, n in members.values())
        if isinstance(value, list) and value and isinstance(value[0], dict | list):
            shorts = [short(own) for own in value]
            value = [own for own, _ in shorts]
            if len(value) > _TOGETHER:
                runs = (value[i : i + _TOGETHER] for i in range(0, len(value), _TOGETHER))
                value = {_PIECES: [keep(run) for run in runs]}
                return value, 30 * len(value[_PIECES])
            return value, sum(n for _, n in shorts)
        return value, 5 * len(value) if isinstance(value, list | str) else 10

    def short(value: Any) -> tuple[Any, int]:
        value, size = part(value)
        return ({_PIECE: keep(value)}, 30) if isinstance(value, dict | list) and size > _LONG else (value, size)

    return {name: keep(part(section)[0]) for name, section in document.items()}, pieces


def joined(sections: Mapping[str, str], pieces: Callable[[Iterable[str]], Mapping[str, Any]]) -> dict[str, Any]:
    """The document of sections; ``pieces`` gives those of some digests."""
    known: dict[str, Any] = {}
    wanted = set(sections.values())
    while wanted:
        found = pieces(wanted)
        known.update(found)
        wanted = {digest for value in found.values() for digest in pieces_named(value)} - known.keys()

    def whole(value: Any) -> Any:
        if isinstance(value, list):
            return [whole(own) for own in value] if value and isinstance(value[0], dict | list) else value
        if not isinstance(value, dict):
            return value
        if value.keys() == {_PIECE}:
            return whole(known[value[_PIECE]])
        if value.keys() == {_PIECES}:
            return [whole(own) for digest in value[_PIECES] for own in known[digest]]
        return {key: whole(own) for key, own in value.items()}

    return {name: whole(known[digest]) for name, digest in sections.items()}


def pieces_named(value: Any) -> Iterable[str]:
    """Digests of the pieces that a value, as it is kept, names."""
    if isinstance(value, list):
        for own in value if value and isinstance(value[0], dict | list) else ():
            yield from pieces_named(own)
    elif isinstance(value, dict):
        if value.keys() == {_PIECE}:
            yield value[_PIECE]
        elif value.keys() == {_PIECES}:
            yield from value[_PIECES]
        else:
            for own in value.values():
                yield from pieces_named(own)


def store_document(session: Session, document: Mapping[str, Any]) -> dict[str, str]:
    """Keep a document; the digests of its sections."""
    sections, pieces = parted(document)
    known = set(session.execute(select(Section.digest).where(Section.digest.in_(pieces))).scalars())
    new = [{"digest": digest, "content": value} for digest, value in pieces.items() if digest not in known]
    if new:
        session.execute(insert(Section).on_conflict_do_nothing(), new)
    return sections


def load_document(session: Session, sections: Mapping[str, str]) -> dict[str, Any]:
    """The document of sections that were kept.

    Raises
    ------
    KeyError
        If a piece is missing.
    """

    def pieces(digests: Iterable[str]) -> dict[str, Any]:
        rows = session.execute(select(Section.digest, Section.content).where(Section.digest.in_(list(digests))))
        found = {row.digest: row.content for row in rows}
        if missing := set(digests) - found.keys():
            raise KeyError(f"the document lacks {sorted(missing)[0]}")
        return found

    return joined(sections, pieces)
