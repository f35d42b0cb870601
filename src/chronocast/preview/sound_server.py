"""The hearing child: writes a source's sound to standard output, 16-bit stereo at 48 kHz, as fast as it is taken.

It is told what to play once, on standard input (the cut list, the frame to
begin at, the speed), and ends with its parent.
"""

from __future__ import annotations

import json
import signal
import sys
from fractions import Fraction

from chronocast.preparation.station.children import die_with_parent


def main() -> int:
    """Write sound until whoever hears it has gone."""
    die_with_parent(int(sys.argv[1]))
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    from chronocast.media.viewing.playback import heard
    from chronocast.model.errors import ChronocastError
    from chronocast.model.source.cutlist import CutList

    order = json.loads(sys.stdin.readline())
    cut = CutList.model_validate(order["cut"])
    try:
        for block in heard(cut, int(order["frame"]), Fraction(order["speed"])):
            sys.stdout.buffer.write(block.tobytes())
            sys.stdout.buffer.flush()
    except BrokenPipeError:
        return 0
    except ChronocastError as error:
        sys.stderr.write(f"{error}\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
