"""What can go wrong with media, in sentences."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from chronocast.model.errors import ChronocastError
from chronocast.model.paths import shown


class MediaError(ChronocastError):
    """A media file that can't be read, or a picture or sound that can't be made."""


class NotMedia(MediaError):
    """No media file: empty, of another kind, missing or not readable."""


class MediaGone(NotMedia):
    """A media file whose folder is missing too: its drive was unplugged, or its share isn't mounted."""


DAMAGE_REMEDY = "Copy it again from where it came from, leave that part out, or accept it as it is."


class DamagedPicture(NamedTuple):
    """What a decoder said of a picture: its file, its number in the file, the sentence."""

    path: str
    number: int
    said: str


class SourceDamaged(MediaError):
    """Pictures that a piece shows are damaged, and nobody has accepted that.  ``pictures`` are which."""

    def __init__(self, pictures: Sequence[DamagedPicture]) -> None:
        path, number, said = pictures[0]
        more = f", and {len(pictures) - 1} more" if len(pictures) > 1 else ""
        super().__init__(f"{shown(path)} is damaged at picture {number + 1}{more} ({said}).", DAMAGE_REMEDY)
        self.pictures = tuple(pictures)


class DeviceFailed(MediaError):
    """A hardware encoder, or its driver, didn't do what it was asked; software can."""


class SoundDamaged(MediaError):
    """Sound that an output needs can't be decoded, and nobody has accepted that."""

    def __init__(self, complaints: Sequence[str]) -> None:
        more = f", and at {len(complaints) - 1} more places" if len(complaints) > 1 else ""
        super().__init__(f"The source's sound is damaged at {complaints[0]}{more}.", DAMAGE_REMEDY)


class DecodeFailed(MediaError):
    """A media file that stops being readable somewhere.  ``frame`` is where, counted from 0."""

    def __init__(self, sentence: str, remedy: str = "", frame: int | None = None) -> None:
        super().__init__(sentence, remedy)
        self.frame = frame


class EncodeFailed(MediaError):
    """The encoder refused its settings or gave up."""


class JoinFailed(MediaError):
    """Pieces that don't fit together."""
