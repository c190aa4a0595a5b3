"""What it takes to reach a goal."""

from widefork.web.pages.work_back.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("work_back", "Work back", 11, BLUEPRINT)
