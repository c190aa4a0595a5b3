"""Usual outgoings a company does not have, so that nobody is asked about them again."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("model", sa.Column("not_ours", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("model", "not_ours")
