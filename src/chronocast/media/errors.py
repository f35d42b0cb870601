"""What can go wrong with media, in sentences."""

from __future__ import annotations

from chronocast.model.errors import ChronocastError


class MediaError(ChronocastError):
    """A media file that can't be read, or a picture or sound that can't be made."""


class NotMedia(MediaError):
    """No media file: empty, of another kind, missing or not readable."""


class DecodeFailed(MediaError):
    """A media file that stops being readable somewhere.  ``frame`` is where, counted from 0."""

    def __init__(self, sentence: str, remedy: str = "", frame: int | None = None) -> None:
        super().__init__(sentence, remedy)
        self.frame = frame


class EncodeFailed(MediaError):
    """The encoder refused its settings or gave up."""


class JoinFailed(MediaError):
    """Pieces that don't fit together."""
