"""The Waterline: liquidity against the lowest level allowed, what is needed and why, and what can be done."""

from widefork.web.pages.waterline.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("waterline", "Waterline", 7, BLUEPRINT)
