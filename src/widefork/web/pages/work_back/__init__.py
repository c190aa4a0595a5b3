"""What it takes to reach a goal."""

from widefork.web.pages.work_back.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="work_back",
    label="Work back",
    number=11,
    blueprint=BLUEPRINT,
    asks=("figure", "line", "sense", "target", "low", "high", "ask"),
    writes={"keep": ("line", "operation", "amount")},
)
