"""What templates may call: formats, the menu, who is here."""

from collections.abc import Sequence
from pathlib import Path

from flask import Flask

from widefork.web.shared import formats
from widefork.web.shared.case_styles import CASE_STYLES
from widefork.web.shared.context import person
from widefork.web.shared.page import Page


def init_app(app: Flask, pages: Sequence[Page]) -> None:
    """Register template filters and globals."""
    stamp = int(max(path.stat().st_mtime for path in Path(str(app.static_folder)).rglob("*") if path.is_file()))
    app.jinja_env.filters.update(cell=formats.cell, amount=formats.amount, signed=formats.signed, typed=formats.typed)
    app.jinja_env.filters.update(shortened=formats.shortened)
    app.jinja_env.globals.update(
        MENU=tuple(page for page in pages if page.label), CASE_STYLES=CASE_STYLES, person=person, asset_stamp=stamp
    )
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
