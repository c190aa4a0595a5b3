"""Seals: locked copies, listed, compared with, and brought back; opens from the frame's foot."""

from widefork.web.pages.seals.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="seals",
    blueprint=BLUEPRINT,
    asks=("open",),
    writes={"": ("name", "note"), "<seal_id>/restore": ()},
)
