"""Language codes of tracks: ISO 639-2 has two for some languages, one by its own name and one by the English one."""

from __future__ import annotations

_ENGLISH = {
    "sqi": "alb",
    "hye": "arm",
    "eus": "baq",
    "mya": "bur",
    "zho": "chi",
    "ces": "cze",
    "nld": "dut",
    "fra": "fre",
    "kat": "geo",
    "deu": "ger",
    "ell": "gre",
    "isl": "ice",
    "mkd": "mac",
    "mri": "mao",
    "msa": "may",
    "fas": "per",
    "ron": "rum",
    "slk": "slo",
    "bod": "tib",
    "cym": "wel",
}
_OWN = {english: own for own, english in _ENGLISH.items()}


def own_code(code: str) -> str:
    """The code by the language's own name; *und* for none.

    >>> own_code("ger"), own_code("eng"), own_code("")
    ('deu', 'eng', 'und')
    """
    return _OWN.get(code, code) or "und"


def written_code(code: str, container: str) -> str:
    """The code a container knows: MOV's own table has most languages by their English names."""
    return code if container != "mov" or code == "fra" else _ENGLISH.get(code, code)
