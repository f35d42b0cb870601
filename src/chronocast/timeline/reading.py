"""Read a timeline file in a process of its own: ``python -m chronocast.timeline.reading PATH [RATE]``.

A parser can be killed by what it reads (very deep nesting overflows its
stack, hostile numbers its memory); this way that costs a sentence, not the
application.
"""

from __future__ import annotations

import gc
import json
import resource
import subprocess
import sys
from pathlib import Path

from pydantic import ValidationError

from chronocast.model.time.timing import Rate
from chronocast.timeline.described import Timeline
from chronocast.timeline.errors import TimelineError

MEMORY_BYTES = 2**30
SECONDS = 60


def read_apart(path: Path, rate: Rate | None = None) -> Timeline:
    """The description of a timeline file, read by another process.

    Raises
    ------
    TimelineError
        It can't be read; the sentence says why.
    """
    command = [sys.executable, "-m", "chronocast.timeline.reading", str(path), *([str(rate)] if rate else [])]
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise TimelineError(f"{path} takes more than {SECONDS} s to read.", "Export it in parts.") from None
    if done.stdout.startswith('{"sentence"'):
        told = json.loads(done.stdout)
        raise TimelineError(told["sentence"], told["remedy"])
    try:
        return Timeline.model_validate_json(done.stdout)
    except ValidationError:
        raise TimelineError(
            f"{path} can't be read: reading it failed (status {done.returncode}).",
            "Export the sequence again.",
        ) from None


def answer(path: Path, rate: Rate | None) -> str:
    """What the process says: the description, or the sentence why not, as JSON."""
    from chronocast.timeline.read import read_timeline

    try:
        return read_timeline(path, rate).model_dump_json()
    except TimelineError as error:
        return json.dumps({"sentence": error.sentence, "remedy": error.remedy})
    except (RecursionError, MemoryError):
        return json.dumps(
            {
                "sentence": f"{path} is too deep or too large to be read.",
                "remedy": "Flatten the sequence and export it again.",
            }
        )


def main() -> None:
    """Read the timeline that standard input names."""
    gc.disable()  # it lives for one file; its memory is limited
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    rate = Rate(sys.argv[2]) if len(sys.argv) > 2 else None
    print(answer(Path(sys.argv[1]), rate))


if __name__ == "__main__":
    main()
