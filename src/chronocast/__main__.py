"""``chronocast``: the desktop without a command, the command line with one."""

from __future__ import annotations

import contextlib
import os
import sys
from pathlib import Path


def run() -> None:
    """Be the whole process; of a render, leave it at once.

    Taking apart all that was loaded takes a few tenths of a second, in which whoever waits for the files still waits.
    """
    if sys.argv[1:2] != ["render"]:
        main()
        return
    status: object = 0
    try:
        main()
    except SystemExit as leaving:
        status = leaving.code
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(OSError):  # nobody reads it any more
            stream.flush()
    os._exit(status if isinstance(status, int) else int(status is not None))


def main() -> None:
    """Go to the face that was asked for.  Neither is imported for the other; no traceback reaches a person."""
    try:
        _main()
    except ImportError as error:
        missing = str(error).partition(":")[0]
        _say(
            error,
            f"A part that Chronocast needs can't be loaded ({missing}). Run ./run again: it says what is missing, and "
            "installs it where it may.",
        )
        sys.exit(2)
    except Exception as error:
        _say(error, f"Chronocast could not be started ({type(error).__name__}: {error}).")
        sys.exit(1)


def _say(error: BaseException, sentence: str) -> None:
    """A sentence on standard error, the detail in the log."""
    import traceback

    from chronocast.journal.places import state_folder

    path = state_folder() / "logs" / "start.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with open(path, "a") as log:
            log.write("".join(traceback.format_exception(error)))
        sentence += f" The detail is in {path}."
    except OSError:
        pass
    sys.stderr.write(f"{sentence}\n")


def _main() -> None:
    from chronocast.model.garbage import collect_seldom

    collect_seldom()
    words = sys.argv[1:]
    batch = (
        len(words) == 1
        and not words[0].startswith("-")
        and (Path(words[0]).suffix or Path(words[0]).is_file())
    )
    if words and not batch:
        if words[0] == "render":  # a runner loads beside the command line
            from chronocast.run.waiting import have_a_runner_wait

            have_a_runner_wait()
        from chronocast.cli.app import main as command_line

        command_line()
        return
    from chronocast.ui.app import main as desktop

    sys.exit(desktop(words[0] if words else None))


if __name__ == "__main__":
    run()
