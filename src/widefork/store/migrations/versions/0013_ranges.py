"""Plausible ranges of lines that schedules write, and how lines are drawn at random."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("ranges", "spreads"):
        op.add_column("model", sa.Column(name, sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    for name in ("spreads", "ranges"):
        op.drop_column("model", name)
