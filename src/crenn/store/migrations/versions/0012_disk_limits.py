"""How much of the disk what can be made again may take."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.create_table(
        "disk_limit",
        sa.Column("part", sa.String(20), primary_key=True),
        sa.Column("bytes", sa.BigInteger, nullable=False),
    )
