"""Income statement, cash flow and balance sheet."""

from widefork.web.pages.statements.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("statements", "Statements", 6, BLUEPRINT)
