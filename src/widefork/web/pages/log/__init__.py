"""Every edit, filtered and taken back one by one; opens from the frame's foot."""

from widefork.web.pages.log.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="log",
    blueprint=BLUEPRINT,
    asks=("who", "line", "in", "month"),
    writes={"back": ("revision",)},
    messages=("log",),
)
