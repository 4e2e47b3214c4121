"""Sets of outputs in the database, and those that ship."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.deliver.output import Output, OutputSize
from crenn.store.by_name import forget_by_name, row_by_name
from crenn.store.models import OutputSetRow

#: So many sets are kept.
MOST = 200


class OutputSet(BaseModel):
    """Outputs that are delivered together, by a name."""

    model_config = ConfigDict(extra="forbid", json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")
    outputs: Annotated[list[Output], Field(min_length=1, max_length=20)]
    own: bool = Field(True, description="whether it was kept here, and did not ship")


#: Those that ship.
_SHIPPED = (
    OutputSet(
        name="For the web",
        outputs=[Output(size=OutputSize(by="pixels", pixels=2048), quality=88, sharpen="screen")],
        own=False,
    ),
    OutputSet(
        name="For wide screens",
        outputs=[
            Output(format="avif", size=OutputSize(by="pixels", pixels=3840), space="p3", quality=80, sharpen="screen")
        ],
        own=False,
    ),
    OutputSet(
        name="For a print of 60 cm",
        outputs=[
            Output(
                format="tif", size=OutputSize(by="print", cm=60, dpi=300, enlarge=True), space="oprgb", sharpen="glossy"
            ),
        ],
        own=False,
    ),
    OutputSet(
        name="Masters",
        outputs=[
            Output(format="tif", space="romm", name="{title} master"),
            Output(format="exr", name="{title} light"),
        ],
        own=False,
    ),
)


def output_sets(session: Session) -> list[OutputSet]:
    """All sets: those of the library by their names, then those that ship."""
    rows = session.execute(select(OutputSetRow).order_by(OutputSetRow.name)).scalars()
    own = [OutputSet(name=row.name, outputs=row.outputs) for row in rows]
    names = {one.name for one in own}
    return own + [one for one in _SHIPPED if one.name not in names]


def keep_set(session: Session, kept: OutputSet) -> None:
    """Keep a set, in place of what was kept by its name.

    Raises
    ------
    CrennError
        If there are too many already.
    """
    row = row_by_name(session, OutputSetRow, kept.name, MOST, "sets")
    row.outputs = [output.model_dump(mode="json") for output in kept.outputs]
    session.flush()


def forget_set(session: Session, name: str) -> None:
    """Forget a set of the library's own; one that ships under its name is there again.

    Raises
    ------
    Missing
        If there is none.
    """
    forget_by_name(session, OutputSetRow, name, "set")
