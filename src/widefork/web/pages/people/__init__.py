"""People: teams and seats, who comes and goes, what they cost and can do, cohorts, targets, plans under shocks."""

from widefork.web.pages.people.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("people", "People", 4, BLUEPRINT)
