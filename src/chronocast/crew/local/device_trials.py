"""Hardware encoders tried, each in a process of its own: a driver that hangs is ended, and takes nothing with it.

One process loads what a trial needs and forks another for each, device by
device: loading takes longer than most trials.
"""

from __future__ import annotations

import contextlib
import json
import os
import selectors
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from chronocast.journal.workspace import Workspace
from chronocast.media.device_trial import decoder_families, film_to_decode, try_decoder, try_encoder
from chronocast.media.encoders.registry import ENCODERS
from chronocast.model.device import TriedDecoder, TriedEncoder
from chronocast.model.garbage import collect_seldom
from chronocast.preparation.station.devices import all_as_tried, devices_known, driver_of, marks

DECODING = "decoding by "
MOST_SECONDS = 60.0
"""An encoder that isn't done trying by then hangs."""
NOTHING: Mapping[str, Any] = {"trouble": "trying it ended its process"}


def hardware_encoders() -> tuple[str, ...]:
    """Names of all hardware encoders that are known here, device by device."""
    return tuple(encoder.name for encoder in ENCODERS.values() if encoder.on is not None)


class DeviceTrials:
    """``DeviceTrials(say, seconds)``: ``carry_out`` tries them; ``end`` leaves at once, from another thread.

    Parameters
    ----------
    say
        Told which encoder is being tried.
    seconds
        How long each has.
    """

    def __init__(self, say: Callable[[str], None] = lambda _: None, seconds: float = MOST_SECONDS) -> None:
        self._say, self._seconds = say, seconds
        self._process: subprocess.Popen[str] | None = None
        self._one_by_one = threading.Lock()
        self.ended = False

    def carry_out(self) -> tuple[tuple[TriedEncoder, ...], tuple[TriedDecoder, ...]]:
        """Try every hardware encoder, and every way to decode in hardware: what was found of each."""
        # encoders of one device one after another, or they would slow each other down; devices side by side
        families: dict[str, list[str]] = {}
        for name in hardware_encoders():
            on = ENCODERS[name].on
            assert on is not None
            families.setdefault(on.family, []).append(name)
        decoders = decoder_families()
        found = self._found([*families.values(), [DECODING + family for family in decoders]])
        return (
            tuple(_encoder(name, found.get(name, NOTHING)) for names in families.values() for name in names),
            tuple(_decoder(family, found.get(DECODING + family, NOTHING)) for family in decoders),
        )

    def end(self) -> None:
        """Leave it; what wasn't tried yet counts for nothing."""
        with self._one_by_one:
            self.ended = True
            if self._process is not None and self._process.poll() is None:
                _end_tree(self._process.pid)

    def _found(self, groups: Sequence[Sequence[str]]) -> dict[str, dict[str, Any]]:
        """What became of each, by its name: what was found, or the trouble with it."""
        words = [sys.executable, "-m", "chronocast.crew.local.device_trials", str(self._seconds)]
        found: dict[str, dict[str, Any]] = {}
        with tempfile.TemporaryDirectory(prefix="chronocast-device-") as folder:  # ours: they may be killed
            with self._one_by_one:
                if self.ended:
                    return {}
                self._process = subprocess.Popen(
                    [*words, *(",".join(names) for names in groups)],
                    stdin=subprocess.DEVNULL,
                    stdout=subprocess.PIPE,
                    stderr=subprocess.DEVNULL,
                    text=True,
                    env={**os.environ, "TMPDIR": folder},
                )
            with self._process as process:
                assert process.stdout is not None
                for line in process.stdout:
                    told = json.loads(line)
                    if told.get("begun"):
                        self._say(told["name"])
                    else:
                        found[told["name"]] = told
        return found


def _encoder(name: str, told: Mapping[str, Any]) -> TriedEncoder:
    """What was found of an encoder; else the trouble with it."""
    on = ENCODERS[name].on
    assert on is not None
    if "found" in told:
        return TriedEncoder.model_validate(told["found"])
    return TriedEncoder(
        encoder=name, family=on.family, codec=on.codec, stand_in=on.stand_in, why_not=told["trouble"]
    )


def _decoder(family: str, told: Mapping[str, Any]) -> TriedDecoder:
    """What was found of a way to decode; else the trouble with it."""
    if "found" in told:
        return TriedDecoder.model_validate(told["found"])
    return TriedDecoder(family=family, why_not=told["trouble"])


