"""Spoilt timeline files, from a seed, read one by one in processes that may die."""

from __future__ import annotations

import json
import os
import random
import resource
import signal
import sys
import tempfile
import time
from collections import Counter
from fractions import Fraction
from pathlib import Path
from typing import Any

SECONDS, MEMORY = 2, 2**30
NUMBERS: tuple[Any, ...] = (
    0,
    -1,
    1,
    1e308,
    -1e308,
    float("nan"),
    float("inf"),
    10**30,
    0.1,
    1e-300,
    2**63,
    -(2**63),
    25.0,
    29.97,
    "25",
    None,
    [],
    {},
)
STRINGS = (
    "",
    "\x00",
    "../" * 40,
    "/etc/passwd",
    "file:///",
    "http://nowhere/x.mp4",
    "a" * 5000,
    "🐟",
    "Clip.1",
    "Stack.1",
    "%s%n%d",
    "Track.1",
    "Gap.1",
)


def spoil_tree(value: Any, dice: random.Random) -> Any:
    """A document with a few of its values, keys or branches changed."""
    nodes: list[tuple[Any, Any]] = []

    def walk(node: Any) -> None:
        items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
        for key, inner in items:
            nodes.append((node, key))
            walk(inner)

    walk(value)
    for _ in range(dice.choice((1, 1, 2, 5))):
        owner, key = dice.choice(nodes)
        try:
            present = owner[key]
        except (KeyError, IndexError):
            continue
        act = dice.randrange(7)
        if act == 0:
            owner[key] = dice.choice(NUMBERS)
        elif act == 1:
            owner[key] = dice.choice(STRINGS)
        elif act == 2 and isinstance(owner, dict):
            del owner[key]
        elif act == 3 and isinstance(owner, list):
            owner[key:key] = [present] * dice.choice((1, 2, 50))
        elif act == 4:
            owner[key] = json.loads(json.dumps(dice.choice(nodes)[0]))
        elif act == 5 and isinstance(present, int | float):
            owner[key] = present * dice.choice((-1, 0, 1e6, 1e-6, 1e15))
        elif isinstance(present, dict):
            for _ in range(dice.choice((5, 60, 250))):
                present = {"OTIO_SCHEMA": "Stack.1", "children": [present], "name": "n", "metadata": {}}
            owner[key] = present
    return value


def spoil_bytes(data: bytes, dice: random.Random) -> bytes:
    """Bytes with some of them changed, cut, doubled or in another encoding."""
    act = dice.randrange(6)
    at = dice.randrange(max(1, len(data)))
    if act == 0:
        return data[:at]
    if act == 1:
        return data[:at] + bytes([dice.randrange(256)]) + data[at + 1 :]
    if act == 2:
        return data[:at] + data[at : at + 200] * dice.choice((2, 20)) + data[at:]
    if act == 3:
        return data[:at] + data[at + dice.randrange(100) :]
    if act == 4:
        return data.decode("utf-8", "replace").encode(dice.choice(("utf-16", "utf-32", "latin-1")), "replace")
    return (
        data[:at]
        + dice.choice((b"[" * 5000, b'{"a":' * 400, b"\x00" * 50, b'"', b"\\", b"99999999999999999999"))
        + data[at:]
    )


def document(seed: int, seeds: list[tuple[str, bytes]]) -> tuple[str, bytes]:
    """The spoilt document of a number: its ending and its bytes."""
    dice = random.Random(seed)
    sys.setrecursionlimit(20_000)  # for writing them; reading has its own
    name, data = dice.choice(seeds)
    ending = Path(name).suffix
    if ending == ".otio" and dice.random() < 0.7:
        data = json.dumps(spoil_tree(json.loads(data), dice)).encode()
    else:
        for _ in range(dice.choice((1, 1, 3))):
            data = spoil_bytes(data, dice)
    return ending, data


def read_all(path: Path) -> None:
    """What the application does with a timeline file: read it, lay it out with media of some facts, plan an output."""
    from chronocast.model.errors import ChronocastError
    from chronocast.model.recipe.supplied import BASIC
    from chronocast.model.source.facts import ClipFacts, SoundFacts
    from chronocast.model.time.timing import FrameRange
    from chronocast.pieces.plan import plan_output
    from chronocast.timeline.layout import sequence_cut_list
    from chronocast.timeline.read import read_timeline

    def facts(name: str) -> ClipFacts:
        return ClipFacts(
            name,
            "mark",
            10**6,
            5000,
            Fraction(25),
            640,
            360,
            Fraction(1),
            "progressive",
            "h264",
            "yuv420p",
            (SoundFacts("aac", 2, 48000),),
            200.0,
            40_000,
            "10:00:00:00",
        )

    try:
        timeline = read_timeline(path, Fraction(25))
        cut, _ = sequence_cut_list(timeline, {name: facts(name) for name in [*timeline.media, ""]})
        if cut.frames < 200_000:
            plan_output(cut, FrameRange(0, cut.frames), BASIC[1])
    except ChronocastError as error:
        if not str(error).strip():
            raise AssertionError("refused without a sentence") from None
        os._exit(1)
    os._exit(0)


def run(first: int, count: int, seeds: list[tuple[str, bytes]]) -> Counter[str]:
    """Read ``count`` spoilt documents; how many were read, refused, and what went wrong with which."""
    import chronocast.timeline.read  # noqa: F401 - once, before the processes are made

    found: Counter[str] = Counter()
    folder = Path(tempfile.mkdtemp())
    for number in range(first, first + count):
        ending, data = document(number, seeds)
        path = folder / f"spoilt{ending}"
        path.write_bytes(data)
        process = os.fork()
        if process == 0:
            try:
                resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
                resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
                resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS + 1))
                os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
                read_all(path)
            except BaseException as error:
                Path(str(path) + ".why").write_text(repr(error)[:300])
                os._exit(3)
        begin = time.monotonic()
        while True:
            done, status = os.waitpid(process, os.WNOHANG)
            if done:
                break
            if (
                time.monotonic() - begin > SECONDS * 8
            ):  # the limit is on its own time; this is for one that sleeps
                os.kill(process, signal.SIGKILL)
            time.sleep(0.0005)
        code = os.waitstatus_to_exitcode(status)
        if code == 3:
            found[f"wrong: {number}: {Path(str(path) + '.why').read_text()}"] += 1
        else:
            found[{0: "read", 1: "refused"}.get(code, f"died: {number}: status {code}")] += 1
    return found
