"""Levels as streams code them: tenths in H.264 (9 for 1b), thirtieths in HEVC, a table in MPEG-2.

Sources: Rec. ITU-T H.264 (08/2021) A.3, H.265 (08/2021) A.4, ISO/IEC 13818-2 table 8-3 and 8.5.
"""

from __future__ import annotations

from fractions import Fraction

_MPEG2 = {"low": 10, "main": 8, "high1440": 6, "high": 4}
_MPEG2_422 = {"main": 5, "high": 2}
"""Of the 4:2:2 profile."""
_TENTHS, _THIRTIETHS = 10, 30
_1B = 9


def level_code(codec: str, level: str, profile: str = "") -> int:
    """A level as the stream codes it; 0 where its codec has none.

    Parameters
    ----------
    codec
        As the libraries call its stream.
    level
        As its standard writes it.
    profile
        As its standard writes it.

    >>> level_code("h264", "4.1"), level_code("hevc", "4.1"), level_code("mpeg2video", "main", "4:2:2")
    (41, 123, 5)
    """
    if codec == "mpeg2video":
        return (_MPEG2_422 if profile == "4:2:2" else _MPEG2).get(level, 0)
    if level == "1b":
        return _1B
    return int(Fraction(level) * (_THIRTIETHS if codec == "hevc" else _TENTHS))


def level_name(codec: str, code: int) -> str | None:
    """A level as people say it, from the stream's code; None where it says none.

    >>> level_name("h264", 41), level_name("hevc", 120), level_name("mpeg2video", 8), level_name("h264", 0)
    ('4.1', '4', 'main', None)
    """
    if code <= 0:
        return None
    if codec == "mpeg2video":
        return {value: name for names in (_MPEG2, _MPEG2_422) for name, value in names.items()}.get(code)
    if codec == "h264" and code == _1B:
        return "1b"
    if codec not in ("h264", "hevc"):
        return None
    return f"{code / (_THIRTIETHS if codec == 'hevc' else _TENTHS):.1f}".removesuffix(".0")
