"""What files are called: a pattern of words and tokens, filled in for each output."""

from __future__ import annotations

import re
from dataclasses import dataclass

from chronocast.model.errors import ModelError

TOKENS = {
    "source": "the source's name",
    "range": "the range's name; nothing for the whole",
    "recipe": "the recipe's short name",
    "version": "the batch's version, as v1",
    "counter": "the output's number in the batch",
    "date": "the day that was set for the batch, as 2026-11-25",
}
USUAL = "{source} - {range} - {recipe}"
LONGEST = 200
_PART = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True)
class Pattern:
    """A pattern in parts: (words before a token, the token), and the words after the last."""

    parts: tuple[tuple[str, str], ...]
    rest: str

    def filled(self, values: dict[str, str]) -> str:
        """The name for one output; where a token says nothing, the words before it go too.

        >>> read_pattern("{source} - {range} - {recipe}").filled({"source": "Reef", "recipe": "web"})
        'Reef - web'
        """
        made, begun = "", False
        for words, token in self.parts:
            value = values.get(token, "")
            if value:
                made += (words if begun or not _joins(words) else "") + value
                begun = True
            elif not begun and words and not _joins(words):
                made, begun = made + words, True
        return made + self.rest


def _joins(words: str) -> bool:
    """Whether words only join what is around them: spaces, dashes, dots, underscores."""
    return not re.search(r"[^\s\-_.,·]", words)


def read_pattern(text: str) -> Pattern:
    """A pattern from its text.

    Raises
    ------
    ModelError
        A token that isn't one, a brace left open, a separator of folders, nothing or too much.
    """
    known = ", ".join(f"{{{token}}}" for token in TOKENS)
    if not text.strip():
        raise ModelError("The pattern for names is empty.", f"Use words and tokens: {known}.")
    if len(text) > LONGEST:
        raise ModelError(f"The pattern for names is {len(text)} characters long.", f"Use at most {LONGEST}.")
    if "/" in text or "\\" in text:
        raise ModelError(
            "A pattern names files, not folders: it can't hold / or \\.", "Choose the target folder instead."
        )
    parts, at = [], 0
    for found in _PART.finditer(text):
        token = found[1].strip().lower()
        if token not in TOKENS:
            raise ModelError(f"“{{{found[1]}}}” is no token.", f"There are: {known}.")
        parts.append((text[at : found.start()], token))
        at = found.end()
    if "{" in _PART.sub("", text) or "}" in _PART.sub("", text):
        raise ModelError(
            "The pattern has a { or } without its other half.", f"Tokens are written like {known}."
        )
    return Pattern(tuple(parts), text[at:])
