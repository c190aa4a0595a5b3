"""What the model stands on: its months, dimensions and registers, units, profiles, flags and counters."""

from widefork.web.pages.frame.form_edits import FORM_EDITS
from widefork.web.pages.frame.routes import BLUEPRINT
from widefork.web.shared.page import Page

FIELDS = ("name", "label", "start", "months", "last_actual", "fiscal_year_start", "dimension", "member",
          "members", "attribute", "value", "way", "month", "profile", "amounts", "flag", "unit", "one", "decimals",
          "first", "last", "counts", "note")  # fmt: skip

PAGE = Page(
    name="frame",
    label="Frame",
    number=1,
    blueprint=BLUEPRINT,
    writes=dict.fromkeys(FORM_EDITS, FIELDS),
)
