"""Presets in the database, and those that ship."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.presets import Preset, read_preset, shipped
from crenn.store.by_name import forget_by_name, row_by_name
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
    row = row_by_name(session, PresetRow, preset.name, MOST, "presets")
    row.document = preset.model_dump(mode="json")


def forget_preset(session: Session, name: str) -> None:
    """Forget a preset of the library's own; one that ships under its name is there again.

    Raises
    ------
    Missing
        If there is none.
    """
    forget_by_name(session, PresetRow, name, "preset")
