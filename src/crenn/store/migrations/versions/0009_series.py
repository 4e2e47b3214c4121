"""Key scenes of series."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("scene", sa.Column("series_key", sa.Boolean, nullable=False, server_default=sa.false()))
