"""The kernel with the search for divisions by zero taken out: what carrying the origin of errors costs."""

import importlib.util
import re
import sys
from pathlib import Path

from widefork.core.engine import kernel


def kernel_without_origins(folder):
    """Return the kernel module compiled from the same source, but dividing without looking."""
    text = Path(kernel.__file__).read_text("utf-8")
    checked = re.compile(r"( +)zeros = 0\n.*?(?=\n    elif op == LEAST:)", re.DOTALL)
    assert len(checked.findall(text)) == 1
    plain = checked.sub(r"\1for i in range(n):\n\1    out[i] = x[i] / y[i]", text)
    path = Path(folder) / "kernel_without_origins.py"
    path.write_text(plain, "utf-8")
    spec = importlib.util.spec_from_file_location("kernel_without_origins", path)
    module = importlib.util.module_from_spec(spec)
    sys.modules["kernel_without_origins"] = module
    spec.loader.exec_module(module)
    return module
