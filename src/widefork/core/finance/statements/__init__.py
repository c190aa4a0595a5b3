"""The statements: captions lines post to, totals made of them, and the layouts they are shown in."""

from widefork.core.finance.statements.caption import Caption, Emphasis, Statement
from widefork.core.finance.statements.captions import (
    CAPTION_BY_NAME,
    CAPTIONS,
    CHECKS,
    OFFERED,
    OPENING_CAPTIONS,
    POSTABLE,
)
from widefork.core.finance.statements.layouts import LAYOUTS, Layout

__all__ = [
    "CAPTIONS",
    "CAPTION_BY_NAME",
    "CHECKS",
    "LAYOUTS",
    "OFFERED",
    "OPENING_CAPTIONS",
    "POSTABLE",
    "Caption",
    "Emphasis",
    "Layout",
    "Statement",
]
