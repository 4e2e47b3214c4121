"""Open documents with a version, and how earlier versions are brought up to the current one."""

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, ValidationError, model_validator

from crenn.core.errors import CrennError

#: Makes of a document of one version one of the next; it may change the document it is given.
Upgrade = Callable[[dict[str, Any]], dict[str, Any]]


def wrong_value(fault: ValidationError) -> tuple[str, str]:
    """Where the first wrong value of a document is, and what is wrong with it."""
    first = fault.errors()[0]
    return ".".join(str(part) for part in first["loc"])[:120], first["msg"]


class Document(BaseModel):
    """A stored document. Of an earlier version, it is upgraded one version at a time before it is checked.

    A document that states no version is of the current one; stored documents always state theirs. One of a later
    version is left as it is, so that checking refuses it at ``version``.

    Attributes
    ----------
    UPGRADES : mapping of int to callable
        By the version that each starts from. A subclass whose ``version`` is *n* has those from 1 to *n* − 1.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    UPGRADES: ClassVar[Mapping[int, Upgrade]] = {}

    @model_validator(mode="before")
    @classmethod
    def _upgrade(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        version = document.get("version")
        while type(version) is int and version in cls.UPGRADES:
            document = cls.UPGRADES[version](dict(document))
            version += 1
            document["version"] = version
        return document

    @classmethod
    def read(cls, path: Path) -> Self:
        """Read a document from JSON.

        Raises
        ------
        CrennError
            If the file is missing, no JSON, or has an unknown or impossible value; it is named.
        """
        try:
            return cls.model_validate(json.loads(Path(path).read_text("utf-8")))
        except OSError as fault:
            raise CrennError(f"cannot be read: {fault.strerror}.", path) from fault
        except ValidationError as fault:
            where, why = wrong_value(fault)
            raise CrennError(f"has a wrong value at {where}: {why}.", path) from fault
        except ValueError as fault:
            raise CrennError("is no JSON file.", path) from fault
