"""Figures by case, with differences."""

from widefork.web.pages.compare.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("compare", "Compare", 9, BLUEPRINT)
