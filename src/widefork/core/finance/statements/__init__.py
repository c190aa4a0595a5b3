"""Income statement, balance sheet and cash flow as generated lines."""

from widefork.core.finance.statements.captions import (
    CAPTION_BY_NAME,
    CAPTIONS,
    CHECKS,
    POSTABLE,
    Caption,
    Emphasis,
    Statement,
)

__all__ = ["CAPTIONS", "CAPTION_BY_NAME", "CHECKS", "POSTABLE", "Caption", "Emphasis", "Statement"]
