"""Hardware against software, with the stand-in device: what is forecast and what comes, and both ways compared."""

from __future__ import annotations

from pathlib import Path

from bench.pieces import asked, film, quality, run
from chronocast.crew.local.calibrate import calibrate
from chronocast.crew.local.device_trials import devices_tried
from chronocast.crew.local.probing import carry_out_probes
from chronocast.journal.workspace import Workspace
from chronocast.preparation.asked.routes import compare_routes, route_probes
from chronocast.preparation.today import outlook_now, prepared
from chronocast.standins.device.plugged import place, plug

FILMS, FRAMES, SIZE = 3, 600, (1280, 720)


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Each film by the device: forecast before anything was encoded, after two pieces of each route, and what came."""
    plug(place())
    calibrate(Workspace().paces)
    devices_tried(Workspace())
    rows: list[tuple[str, str, str]] = []
    for number in range(FILMS):
        source = film(
            folder / f"film {number}.mp4", 300 + number, FRAMES, SIZE, scenes=(0, 150 + 40 * number, 420)
        )
        path = folder / f"film {number}.batch.json"
        batch = asked(path, source, quality("hard", route="hardware"))
        before = outlook_now(prepared(batch, path, Workspace()), Workspace())
        carry_out_probes(route_probes(before, Workspace().stock), Workspace())
        after = outlook_now(prepared(batch, path, Workspace()), Workspace())
        (item,) = after.outputs
        compared = compare_routes(item.ready, Workspace().stock, after.station)
        done = run(batch, path)
        (output,) = done.view.outputs.values()
        (first,) = before.outputs
        rows.append(
            (
                f"film {number}: bytes that came, against likely before and after two pieces both ways",
                f"{output.bytes / first.bytes.likely:.2f} ×, {output.bytes / item.bytes.likely:.2f} ×",
                "1 ×",
            )
        )
        print(*rows[-1], sep=" | ", flush=True)
        rows.append(
            (
                f"film {number}: the run by the clock, against likely after two pieces both ways",
                f"{done.wall / max(0.1, after.finish.likely):.2f} × ({done.wall:.1f} s)",
                "1 ×",
            )
        )
        print(*rows[-1], sep=" | ", flush=True)
        if compared is not None:
            rows.append((f"film {number}: hardware against software", compared.told, ""))
            print(*rows[-1], sep=" | ", flush=True)
    return rows
