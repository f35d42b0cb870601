"""What became of some of a piece's pictures: decoded again and held against those that the encoder was given."""

from __future__ import annotations

from collections.abc import Iterator

import av

from chronocast.media.picture.likeness import Likeness, likeness


class Sample:
    """``Sample(every)``: keeps every so many of the pictures that an encoder is given; 0 keeps none."""

    def __init__(self, every: int) -> None:
        self.every = every
        self.kept: dict[int, av.VideoFrame] = {}

    def see(self, number: int, picture: av.VideoFrame) -> None:
        """A picture goes to the encoder, its number counted from 0."""
        if self.every and number % self.every == 0:
            self.kept[number] = picture

    def measured(self, path: str) -> dict[int, Likeness]:
        """How like the pictures of a finished piece are to those that were kept, by their numbers.

        Parameters
        ----------
        path
            The piece's file.
        """
        numbers: list[int] = []

        def pairs() -> Iterator[tuple[av.VideoFrame, av.VideoFrame]]:
            with av.open("file:" + path) as container:
                for number, made in enumerate(container.decode(container.streams.video[0])):
                    if number in self.kept:
                        numbers.append(number)
                        yield self.kept[number], made

        if not self.kept:
            return {}
        told = likeness(pairs())
        return dict(zip(numbers, told, strict=True))
