"""Pixels that aren't square, in Matroska: said in the file whatever else stands at its beginning, and everything is where it says."""

from __future__ import annotations

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import av

from chronocast.media.files.footage import Format, write_footage
from chronocast.media.files.join import join
from chronocast.media.files.matroska import SEEK, SEEK_HEAD, SEEK_POSITION, SEGMENT, elements
from chronocast.model.messages.jobs import JoinJob
from tests.footage import counted

SEEK_ID = 0x53AB


def positions(data: bytes) -> list[tuple[int, int]]:
    """What is said to lie where in a file, and what does: element ids."""
    segment = next(part for part in elements(data, 0, len(data)) if part.id == SEGMENT)
    index = next(part for part in elements(data, segment.data, len(data)) if part.id == SEEK_HEAD)
    found = []
    for seek in elements(data, index.data, index.end):
        if seek.id == SEEK:
            told = {
                item.id: int.from_bytes(data[item.data : item.end], "big")
                for item in elements(data, seek.data, seek.end)
            }
            there = next(iter(elements(data, segment.data + told[SEEK_POSITION], len(data))))
            found.append((told[SEEK_ID], there.id))
    return found


class PixelShape(unittest.TestCase):
    def test_it_is_said_whatever_the_title_s_length(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            piece, target = Path(held) / "piece.mp4", Path(held) / "film.mkv"
            write_footage(
                str(piece),
                counted(3, 2, 180, 96),
                Fraction(24),
                quality=20,
                form=Format(codec="ffv1", pixel_format="yuv422p", pixel_aspect=Fraction(16, 15)),
            )
            for length in [*range(90), 2000]:  # what lies where takes one byte to say, then two
                join(
                    JoinJob(
                        name="film",
                        target=str(target),
                        container="mkv",
                        rate="24",
                        pieces=((str(piece), 2),),
                        sound=None,
                        title="t" * length,
                        codec="ffv1",
                        stem="film",
                        shape=Fraction(16, 15),
                    )
                )
                with av.open(str(target)) as made:
                    self.assertEqual(made.streams.video[0].sample_aspect_ratio, Fraction(16, 15), length)
                    self.assertEqual(sum(1 for _ in made.decode(video=0)), 2)
                for told, there in positions(target.read_bytes()):
                    self.assertEqual(told, there, length)


if __name__ == "__main__":
    unittest.main()
