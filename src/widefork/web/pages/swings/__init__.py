"""What moves a figure most."""

from widefork.web.pages.swings.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("swings", "Swings", 10, BLUEPRINT)
