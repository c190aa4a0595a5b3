"""Worth: the business by its discounted free cash flow, in every case, and every move."""

from widefork.web.pages.work_back.worth.page import WorthPage, build_moves, build_worth
from widefork.web.pages.work_back.worth.start import VALUE, start_valuing

__all__ = ["VALUE", "WorthPage", "build_moves", "build_worth", "start_valuing"]
