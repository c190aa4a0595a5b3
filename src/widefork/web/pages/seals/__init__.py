"""Seals: locked copies, listed, compared with, and brought back; opens from the frame's foot."""

from widefork.web.pages.seals.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("seals", "", 0, BLUEPRINT)
