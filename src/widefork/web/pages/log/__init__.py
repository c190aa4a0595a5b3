"""Every edit; opens from the frame's foot."""

from widefork.web.pages.log.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(name="log", blueprint=BLUEPRINT)
