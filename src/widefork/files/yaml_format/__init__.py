"""The project's own open text format: a model as YAML, readable and writable by hand."""

from widefork.files.format import Format
from widefork.files.yaml_format.read import read_yaml
from widefork.files.yaml_format.write import write_yaml

YAML_FORMAT = Format("yaml", ".yaml", "application/yaml", read_yaml, write_yaml)

__all__ = ["YAML_FORMAT", "read_yaml", "write_yaml"]
