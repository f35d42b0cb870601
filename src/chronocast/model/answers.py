"""What is answered as JSON, and what lies in a journal as JSON."""

from __future__ import annotations

from typing import Any, TypeAlias

Answer: TypeAlias = dict[str, Any]
"""A JSON object on its way out to a file or a terminal, or just read; never what one function tells another."""
