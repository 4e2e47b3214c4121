"""Merging as a part of history; takes that were taken away; presets."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("revision", sa.Column("merging", JSONB))
    op.add_column("revision", sa.Column("merging_before", JSONB))
    op.add_column("take", sa.Column("removed", sa.Boolean, nullable=False, server_default=sa.false()))
    op.create_table(
        "preset",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("kept", sa.DateTime(timezone=True), nullable=False),
    )
