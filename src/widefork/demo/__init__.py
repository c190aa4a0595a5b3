"""Example companies, all invented, written in the project's own open text format."""

from importlib.resources import files

from widefork.core.graph.model import Model
from widefork.files import FORMATS

DEMO_MODELS = ("quillmere",)


def demo_text(name: str) -> str:
    """Return the text of an example company's file."""
    return files("widefork.demo").joinpath("models", f"{name}.yaml").read_text("utf-8")


def build_demo(name: str) -> Model:
    """Return an example company, read by the same reader a user's file goes through."""
    return FORMATS["yaml"].read(demo_text(name))
