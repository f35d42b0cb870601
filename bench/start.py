"""From the process's start to a window of the demo that answers; and what is imported before its first paint."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path
from statistics import median

from chronocast.demo.copy import copy_demo

CODE = (
    "import sys, time\n"
    "from pathlib import Path\n"
    "from chronocast.ui import theme\nfrom chronocast.ui.app import make_app\nfrom chronocast.ui.desk.session import Session\nfrom chronocast.ui.window import Window\n"
    "app = make_app(); theme.apply(app, theme.INK); session = Session(Path(sys.argv[1])); window = Window(session, theme.INK)\n"
    "window.show(); app.processEvents(); window.grab()\n"
    "early = sorted(m for m in ('scipy', 'distributed', 'sqlalchemy', 'pyqtgraph', 'opentimelineio') if m in sys.modules)\n"
    "print('painted', time.time(), ','.join(early) or 'none', flush=True)\n"
    "session.open()\n"
    "while session.view is None: app.processEvents(); time.sleep(0.002)\n"
    "app.processEvents(); print('forecast', time.time(), '-', flush=True)\n"
    "session.close(); import os; os._exit(0)\n"
)


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Five starts after one that warms the disk and inspects the media."""
    path = copy_demo(folder)
    painted, forecast, early = [], [], "none"
    for number in range(6):
        begin = time.time()
        done = subprocess.run(
            [sys.executable, "-c", CODE, str(path)],
            capture_output=True,
            text=True,
            check=True,
            env=dict(os.environ),
        )
        lines = [line.split() for line in done.stdout.splitlines()]
        if number:
            painted.append(float(lines[0][1]) - begin)
            forecast.append(float(lines[1][1]) - begin)
            early = lines[0][2]
    return [
        ("window of the demo painted and answering", f"{median(painted):.2f} s", "1.5 s"),
        ("its forecast shown", f"{median(forecast):.2f} s", "as soon as can be"),
        ("large libraries imported before the first paint", early, "none that isn't needed"),
    ]
