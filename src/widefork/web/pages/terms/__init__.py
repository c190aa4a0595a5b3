"""Terms: when things are paid, stock, assets, loans, tax, and the opening balance sheet."""

from widefork.web.pages.terms.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("terms", "Terms", 5, BLUEPRINT)
