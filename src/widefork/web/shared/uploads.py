"""Model files that are sent: their text, and the format their name says."""

from werkzeug.datastructures import FileStorage

from widefork.core.errors import InvalidValue
from widefork.files import FORMATS, Format


def read_upload(file: FileStorage | None) -> tuple[str, Format]:
    """Return the text of a model file and its format; raise InvalidValue for anything else, naming what is expected."""
    if file is None or not file.filename:
        raise InvalidValue("Choose a model file first.")
    suffix = "." + file.filename.rpartition(".")[2].lower()
    reader = next((known for known in FORMATS if suffix == known.suffix), None)
    if reader is None:
        known = ", ".join(entry.suffix for entry in FORMATS)
        raise InvalidValue(f"A model file ends in {known}; this one is called {file.filename}.")
    try:
        return bytes(file.read()).decode("utf-8"), reader
    except UnicodeDecodeError:
        raise InvalidValue(f"{file.filename} is not text; expected a model in an open format.") from None
