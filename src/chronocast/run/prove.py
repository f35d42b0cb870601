"""Prove one file in a process of its own: an order on standard input, checks on standard output."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict

from chronocast.deliver.checks import judge
from chronocast.media.errors import MediaError
from chronocast.media.prove import prove
from chronocast.model.check import Check, Expected


def main() -> None:
    order = json.load(sys.stdin)
    try:
        checks = judge(prove(order["path"]), Expected(**order["expected"]))
    except MediaError as error:
        checks = [
            Check(
                "opens and decodes",
                False,
                "no complaint of any decoder",
                str(error),
                "opened in a fresh process",
            )
        ]
    json.dump([asdict(check) for check in checks], sys.stdout)


if __name__ == "__main__":
    main()
