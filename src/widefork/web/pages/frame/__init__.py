"""What the model stands on: its months, dimensions and registers, profiles, flags and counters."""

from widefork.web.pages.frame.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page("frame", "Frame", 1, BLUEPRINT)
