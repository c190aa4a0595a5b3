"""Open formats: each reads or writes a core Model and nothing else. One line here per format."""

from widefork.core.registry import Registry
from widefork.files.format import Format
from widefork.files.json_format import JSON_FORMAT
from widefork.files.yaml_format import YAML_FORMAT

FORMATS: Registry[Format] = Registry("format", YAML_FORMAT, JSON_FORMAT)

__all__ = ["FORMATS", "Format"]
