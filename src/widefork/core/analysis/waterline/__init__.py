"""When cash goes under the lowest level allowed."""

from widefork.core.analysis.waterline.waterline import Reading, read_waterline

__all__ = ["Reading", "read_waterline"]
