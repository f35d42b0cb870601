"""``chronocast``: the desktop without a command, the command line with one."""

from __future__ import annotations

import sys

COMMANDS = frozenset(
    {"demo", "inspect", "batch", "recipes", "forecast", "render", "status", "pause", "resume", "stop", "check",
     "stock", "calibrate", "reserve", "shots", "ranges", "cards", "frame"}
)  # fmt: skip


def main() -> None:
    """Go to the face that was asked for.  Neither is imported for the other."""
    words = sys.argv[1:]
    if words and (words[0] in COMMANDS or words[0].startswith("-")):
        from chronocast.cli.app import main as command_line

        command_line()
        return
    if len(words) > 1:
        from chronocast.cli.app import main as command_line

        command_line()
        return
    from chronocast.ui.app import main as desktop

    sys.exit(desktop(words[0] if words else None))


if __name__ == "__main__":
    main()
