"""Assumptions and calculated lines over months."""

from widefork.web.pages.drivers.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("drivers", "Drivers", 3, BLUEPRINT)
