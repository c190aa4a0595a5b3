"""How the statements are laid out, between what lines must lie, and seals."""

import sqlalchemy as sa
import sqlmodel
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

ONE_TARGET = "(line_id IS NOT NULL) + (part IS NOT NULL) = 1 AND (schedule_id IS NULL OR part IS NOT NULL)"


def upgrade() -> None:
    text = sqlmodel.sql.sqltypes.AutoString()
    op.add_column("model", sa.Column("statements", sa.JSON(), nullable=False, server_default="{}"))
    op.create_table(
        "limit",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("label", text, nullable=False),
        sa.Column("line_id", sa.Integer(), nullable=True),
        sa.Column("schedule_id", sa.Integer(), nullable=True),
        sa.Column("part", text, nullable=True),
        sa.Column("least", sa.Float(), nullable=True),
        sa.Column("most", sa.Float(), nullable=True),
        sa.Column("tested", text, nullable=False),
        sa.Column("first", text, nullable=True),
        sa.Column("is_covenant", sa.Boolean(), nullable=False),
        sa.Column("note", text, nullable=False),
        sa.CheckConstraint(ONE_TARGET, name=op.f("ck_limit_one_target")),
        sa.ForeignKeyConstraint(["line_id"], ["line.id"], name=op.f("fk_limit_line_id_line")),
        sa.ForeignKeyConstraint(["schedule_id"], ["schedule.id"], name=op.f("fk_limit_schedule_id_schedule")),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_limit_model_id_model"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_limit")),
        sa.UniqueConstraint("model_id", "name", name=op.f("uq_limit_model_id_name")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_limit_model_id"), "limit", ["model_id"], unique=False)
    op.create_table(
        "seal",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("note", text, nullable=False),
        sa.Column("person", text, nullable=False),
        sa.Column("sealed_at", text, nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("document", text, nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_seal_model_id_model"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_seal")),
        sa.UniqueConstraint("model_id", "name", name=op.f("uq_seal_model_id_name")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_seal_model_id"), "seal", ["model_id"], unique=False)
    # Not even a mistake of ours changes a seal.
    op.execute(
        "CREATE TRIGGER seal_is_locked BEFORE UPDATE ON seal BEGIN SELECT RAISE(ABORT, 'a seal is never changed'); END"
    )


def downgrade() -> None:
    op.drop_table("seal")
    op.drop_table("limit")
    op.drop_column("model", "statements")
