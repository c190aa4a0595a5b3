"""Terms: when things are paid, stock, assets, loans, tax, and the opening balance sheet."""

from widefork.web.pages.terms.form_edits import FORM_EDITS
from widefork.web.pages.terms.routes import BLUEPRINT
from widefork.web.shared.page import Page

SETTINGS = ("schedule", "kind", "label", "has_<setting>", "<setting>", "line", "by", "cash", "way", "member", "text")
PUT_OFF = ("line", "share", "first", "last", "over")

PAGE = Page(
    name="terms",
    label="Terms",
    number=5,
    blueprint=BLUEPRINT,
    asks=("open", "new"),
    writes={**dict.fromkeys(FORM_EDITS, SETTINGS), "put-off": PUT_OFF, "take-back": ("line",)},
    messages=("terms",),
)
