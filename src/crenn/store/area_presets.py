"""Presets of areas in the database, and those that ship."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.area_presets import AreasDocument, read_areas, shipped_presets
from crenn.store.by_name import forget_by_name, row_by_name
from crenn.store.models import AreaPreset

#: So many presets are kept.
MOST = 200


def presets(session: Session) -> list[tuple[str, AreasDocument, bool]]:
    """All presets by name: those of the library, then those that ship; with whether it is the library's own."""
    rows = session.execute(select(AreaPreset).order_by(AreaPreset.name)).scalars()
    own = [(row.name, read_areas(row.document), True) for row in rows]
    names = {name for name, _, _ in own}
    return own + [(name, document, False) for name, document in shipped_presets().items() if name not in names]


def keep_preset(session: Session, name: str, document: AreasDocument) -> None:
    """Keep areas by a name, in place of what was kept by it.

    Raises
    ------
    CrennError
        If there are too many already.
    """
    row = row_by_name(session, AreaPreset, name, MOST, "presets")
    row.document = document.model_dump(mode="json")


def forget_preset(session: Session, name: str) -> None:
    """Forget a preset of the library's own; one that ships under its name is there again.

    Raises
    ------
    Missing
        If there is none.
    """
    forget_by_name(session, AreaPreset, name, "preset")
