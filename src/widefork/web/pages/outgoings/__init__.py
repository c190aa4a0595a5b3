"""Every outgoing by rhythm, and what is usual and absent, as questions; opens from Drivers and Terms."""

from widefork.web.pages.outgoings.routes import BLUEPRINT
from widefork.web.shared.page import Page

PAGE = Page(name="outgoings", blueprint=BLUEPRINT, writes={"answer": ("label", "do")})
