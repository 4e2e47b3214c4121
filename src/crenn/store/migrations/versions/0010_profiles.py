"""ICC profiles."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "profile",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("space", sa.String(4), nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("kept", sa.DateTime(timezone=True), nullable=False),
    )
