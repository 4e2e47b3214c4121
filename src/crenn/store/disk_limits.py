"""How much of the disk what can be made again may take."""

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from crenn.store.models import DiskLimitRow

_MOST = 10**15


class DiskLimits(BaseModel):
    """Bytes that what can be made again may take; as many as there are where None."""

    model_config = ConfigDict(extra="forbid", json_schema_serialization_defaults_required=True)
    scenes: int | None = Field(None, ge=0, le=_MOST, description="merged scenes with the noise split off them")
    deliveries: int | None = Field(None, ge=0, le=_MOST, description="delivered files")


def disk_limits(session: Session) -> DiskLimits:
    """Those that were set."""
    return DiskLimits.model_validate({row.part: row.bytes for row in session.scalars(select(DiskLimitRow))})


def set_disk_limits(session: Session, limits: DiskLimits) -> None:
    """Set them, in the place of those before."""
    session.execute(delete(DiskLimitRow))
    for part, most in limits.model_dump().items():
        if most is not None:
            session.add(DiskLimitRow(part=part, bytes=most))
