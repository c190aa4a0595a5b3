"""Own flags, combinations that do not exist, and names of changes."""

import sqlalchemy as sa
import sqlmodel
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    text = sqlmodel.sql.sqltypes.AutoString()
    op.create_table(
        "flag",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("label", text, nullable=False),
        sa.Column("first", text, nullable=True),
        sa.Column("last", text, nullable=True),
        sa.Column("months_of_year", sa.JSON(), nullable=False),
        sa.Column("counts", sa.Boolean(), nullable=False),
        sa.Column("note", text, nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_flag_model_id_model"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_flag")),
        sa.UniqueConstraint("model_id", "name", name=op.f("uq_flag_model_id_name")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_flag_model_id"), "flag", ["model_id"], unique=False)
    op.add_column("line", sa.Column("absent", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("change", sa.Column("name", text, nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("change", "name")
    op.drop_column("line", "absent")
    op.drop_table("flag")
