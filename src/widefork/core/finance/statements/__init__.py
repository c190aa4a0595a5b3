"""The statements: captions lines post to, totals made of them, and the layouts they are shown in."""

from widefork.core.finance.statements.caption import Caption, Emphasis, Statement
from widefork.core.finance.statements.captions import (
    CAPTION_BY_NAME,
    CAPTIONS,
    CHECKS,
    OFFERED,
    OPENING_CAPTIONS,
    POSTABLE,
    ROWS_WITHIN,
)
from widefork.core.finance.statements.layouts import LAYOUTS, Layout
from widefork.core.finance.statements.ratios import RATIOS, Ratio

__all__ = [
    "CAPTIONS",
    "CAPTION_BY_NAME",
    "CHECKS",
    "LAYOUTS",
    "OFFERED",
    "OPENING_CAPTIONS",
    "POSTABLE",
    "RATIOS",
    "ROWS_WITHIN",
    "Caption",
    "Emphasis",
    "Layout",
    "Ratio",
    "Statement",
]
