"""Add what you sell: a pattern asks, shows what would come of it, and writes ordinary lines; opens from Drivers."""

from widefork.web.pages.sell.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("sell", "", 0, BLUEPRINT)
