"""How a figure came about; opens from anywhere."""

from widefork.web.pages.roots.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("roots", "", 0, BLUEPRINT)
