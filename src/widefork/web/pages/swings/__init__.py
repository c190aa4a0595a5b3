"""What moves a figure most."""

from widefork.web.pages.swings.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(name="swings", label="Swings", number=10, blueprint=BLUEPRINT, asks=("figure", "share", "by_way"))
