"""The models themselves: listed, begun, copied, renamed, binned, restored, brought in and taken out as files."""

from widefork.web.front.routes import BLUEPRINT

__all__ = ["BLUEPRINT"]
