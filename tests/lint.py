"""Tests of the interface use it as people do: no private names of other objects in ``tests/ui``."""

from __future__ import annotations

import ast
import sys
from pathlib import Path


def private_uses(path: Path) -> list[str]:
    """Places where a private attribute of something else is used."""
    found = []
    for node in ast.walk(ast.parse(path.read_text())):
        if not isinstance(node, ast.Attribute) or not node.attr.startswith("_") or node.attr.startswith("__"):
            continue
        own = isinstance(node.value, ast.Name) and node.value.id in ("self", "cls")
        if not own:
            found.append(
                f"{path}:{node.lineno}: {node.attr} is private; drive the window by mouse and keyboard"
            )
    return found


def main() -> int:
    found = [
        line for path in sorted((Path(__file__).parent / "ui").glob("*.py")) for line in private_uses(path)
    ]
    print("\n".join(found) if found else "No private calls from tests/ui.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
