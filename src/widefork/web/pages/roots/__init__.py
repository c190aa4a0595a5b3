"""How a figure came about; opens from anywhere."""

from widefork.web.pages.roots.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="roots",
    blueprint=BLUEPRINT,
    asks=("line", "at", "start", "end", "way", "than", "split"),
    pieces=("pull",),
    writes={
        "try": ("line", "at", "month", "last", "reach", "value"),
        "views": ("name", "query", "do"),
    },
    messages=("editor",),
)
