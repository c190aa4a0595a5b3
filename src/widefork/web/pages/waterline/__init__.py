"""The Waterline: liquidity against the lowest level allowed, what is needed and why, and what can be done."""

from widefork.web.pages.waterline.quick import FIELDS
from widefork.web.pages.waterline.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(
    name="waterline",
    label="Waterline",
    number=7,
    blueprint=BLUEPRINT,
    asks=("fold", "act", "add", "weeks", "list"),
    writes={
        "act": ("line", "doing", "share", "first", "last", "months"),
        "add": ("money", "amount", "month", "months", "rate"),
        "propose": ("way",),
        "take-back": ("step",),
        "level": ("level",),
        "days": ("line", "days"),
        "under-way": ("schedule", "days"),
        "start": ("label", "side", "amount", *FIELDS),
    },
    messages=("waterline",),
)
