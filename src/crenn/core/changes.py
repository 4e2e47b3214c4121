"""Changes of a document, as they go over the wire and into its history: what is other, and where it stands."""

from collections.abc import Sequence
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from crenn.core.errors import CrennError

#: A key of an object, or the id of one of a list.
Key = Annotated[str, Field(min_length=1, max_length=100)]
#: Puts a value behind the last of a list.
APPEND = "+"


class Change(BaseModel):
    """A value of a document in its place; without a value, what stands there is taken out.

    The last of ``path`` may be "+", behind a list: the value is put at its end.
    """

    model_config = ConfigDict(extra="forbid")
    path: list[Key] = Field(min_length=1, max_length=12)
    value: Any = None

    @property
    def removes(self) -> bool:
        """Whether it takes out what stands there."""
        return "value" not in self.model_fields_set


class UnknownPlace(CrennError):
    """A change names a place that the document does not have."""


def changed(document: Any, changes: Sequence[Change]) -> Any:
    """A document after changes; what they do not touch is the same object as before.

    Raises
    ------
    UnknownPlace
        If a path leads nowhere.
    """
    for change in changes:
        document = _put(document, change.path, change)
    return document


def _id_of(one: Any) -> str | None:
    """The id of one of a list: of a document's, or of what has been read from it already."""
    return one.get("id") if isinstance(one, dict) else getattr(one, "id", None)


def _put(whole: Any, path: list[str], change: Change) -> Any:
    key, rest = path[0], path[1:]
    if isinstance(whole, dict):
        out = dict(whole)
        if rest:
            if key not in whole:
                raise UnknownPlace(f"This change cannot be made: there is no “{key}”.")
            out[key] = _put(whole[key], rest, change)
        elif change.removes:
            out.pop(key, None)
        else:
            out[key] = change.value
        return out
    if isinstance(whole, list):
        if key == APPEND and not rest:
            return [*whole, change.value]
        for index, one in enumerate(whole):
            if _id_of(one) == key:
                if rest:
                    return [*whole[:index], _put(one, rest, change), *whole[index + 1 :]]
                return [*whole[:index], *([] if change.removes else [change.value]), *whole[index + 1 :]]
    raise UnknownPlace(f"This change cannot be made: there is no “{key}”.")