def _end_tree(pid: int) -> None:
    """End a process and all that it began."""
    import psutil

    with contextlib.suppress(psutil.NoSuchProcess):
        top = psutil.Process(pid)
        for process in (*top.children(recursive=True), top):
            with contextlib.suppress(psutil.NoSuchProcess):  # just ended by itself
                process.kill()


def devices_tried(
    workspace: Workspace, *, again: bool = False, trials: DeviceTrials | None = None
) -> tuple[TriedEncoder, ...]:
    """Hardware encoders as they were tried here; tried now where that wasn't done, or isn't so any more.

    Parameters
    ----------
    workspace
        Where what was found is kept.
    again
        Whether they are tried in any case.
    trials
        Who tries them, for whoever wants to hear of it or to leave.
    """
    if not again and all_as_tried(workspace):
        return devices_known(workspace)
    trials = trials or DeviceTrials()
    found, decoders = trials.carry_out()
    if trials.ended:
        return devices_known(workspace)
    when = datetime.now().astimezone().isoformat(timespec="seconds")
    workspace.devices.keep(found, marks(), when, decoders)
    return found


class _Trials:
    """The side of the process that has loaded: it forks, and tells what it finds, a line of JSON for each."""

    def __init__(self, seconds: float, film: str) -> None:
        self._seconds, self._film = seconds, film

    def carry_out(self, groups: Sequence[Sequence[str]]) -> None:
        """Try groups side by side, in each one after the other."""
        for names in groups:
            if not os.fork():
                try:
                    self._make_film(names)
                    for name in names:
                        self._tell({"name": name, "begun": True})
                        self._tell({"name": name, **self._apart(name)})
                finally:
                    os._exit(0)
        for _ in groups:
            os.wait()

    def _make_film(self, names: Sequence[str]) -> None:
        """Write what is decoded, if any of these decodes, in a process of its own: what forks others runs no codec."""
        if any(name.startswith(DECODING) for name in names):
            if not os.fork():
                try:
                    film_to_decode(self._film)
                finally:
                    os._exit(0)
            os.wait()

    def _tell(self, told: dict[str, Any]) -> None:
        os.write(1, json.dumps(told).encode() + b"\n")  # at once, so that lines of several stay whole

    def _apart(self, name: str) -> dict[str, Any]:
        """Try one in a process of its own."""
        ours, its = os.pipe()
        pid = os.fork()
        if not pid:
            try:
                os.close(ours)
                os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
                with os.fdopen(its, "wb") as answer:
                    answer.write(self._try(name).encode())
            finally:
                os._exit(0)
        os.close(its)
        told, in_time = _heard(ours, self._seconds)
        os.close(ours)
        if not in_time:
            _end_tree(pid)
        _, status = os.waitpid(pid, 0)
        if not in_time:
            return {"trouble": f"it hangs in its driver: ended after {self._seconds:.0f} seconds"}
        if not told:
            return {"trouble": f"trying it ended its process (status {os.waitstatus_to_exitcode(status)})"}
        return {"found": json.loads(told)}

    def _try(self, name: str) -> str:
        if name.startswith(DECODING):
            return try_decoder(name.removeprefix(DECODING), self._film).model_dump_json()
        encoder = ENCODERS[name]
        assert encoder.on is not None
        return try_encoder(encoder, driver_of(encoder.on.family)).model_dump_json()


def _heard(handle: int, seconds: float) -> tuple[bytes, bool]:
    """All that is written to a pipe until it is closed, and whether that was in time."""
    told, end = b"", time.monotonic() + seconds
    with selectors.DefaultSelector() as events:
        events.register(handle, selectors.EVENT_READ)
        while events.select(max(0.0, end - time.monotonic())):
            if not (more := os.read(handle, 65536)):
                return told, True
            told += more
    return told, False


def main() -> None:
    """Try what is named, in groups, for so many seconds each."""
    collect_seldom()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    groups = [names.split(",") for names in sys.argv[2:]]
    film = str(Path(tempfile.gettempdir()) / "film.mp4")
    _Trials(float(sys.argv[1]), film).carry_out(groups)


if __name__ == "__main__":
    main()
