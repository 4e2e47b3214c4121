"""Jobs know the task of the queue that runs them, and how often it was begun."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("job", sa.Column("task_id", sa.BigInteger))
    op.add_column("job", sa.Column("attempts", sa.Integer, nullable=False, server_default="0"))
    op.execute(
        "UPDATE job SET task_id = t.id FROM procrastinate_jobs t "
        "WHERE t.args ->> 'job_id' = job.id::text AND job.state IN ('waiting', 'running')"
    )
