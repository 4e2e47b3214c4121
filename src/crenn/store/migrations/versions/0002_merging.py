"""Merge instructions of a scene, and what its frames are for."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("scene", sa.Column("instructions", JSONB, nullable=False, server_default="{}"))
    op.add_column("frame", sa.Column("kind", sa.String(10), nullable=False, server_default="light"))
    for name in ("kind_chosen", "time_typed"):
        op.add_column("frame", sa.Column(name, sa.Boolean, nullable=False, server_default=sa.false()))
