"""Figures by case, with differences."""

from widefork.web.pages.compare.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="compare",
    label="Compare",
    number=9,
    blueprint=BLUEPRINT,
    asks=("figure", "against"),
    writes={
        "figures": ("label", "line", "find", "when", "threshold", "first", "last"),
        "figures/<name>": ("do",),
    },
    messages=("figure",),
)
