"""Graphs of filters: one picture for one, filters with memory, sound, times, and what readers leave open."""

from __future__ import annotations

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.error import FFmpegError

from chronocast.media.filter_graph import Filter, FilterGraph, time_in_ticks
from chronocast.media.matrices import MATRICES
from chronocast.media.source.readers import Readers
from tests.footage import clip, counter_at


def grey(value: int, width: int = 64, height: int = 32) -> av.VideoFrame:
    return av.VideoFrame.from_ndarray(np.full((height, width), value, np.uint8), format="gray")


class Graphs(unittest.TestCase):
    def test_each_picture_comes_out_as_the_chain_says(self) -> None:
        graph = FilterGraph.of_pictures(grey(0), [Filter("negate"), Filter("crop", "16:8:0:0")])
        for value in (0, 40, 255):
            made = graph.one(grey(value))
            self.assertEqual((made.width, made.height), (16, 8))
            self.assertEqual(int(made.to_ndarray()[0, 0]), 255 - value)

    def test_a_filter_with_memory_gives_what_it_has_when_it_has_it(self) -> None:
        graph = FilterGraph.of_pictures(grey(0), [Filter("tblend", "all_mode=average")], Fraction(1, 25))
        graph.push(grey(10), 0)
        self.assertEqual(list(graph.made()), [])
        graph.push(grey(30), 1)
        (made,) = graph.made()
        self.assertEqual(int(made.to_ndarray()[0, 0]), 20)
        self.assertEqual(time_in_ticks(made, Fraction(1, 50)), 2)
        graph.end()
        self.assertEqual(list(graph.made()), [])

    def test_colour_is_said_to_filters_once_and_not_by_each_picture(self) -> None:
        frame = av.VideoFrame.from_ndarray(np.zeros((32, 64, 3), np.uint8), format="rgb24").reformat(
            format="yuv420p"
        )
        frame.colorspace, frame.color_range = 9, 2
        graph = FilterGraph.of_pictures(frame, [Filter("null")])
        self.assertEqual(int(graph.one(frame).colorspace), 2)

    def test_a_chain_that_cannot_be_is_the_libraries_error(self) -> None:
        for chain in ([Filter("no such filter")], [Filter("crop", "9999:9999")]):
            with self.assertRaises((FFmpegError, ValueError)):
                FilterGraph.of_pictures(grey(0), chain)

    def test_sound_goes_through_and_what_is_measured_comes_with_it(self) -> None:
        path = clip(Path(tempfile.mkdtemp()) / "a.mp4", 170, 60)
        told: dict[str, str] = {}
        with av.open(str(path)) as container:
            stream = container.streams.audio[0]
            graph = FilterGraph.of_sound(stream, [Filter("ebur128", "metadata=1")])
            for frame in container.decode(stream):
                graph.push_sound(frame)
                for made in graph.made():
                    told.update(made.metadata)
            graph.end()
        self.assertIn("lavfi.r128.I", told)

    def test_every_matrix_is_one_that_filters_know(self) -> None:
        frame = av.VideoFrame.from_ndarray(np.zeros((32, 64, 3), np.uint8), format="rgb24").reformat(
            format="yuv444p"
        )
        for matrix in MATRICES.values():
            graph = FilterGraph.of_pictures(frame, [Filter("scale", f"in_color_matrix={matrix.filters}")])
            self.assertEqual(graph.one(frame).width, 64)
            self.assertIn(matrix.scaler, av.video.reformatter.Colorspace.__members__)


class OpenReaders(unittest.TestCase):
    def test_films_are_given_back_at_the_end_and_the_oldest_before(self) -> None:
        folder = Path(tempfile.mkdtemp())
        films = [clip(folder / f"{n}.mp4", 171 + n, 20, sound=False) for n in range(3)]
        with Readers(most=2) as readers:
            for number, film in enumerate(films):
                self.assertEqual(counter_at(readers.reader(str(film)), 7), (171 + number, 7))
            last = readers.reader(str(films[2]))
            self.assertIs(readers.reader(str(films[2])), last)
            self.assertIsNot(readers.source(str(films[2]), use=1), last, "two layers read it by two")
            kept = readers.reader(str(films[1]))
            kept.frame(3)
            self.assertIsNotNone(kept._stream)
        self.assertIsNone(kept._stream)

    def test_what_is_said_while_a_film_is_opened_is_about_none_of_its_pictures(self) -> None:
        folder = Path(tempfile.mkdtemp())
        data = clip(folder / "whole.ts", 6, 120, options={"g": "30"}).read_bytes()
        film = folder / "begins anywhere.ts"
        for share in (2, 3, 5, 7):
            film.write_bytes(data[len(data) * share // 10 // 188 * 188 :])
            with Readers(listen=True) as readers:
                readers.reader(str(film)).frame(0)
                self.assertEqual(readers.complaints(), {}, share)


if __name__ == "__main__":
    unittest.main()
