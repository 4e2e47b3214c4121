"""Presets in the database, and those that ship."""

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from crenn.core.errors import CrennError, Missing
from crenn.core.presets import Preset, read_preset, shipped
from crenn.store.models import PresetRow

#: So many presets are kept.
MOST = 500


def presets(session: Session) -> list[tuple[Preset, bool]]:
    """All presets: those of the library, then those that ship; with whether it is the library's own."""
    rows = session.execute(select(PresetRow).order_by(PresetRow.name)).scalars()
    own = [(read_preset(row.document), True) for row in rows]
    names = {preset.name for preset, _ in own}
    return own + [(preset, False) for preset in shipped() if preset.name not in names]


def keep_preset(session: Session, preset: Preset) -> None:
    """Keep a preset, in place of what was kept by its name.

    Raises
    ------
    CrennError
        If there are too many already.
    """
    row = session.execute(select(PresetRow).where(PresetRow.name == preset.name)).scalar_one_or_none()
    if row is None:
        if session.execute(select(func.count(PresetRow.id))).scalar_one() >= MOST:
            raise CrennError(f"There are {MOST} presets already.", remedy="Forget one first.")
        row = PresetRow(name=preset.name)
        session.add(row)
    row.document = preset.model_dump(mode="json")


def forget_preset(session: Session, name: str) -> None:
    """Forget a preset of the library's own; one that ships under its name is there again.

    Raises
    ------
    Missing
        If there is none.
    """
    if session.execute(select(PresetRow.id).where(PresetRow.name == name)).first() is None:
        raise Missing(f"No preset “{name}” is kept.")
    session.execute(delete(PresetRow).where(PresetRow.name == name))
