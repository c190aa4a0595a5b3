"""Add what you sell: a pattern asks, shows what would come of it, and writes ordinary lines; opens from Drivers."""

from widefork.web.pages.sell.routes import BLUEPRINT
from widefork.web.shared.page import Page

ANSWERS = ("pattern", "label", "by", "<question>", "<group>.<row>.<question>")

PAGE = Page(
    name="sell",
    blueprint=BLUEPRINT,
    asks=("pattern", "row", "kind", "under"),
    writes={"preview": ANSWERS, "write": ANSWERS, "remove": ("section",)},
    messages=("sell",),
)
