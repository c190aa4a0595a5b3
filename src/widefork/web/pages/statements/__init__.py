"""Income statement, cash flow and balance sheet."""

from widefork.web.pages.statements.form_edits import FORM_EDITS
from widefork.web.pages.statements.routes import BLUEPRINT
from widefork.web.shared.page import Page

ARRANGED = (
    "layout",
    "row",
    "label",
    "within",
    "way",
    "line",
    "least",
    "most",
    "tested",
    "first",
    "limit",
    "covenant",
    "note",
)

PAGE = Page(
    name="statements",
    label="Statements",
    number=6,
    blueprint=BLUEPRINT,
    asks=("show", "buffer", "beside", "scale", "fold", "all", "arrange"),
    writes=dict.fromkeys(FORM_EDITS, ARRANGED),
)
