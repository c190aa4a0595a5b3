"""Cases get a weight, a pin in the fork switcher, and can be laid aside."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("case", sa.Column("weight", sa.Float(), nullable=True))
    op.add_column("case", sa.Column("is_pinned", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("case", sa.Column("is_archived", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    for name in ("is_archived", "is_pinned", "weight"):
        op.drop_column("case", name)
