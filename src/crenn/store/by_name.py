"""What is kept by a name of the user's, a row each: presets, areas, sets of outputs, profiles."""

from typing import TypeVar

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from crenn.core.errors import CrennError, Missing
from crenn.store.models import AreaPreset, OutputSetRow, PresetRow, ProfileRow

Row = TypeVar("Row", AreaPreset, OutputSetRow, PresetRow, ProfileRow)


def row_by_name(session: Session, table: type[Row], name: str, most: int, what: str) -> Row:
    """The row of a name, to be filled; a new one if there is none.

    Raises
    ------
    CrennError
        If there are too many of ``what``, in the plural, already.
    """
    row = session.execute(select(table).where(table.name == name)).scalar_one_or_none()
    if row is None:
        if session.execute(select(func.count(table.id))).scalar_one() >= most:
            raise CrennError(f"There are {most} {what} already.", remedy="Forget one first.")
        row = table(name=name)
        session.add(row)
    return row


def forget_by_name(session: Session, table: type[Row], name: str, what: str) -> None:
    """Forget the row of a name; what ships under that name is there again.

    Raises
    ------
    Missing
        If no such ``what``, in the singular, is kept.
    """
    if session.execute(select(table.id).where(table.name == name)).first() is None:
        raise Missing(f"No {what} “{name}” is kept.")
    session.execute(delete(table).where(table.name == name))
