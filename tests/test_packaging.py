"""What the package says it needs is what its code imports, and what the lock pins."""

import ast
import re
import sys
import tomllib
from importlib.metadata import packages_distributions
from pathlib import Path

from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parents[1]
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
NEEDED = {canonicalize_name(one.name): one for one in map(Requirement, PROJECT["dependencies"])}
EXTRA = {
    canonicalize_name(one.name): one
    for more in PROJECT["optional-dependencies"].values()
    for one in map(Requirement, more)
}
"""What only those need who ask for more: on a cluster, say."""


def pins(name):
    text = (ROOT / "requirements" / f"{name}.lock").read_text("utf-8")
    return {canonicalize_name(found): version for found, version in re.findall(r"^([\w.-]+)==([\w.]+)", text, re.M)}


def imported():
    """The distributions that modules of the package import, by the names they are installed under."""
    tops = set()
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Import):
                tops |= {alias.name.split(".")[0] for alias in node.names}
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                tops.add(node.module.split(".")[0])
    owners = packages_distributions()
    foreign = tops - set(sys.stdlib_module_names) - {"widefork"}
    return {top: {canonicalize_name(owner) for owner in owners[top]} for top in foreign}


def test_what_is_imported_is_needed_and_what_is_needed_is_imported():
    used = imported()
    assert {top for top, owners in used.items() if not owners & (NEEDED.keys() | EXTRA.keys())} == set()
    assert NEEDED.keys() - set().union(*used.values()) == {"jinja2"}  # Flask's templates are its


def test_the_ranges_admit_what_is_locked():
    locked = pins("app")
    assert {name: str(one) for name, one in NEEDED.items() if not one.specifier.contains(locked[name])} == {}
    tried = pins("check")  # with which the tests try what is optional
    assert {name: str(one) for name, one in EXTRA.items() if not one.specifier.contains(tried[name])} == {}


def test_the_locks_agree_with_one_another():
    app = pins("app")
    for other in (pins("check"), pins("bench")):
        assert {name: other[name] for name in app} == app


def test_the_pythons_it_says_are_the_ones_its_locks_are_checked_for():
    said = re.findall(r"Python :: (3\.\d+)", " ".join(PROJECT["classifiers"]))
    checked = re.search(r"for version in ([\d. ]+);", (ROOT / "scripts" / "check-locks.sh").read_text("utf-8"))[1]
    assert checked.split() == said
    assert PROJECT["requires-python"] == f">={said[0]},<3.{int(said[-1].split('.')[1]) + 1}"
