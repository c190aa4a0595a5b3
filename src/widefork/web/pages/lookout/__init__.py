"""The overview: cash of all cases, when it is lowest, and the years."""

from widefork.web.pages.lookout.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(name="lookout", label="Lookout", blueprint=BLUEPRINT, asks=("sort",))
