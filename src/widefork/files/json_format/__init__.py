"""The same document as the YAML format, written as JSON: for other programs."""

import json

from widefork.core.graph.model import Model
from widefork.files.format import Format
from widefork.files.yaml_format import read_yaml
from widefork.files.yaml_format.write import model_document


def write_json(model: Model) -> str:
    """Return a model as JSON text."""
    return json.dumps(model_document(model), ensure_ascii=False, indent=1) + "\n"


JSON_FORMAT = Format("json", ".json", "application/json", read_yaml, write_json)
"""JSON is YAML too, so one reader serves both."""
