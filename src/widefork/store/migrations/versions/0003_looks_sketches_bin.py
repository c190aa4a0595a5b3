"""How rows look and how plausible they are, sketches, and the bin of models."""

import sqlalchemy as sa
import sqlmodel
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    text = sqlmodel.sql.sqltypes.AutoString()
    op.create_table(
        "sketch",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("person", text, nullable=False),
        sa.Column("steps", sa.JSON(), nullable=False),
        sa.Column("undone", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_sketch_model_id_model"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["case_id"], ["case.id"], name=op.f("fk_sketch_case_id_case"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sketch")),
        sa.UniqueConstraint("model_id", "person", name=op.f("uq_sketch_model_id_person")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_sketch_model_id"), "sketch", ["model_id"], unique=False)
    op.create_table(
        "saved_view",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.Integer(), nullable=False),
        sa.Column("page", text, nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("query", text, nullable=False),
        sa.ForeignKeyConstraint(
            ["model_id"], ["model.id"], name=op.f("fk_saved_view_model_id_model"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_saved_view")),
        sa.UniqueConstraint("model_id", "page", "name", name=op.f("uq_saved_view_model_id_page_name")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_saved_view_model_id"), "saved_view", ["model_id"], unique=False)
    op.add_column("line", sa.Column("look", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("line", sa.Column("plausible", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("model", sa.Column("binned_at", text, nullable=True))


def downgrade() -> None:
    op.drop_column("model", "binned_at")
    op.drop_column("line", "plausible")
    op.drop_column("line", "look")
    op.drop_table("saved_view")
    op.drop_table("sketch")
