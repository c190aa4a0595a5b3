"""Any line by who came in when; opens from Drivers, People and Roots."""

from widefork.web.pages.cohorts.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(name="cohorts", blueprint=BLUEPRINT, asks=("of", "flow"))
