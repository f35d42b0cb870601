"""Locks between processes, and the lease of a batch."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from chronocast.journal.locks import Lock
from chronocast.run.lease import Leased, take_lease

HOLDER = """
import sys, time
from pathlib import Path
from chronocast.journal.locks import Lock
from chronocast.run.lease import take_lease
held = take_lease(Path(sys.argv[2])) if sys.argv[1] == "lease" else Lock(Path(sys.argv[2]))
assert sys.argv[1] == "lease" or held.take()
print("held", flush=True)
time.sleep(60)
"""


class Locks(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def holder(self, what: str, path: Path) -> subprocess.Popen[str]:
        """Another process that holds a lock until it is killed."""
        other = subprocess.Popen(
            [sys.executable, "-c", HOLDER, what, str(path)], stdout=subprocess.PIPE, text=True
        )

        def end() -> None:
            other.kill()
            other.communicate()

        self.addCleanup(end)
        assert other.stdout is not None
        self.assertEqual(other.stdout.readline().strip(), "held")
        return other

    def test_one_at_a_time_has_it_and_it_can_be_taken_again(self) -> None:
        one, two = Lock(self.folder / "new" / "a.lock"), Lock(self.folder / "new" / "a.lock")
        self.assertTrue(one.take())
        self.assertFalse(two.take())
        one.free()
        self.assertTrue(two.take())
        two.free()
        with one:
            self.assertFalse(two.take())
        self.assertTrue(two.take())

    def test_it_is_free_when_its_holder_is_killed(self) -> None:
        path = self.folder / "a.lock"
        other, mine = self.holder("lock", path), Lock(path)
        self.assertFalse(mine.take())
        other.kill()
        other.wait()
        self.assertTrue(mine.take())

    def test_where_there_can_be_none_it_says_so(self) -> None:
        file = self.folder / "file"
        file.write_text("no folder")
        with self.assertRaises(OSError):
            Lock(file / "a.lock").take()
        self.assertIsNone(take_lease(file / "night.batch.json"), "its batch can still be run")

    def test_a_lease_says_who_has_it_and_ends_with_them(self) -> None:
        batch = self.folder / "night.batch.json"
        other = self.holder("lease", batch)
        with self.assertRaises(Leased) as refused:
            take_lease(batch)
        self.assertIn(f"(process {other.pid})", str(refused.exception))
        other.kill()
        other.wait()
        lease = take_lease(batch)
        assert lease is not None
        with self.assertRaises(Leased) as refused:
            take_lease(batch)
        self.assertIn(f"(process {os.getpid()})", str(refused.exception))
        lease.free()


if __name__ == "__main__":
    unittest.main()
