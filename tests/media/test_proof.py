"""A finished file proved by several processes: what they find is what one finds."""

from __future__ import annotations

import json
import subprocess
import sys
import unittest
from dataclasses import asdict, replace
from fractions import Fraction
from hashlib import blake2b
from pathlib import Path
from unittest import mock

import av
from xxhash import xxh3_128

from chronocast.crew.local.proof import proved_checks
from chronocast.media.digest import ASKED
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.files.prove import Found, prove, read_share
from chronocast.media.files.reading import Share, Wanted
from chronocast.model.messages.check import Expected
from tests.footage import counted, folder, tone

FRAMES = 130
FORMS = {
    "mp4": Format(options={"x264-params": "keyint=25:bframes=3", "preset": "veryfast"}),
    "open.mp4": Format(options={"x264-params": "keyint=25:open-gop=1:bframes=3", "preset": "veryfast"}),
    "open.mkv": Format(
        "libx265", options={"x265-params": "keyint=25:open-gop=1:log-level=none", "preset": "fast"}
    ),
    "mxf": Format("mpeg2video", options={"g": "12", "bf": "2"}, bit_rate=3_000_000),
    "ts": Format(options={"x264-params": "keyint=25:open-gop=1:bframes=3", "preset": "veryfast"}),
    "mov": Format("prores_ks", "yuv422p10le", {"profile": "0"}),
    "one.mp4": Format(options={"x264-params": "keyint=infinite", "preset": "veryfast"}),
}
OLDER = "0" * 32
"""In place of a digest of a kind that pieces had before."""
RUNS = ((40, ASKED), (1, OLDER), (10, ""), (50, ASKED))


def film(ending: str) -> Path:
    path = folder() / f"film.{ending}"
    sound = None if ending == "mxf" else tone(FRAMES / 25)
    write_footage(str(path), counted(5, FRAMES), Fraction(25), quality=24, sound=sound, form=FORMS[ending])
    return path


def shared(path: Path, count: int) -> Found:
    wanted = Wanted(True, RUNS)
    parts = [read_share(str(path), None, wanted, Share(number, count)) for number in range(1, count)]
    return prove(str(path), luma=True, runs=RUNS, share=Share(0, count), others=lambda: parts)


def expected(path: Path, codec: str = "h264") -> Expected:
    return Expected(FRAMES, 320, 180, "25", codec, path.suffix[1:], "aac", FRAMES * 1920, 48000, 2)


class Shared(unittest.TestCase):
    def test_every_picture_is_decoded_once_by_somebody_and_all_is_found_that_one_process_finds(self) -> None:
        for ending in FORMS:
            path = film(ending)
            alone = prove(str(path), luma=True, runs=RUNS)
            self.assertEqual(alone.frames, FRAMES)
            self.assertEqual(len(alone.digests), len(RUNS))
            for count in (2, 3):
                with self.subTest(ending=ending, count=count):
                    found = shared(path, count)
                    # a decoder that begins in an open group may complain: then one process has the last word
                    self.assertEqual(asdict(replace(found, complaints=(), processes=1)), asdict(alone))
                    self.assertEqual(found.processes, count)

    def test_digests_of_both_kinds_are_made_each_over_what_its_run_decodes_to(self) -> None:
        path = film("mp4")
        with av.open(str(path)) as container:
            samples = [picture.to_ndarray().tobytes() for picture in container.decode(video=0)]
        new = xxh3_128(b"".join(xxh3_128(one).digest() for one in samples[:40])).hexdigest()
        older = [blake2b(one, digest_size=16).digest() for one in samples[40:41]]
        old = blake2b(b"".join(older), digest_size=16).hexdigest()
        rest = xxh3_128(b"".join(xxh3_128(one).digest() for one in samples[51:101])).hexdigest()
        found = prove(str(path), runs=RUNS).digests
        self.assertEqual(found, ("xxh128:" + new, old, "", "xxh128:" + rest))

    def test_processes_of_their_own_prove_a_file_and_say_how_far_they_are(self) -> None:
        path, told = film("open.mp4"), list[int]()
        checks, size = proved_checks(str(path), expected(path), told.append, hands=2)
        self.assertEqual([check for check in checks if not check.ok], [])
        self.assertEqual(size, path.stat().st_size)
        path = film("mp4")
        checks, _ = proved_checks(str(path), expected(path), hands=2)
        self.assertEqual(checks[0].proof, "2 fresh processes decoded it")
        self.assertEqual(told[-1], FRAMES)

    def test_one_process_does_it_where_no_more_can_be_begun(self) -> None:
        path = film("mp4")
        with mock.patch("os.fork", side_effect=BlockingIOError(11, "no more processes")):
            checks, _ = proved_checks(str(path), expected(path), hands=2)
        self.assertEqual([check for check in checks if not check.ok], [])

    def test_damage_is_found_whoever_meets_it(self) -> None:
        path = film("mp4")
        whole = bytearray(path.read_bytes())
        middle = whole.rindex(b"mdat") + (len(whole) * 2) // 5
        whole[middle : middle + 400] = bytes(400)
        path.write_bytes(whole)
        for hands in (1, 2):
            checks, _ = proved_checks(str(path), expected(path), hands=hands)
            self.assertIn("opens and decodes", [check.name for check in checks if not check.ok])

    def test_a_file_that_ends_early_has_too_few_pictures_for_everybody(self) -> None:
        path = film("ts")
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
        self.assertEqual(prove(str(path)).frames, shared(path, 2).frames)

    def test_the_command_line_s_proof_is_shared_as_well(self) -> None:
        path = film("mp4")
        order = json.dumps({"path": str(path), "expected": asdict(expected(path))})
        done = subprocess.run(
            [sys.executable, "-m", "chronocast.crew.local.proof"],
            input=order,
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertTrue(all(check["ok"] for check in json.loads(done.stdout)), done.stdout)


if __name__ == "__main__":
    unittest.main()
