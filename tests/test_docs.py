"""The documents stay true: what they name exists, and what exists is named."""

import importlib
import re
import runpy
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
README = (ROOT / "README.md").read_text("utf-8")
DECISIONS = sorted((ROOT / "docs/decisions").glob("*.md"))


@pytest.mark.parametrize("target", re.findall(r"\]\(([^)]+)\)", README))
def test_every_link_of_the_readme_leads_somewhere(target):
    assert (ROOT / target).exists()


def test_the_readme_opens_with_what_it_is_a_picture_and_two_commands():
    picture, commands = README.index("!["), README.index("./demo")
    assert README.startswith("# Wide Fork\n\nWide Fork is a web application for financial modellers")
    assert picture < commands < README.index("## Where things are")
    assert all((ROOT / command).stat().st_mode & 0o111 for command in ("demo", "check", ".ci/run"))


def test_every_screenshot_is_linked_and_they_stay_few():
    pictures = sorted(path.name for path in (ROOT / "docs/screenshots").glob("*.png"))
    assert len(pictures) < 20
    assert all(f"docs/screenshots/{name}" in README for name in pictures)


@pytest.mark.parametrize("path", DECISIONS, ids=lambda path: path.stem)
def test_every_decision_is_numbered_and_short(path):
    text = path.read_text("utf-8")
    number = int(path.stem[:4])
    assert number == DECISIONS.index(path) + 1
    assert text.startswith(f"# {number}. ")
    assert "**Choice.**" in text
    assert len(text.splitlines()) < 30


def test_decisions_named_in_the_code_exist():
    numbers = {path.stem[:4] for path in DECISIONS}
    for path in (ROOT / "src").rglob("*.py"):
        assert set(re.findall(r"decision (\d{4})", path.read_text("utf-8"))) <= numbers


@pytest.mark.parametrize(
    "name", re.findall(r"\| `((?:core|web)\.[\w.]+)` \|", (ROOT / "docs/glossary.md").read_text("utf-8"))
)
def test_every_name_in_the_glossary_is_in_the_code(name):
    parts = f"widefork.{name}".split(".")
    found = importlib.import_module("widefork")
    for place, part in enumerate(parts[1:], start=2):
        if not hasattr(found, part):
            importlib.import_module(".".join(parts[:place]))
        found = getattr(found, part)
    assert found is not None


def test_nothing_is_fetched_from_elsewhere():
    allowed = {"http://www.w3.org/2000/svg", "https://json-schema.org/draft/2020-12/schema", "http://{HOST}:{port}"}
    for path in (ROOT / "src").rglob("*"):
        if path.suffix in {".py", ".html", ".js", ".css", ".svg", ".json"} and "vendor" not in path.parts:
            text = path.read_text("utf-8")
            found = set(re.findall(r"https?://[^\s\"'`)<]+", text)) - allowed
            assert not {url for url in found if "tailwindcss.com" not in url}, path


def test_fonts_and_scripts_ship_with_their_licences():
    static = ROOT / "src/widefork/web/static"
    assert {p.suffix for p in (static / "fonts").iterdir()} == {".woff2", ".txt"}
    assert len(list((static / "vendor").glob("LICENSE-*"))) == len(list((static / "vendor").glob("*.js")))


@pytest.mark.parametrize("reference", ["language", "format"])
def test_reference_pages_are_what_the_registries_and_the_schema_say(reference):
    built = runpy.run_path(str(ROOT / "docs/build_reference.py"))[f"{reference}_reference"]()
    assert (ROOT / f"docs/{reference}.md").read_text("utf-8") == built


def test_every_key_of_the_format_is_described():
    rows = [line for line in (ROOT / "docs/format.md").read_text("utf-8").splitlines() if line.startswith("| `")]
    assert len(rows) > 70
    assert [row for row in rows if not row.split(" | ")[-1].strip(" |")] == []


def test_changelog_fragments_say_what_kind_they_are():
    for path in (ROOT / "changelog.d").glob("[0-9]*.md"):
        assert path.read_text("utf-8").startswith(("NEW: ", "FIX: ", "BREAKING: "))
