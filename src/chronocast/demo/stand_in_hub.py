"""The hub of ``demo --house``, on the loopback: ends with the demo."""

from __future__ import annotations

import asyncio
import json
import logging
import sys
from pathlib import Path

from chronocast.crew.house.hub import run_hub
from chronocast.journal.workspace import Workspace
from chronocast.preparation.station.children import die_with_parent


def main() -> None:
    """Be the hub, and say where in a file."""
    die_with_parent(int(sys.argv[1]))
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    told = Path(sys.argv[2])

    def ready(address: str, join_port: int) -> None:
        half = told.with_suffix(".half")
        half.write_text(json.dumps({"address": address, "join_port": join_port}))
        half.replace(told)

    asyncio.run(run_hub(Workspace().house.hub_folder, sys.argv[3], int(sys.argv[4]), 0, ready=ready))


if __name__ == "__main__":
    main()
