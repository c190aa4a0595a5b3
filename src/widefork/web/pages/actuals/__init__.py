"""Actuals: closing a month from the books, step by step, and the months closed with their differences from plan."""

from widefork.web.pages.actuals.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("actuals", "Actuals", 2, BLUEPRINT)
