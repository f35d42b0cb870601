"""Colour as files tag it: primaries, transfer, matrix, range, as codes of ITU-T H.273 (range: 1 limited, 2 full)."""

from __future__ import annotations

from collections.abc import Iterable

Colour = tuple[int, int, int, int]

UNTAGGED: Colour = (2, 2, 2, 0)
BT709: Colour = (1, 1, 1, 1)
BT601_625: Colour = (5, 6, 6, 1)
BT601_525: Colour = (6, 6, 6, 1)
BT2020: Colour = (9, 14, 9, 1)
PQ, HLG = 16, 18
RGB_MATRIX = 0

_SD_LINES = 576
_MATRICES = {1: "BT.709", 4: "FCC", 5: "BT.601", 6: "BT.601", 7: "SMPTE 240M", 9: "BT.2020", 10: "BT.2020"}
_WIDE = {9}


def read_tags(tags: Iterable[str]) -> Colour:
    """Tags as inspection wrote them; what is not a number counts as untagged."""
    found = [int(tag) if tag.isdigit() else 2 for tag in tags]
    if len(found) != 4:
        return UNTAGGED
    return found[0], found[1], found[2], found[3] if found[3] in (1, 2) else 0


def assumed(tags: Colour, height: int, pixel_format: str = "") -> Colour:
    """Tags with what is not said filled in as players do: up to 576 lines BT.601, above BT.709; limited range.

    RGB pictures have full range and no matrix.

    Parameters
    ----------
    tags
        Code points as the stream has them.
    height
        Of the frame, in pixels.
    pixel_format
        By the libraries' name.
    """
    if pixel_format.startswith(("rgb", "bgr", "gbr", "argb", "abgr", "pal8")):
        return (tags[0] if tags[0] != 2 else 1, tags[1] if tags[1] != 2 else 1, RGB_MATRIX, 2)
    usual = BT709 if height > _SD_LINES else (BT601_525 if height <= 486 else BT601_625)
    known = [mine if mine != 2 else theirs for mine, theirs in zip(tags[:3], usual[:3], strict=True)]
    if tags[2] == 2 and tags[0] in (1, 9):  # primaries said, matrix not: they go together
        known[2] = tags[0]
    whole = tags[3] or (2 if pixel_format.startswith("yuvj") else 1)
    return known[0], known[1], known[2], whole


def same_look(one: Colour, other: Colour) -> bool:
    """Whether pictures of both can be taken as they are: matrix and range alike, no wide gamut against a normal one."""
    return (
        _MATRICES.get(one[2]) == _MATRICES.get(other[2])
        and one[3] == other[3]
        and (one[0] in _WIDE) == (other[0] in _WIDE)
        and (one[2] == RGB_MATRIX) == (other[2] == RGB_MATRIX)
    )


def tags_for(tags: Colour, composed: Colour, height: int) -> Colour:
    """What an output of that height is tagged with: as its source is, unless that would be misread.

    What a source leaves unsaid stays unsaid only where players take the output
    for what it is; a small picture of a large source would be taken for BT.601.

    Parameters
    ----------
    tags
        Code points as the stream has them.
    composed
        What pictures are composed in.
    height
        Of the frame, in pixels.
    """
    if 2 not in tags[:3] or same_look(assumed((*tags[:3], composed[3]), height), composed):
        return tags
    return composed


_SAME_CURVE = {6: 1, 14: 1, 15: 1}
_SAME_MATRIX = {5: 6}


def same_tags(one: Colour, other: Colour) -> bool:
    """Whether two tags mean the same: H.273 has several codes for one curve and for one matrix."""

    def plain(tags: Colour) -> Colour:
        return tags[0], _SAME_CURVE.get(tags[1], tags[1]), _SAME_MATRIX.get(tags[2], tags[2]), tags[3] or 1

    return plain(one) == plain(other)


def is_wide(colour: Colour) -> bool:
    """Whether its primaries are BT.2020's."""
    return colour[0] in _WIDE


def high_range(colour: Colour) -> str:
    """*PQ* or *HLG* for pictures of high dynamic range, else nothing."""
    return {PQ: "PQ", HLG: "HLG"}.get(colour[1], "")


def told(colour: Colour) -> str:
    """In words: ``BT.709, limited range``."""
    matrix = "RGB" if colour[2] == RGB_MATRIX else _MATRICES.get(colour[2], "colour untagged")
    high = high_range(colour)
    return f"{matrix}{' ' + high if high else ''}, {'full' if colour[3] == 2 else 'limited'} range"
