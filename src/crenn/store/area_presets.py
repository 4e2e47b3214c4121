"""Presets of areas in the database, and those that ship."""

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from crenn.core.area_presets import AreasDocument, read_areas, shipped_presets
from crenn.core.errors import CrennError, Missing
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
    row = session.execute(select(AreaPreset).where(AreaPreset.name == name)).scalar_one_or_none()
    if row is None:
        if len(session.execute(select(AreaPreset.id)).all()) >= MOST:
            raise CrennError(f"There are {MOST} presets already.", remedy="Forget one first.")
        row = AreaPreset(name=name)
        session.add(row)
    row.document = document.model_dump(mode="json")


def forget_preset(session: Session, name: str) -> None:
    """Forget a preset of the library's own; one that ships under its name is there again.

    Raises
    ------
    Missing
        If there is none.
    """
    known = session.execute(select(AreaPreset.id).where(AreaPreset.name == name)).first()
    if known is None:
        raise Missing(f"No preset “{name}” is kept.")
    session.execute(delete(AreaPreset).where(AreaPreset.name == name))
