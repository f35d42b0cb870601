"""What no linter checks: tests of the interface use it as people do, and the core says what its parameters are."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

HERE = Path(__file__).parent
SOURCE = HERE.parent / "src" / "chronocast"
FACES = ("cli", "ui", "demo")
Function = ast.FunctionDef | ast.AsyncFunctionDef


def private_uses(path: Path) -> Iterator[str]:
    """Places where a private attribute of something else is used."""
    for node in ast.walk(ast.parse(path.read_text())):
        if not isinstance(node, ast.Attribute) or not node.attr.startswith("_") or node.attr.startswith("__"):
            continue
        if not (isinstance(node.value, ast.Name) and node.value.id in ("self", "cls")):
            yield f"{path}:{node.lineno}: {node.attr} is private; drive the window by mouse and keyboard"


def parameters_of(function: Function) -> list[str]:
    """Names of its parameters, without the object's own."""
    known = function.args
    names = [item.arg for item in (*known.posonlyargs, *known.args, *known.kwonlyargs)]
    return [name for name in names if name not in ("self", "cls")]


def unsaid_parameters(path: Path) -> Iterator[str]:
    """Public functions with more than two parameters whose docstring doesn't say what each of them is."""
    for node in ast.walk(ast.parse(path.read_text())):
        if not isinstance(node, Function) or node.name.startswith("_"):
            continue
        names = parameters_of(node)
        said = (ast.get_docstring(node) or "").partition("Parameters\n----------\n")[2]
        lines = {name for line in said.splitlines() if line[:1].strip() for name in line.split(", ")}
        if len(names) > 2 and (missing := [name for name in names if name not in lines]):
            yield f"{path}:{node.lineno}: {node.name} doesn't say what {', '.join(missing)} is"


def main() -> int:
    found = [line for path in sorted((HERE / "ui").glob("*.py")) for line in private_uses(path)]
    for path in sorted(SOURCE.rglob("*.py")):
        if path.relative_to(SOURCE).parts[0] not in FACES:
            found += unsaid_parameters(path)
    print("\n".join(found) or "No private calls from tests/ui; every parameter of the core is explained.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
