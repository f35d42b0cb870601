"""A fresh copy of the demo: its footage, its sequence, its batch."""

from __future__ import annotations

import shutil
from datetime import date
from importlib import resources
from pathlib import Path

from chronocast.demo.clips import SCENES
from chronocast.demo.films import NIGHT, OPENING, SEQUENCES, TOUR, WALK
from chronocast.journal.documents import BATCH_ENDING, save_batch
from chronocast.journal.places import data_folder
from chronocast.model.batch.batch import FULL, Batch, Framing, RangeKind
from chronocast.model.batch.columns import add_card, set_card, set_own
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.batch.ranges import add_range, set_framing
from chronocast.model.cards.card import Limits, ReceiverCard
from chronocast.model.errors import ChronocastError
from chronocast.model.recipe.supplied import BASIC
from chronocast.model.time.timing import FrameRange

NAME = "hall-of-tides"
TITLE = "Hall of Tides, opening films"

# Which recipes each source is wanted in.
WANTED = (
    (OPENING, "Hall of Tides, opening film", ("web-720", "review-360", "kiosk-quality")),
    (WALK, "Tide walk", ("web-720", "review-360")),
    (NIGHT, "Night round", ("review-360",)),
    (TOUR, "Guided tour", ("review-360",)),
    ("still-water.mp4", "Still water, long take", ("web-720", "kiosk-quality")),
    ("plankton.mp4", "Plankton column", ("review-360", "kiosk-quality")),
    ("reef-pan.mp4", "Reef, fast pan", ("review-360",)),
    ("feeding-hour.mp4", "Feeding hour", ("web-720", "review-360")),
    ("jelly-drift.mp4", "Jelly drift", ("web-720", "kiosk-quality")),
    ("kelp-forest.mp4", "Kelp forest", ("review-360",)),
    ("tank-service.mxf", "Tank service, tape transfer", ("review-360",)),
    ("seal-master.mov", "Seals, mezzanine", ("web-720",)),
    ("visitor-phone.mp4", "Visitor's phone, upright", ("review-360",)),
    ("old-reel.mp4", "Old reel, grain", ()),
    ("night-tank.mp4", "Night tank", ()),
    ("storm-light.mp4", "Storm light", ()),
    ("cards.mp4", "Text cards", ()),
)

# Ranges beside the whole: source, name, kind, first frame, the one after the last, recipes.
RANGES: tuple[tuple[str, str, RangeKind, int, int, tuple[str, ...]], ...] = (
    # its out point is one frame late: the last picture belongs to the next shot
    (OPENING, "Teaser", "trim", 130, 256, ("upright-720",)),
    (WALK, "Kelp and light", "marked", 80, 180, ("review-360",)),
    ("feeding-hour.mp4", "Rays at the wall", "trim", 40, 115, ("web-720",)),
    ("feeding-hour.mp4", "The shoal turns", "trim", 150, 225, ("web-720",)),
)
PLAYERS = ReceiverCard(
    id="hall-players",
    name="Hall players",
    dated=date(2026, 10, 1),
    note="The players on the walls loop files from a card; they choke on more than 40 Mb/s.",
    limits=Limits(
        bytes_most=500_000_000,
        bits_most=40_000_000,
        codecs=("h264",),
        containers=("mp4",),
        rates=("25", "30", "50"),
        height_most=1080,
        scans=("progressive",),
        sound="needed",
        level_most={"h264": "4.1"},
    ),
)
FOLLOWED = Framing(centres=((0, 0.3, 0.5), (60, 0.62, 0.5), (125, 0.45, 0.5)))


def demo_batch() -> Batch:
    """The demo's batch; its paths are relative to its own folder."""
    batch = Batch(title=TITLE, folder="outgoing")
    for recipe in BASIC:
        batch = add_recipe(batch, recipe)
    for file, name, recipes in WANTED:
        batch = add_source(batch, f"footage/{file}", name, "sequence" if file in SEQUENCES else "clip")
        source = batch.sources[-1].id
        if file == TOUR:  # an edit list doesn't say its rate
            last = batch.sources[-1].model_copy(update={"rate": "25"})
            batch = batch.model_copy(update={"sources": (*batch.sources[:-1], last)})
        batch = fill(batch, [(source, FULL, recipe) for recipe in recipes])
    for file, name, kind, start, stop, wanted in RANGES:
        source = next(item.id for item in batch.sources if item.path.endswith(file))
        batch, part = add_range(batch, source, name, FrameRange(start, stop), kind)
        batch = fill(batch, [(source, part, recipe) for recipe in wanted])
    batch = set_framing(batch, [o.id for o in batch.outputs if o.recipe == "upright-720"], FOLLOWED)
    batch = add_card(batch, PLAYERS)
    batch = set_card(batch, [o.id for o in batch.outputs if o.recipe == "kiosk-quality"], PLAYERS.id)
    drifting = [o.id for o in batch.outputs if o.source == "jelly-drift" and o.recipe == "web-720"]
    return set_own(batch, drifting, {"picture.key_frame_seconds": 0.5})


def copy_demo(to: Path | None = None) -> Path:
    """Copy the demo to a folder that is not there yet; the path of its batch.

    Raises
    ------
    ChronocastError
        The folder can't be written, or the footage is missing.
    """
    parent = (to or data_folder() / "demo").absolute()
    folder, number = parent / NAME, 1
    while folder.exists():
        number += 1
        folder = parent / f"{NAME}-{number}"
    footage = resources.files("chronocast.demo") / "footage"
    try:
        (folder / "footage").mkdir(parents=True)
        for name in [*(scene.file for scene in SCENES), *SEQUENCES]:
            with resources.as_file(footage / name) as path:
                shutil.copyfile(path, folder / "footage" / name)
    except FileNotFoundError as error:
        raise ChronocastError(
            f"The demo's footage is missing: {error.filename}.", "Install Chronocast again."
        ) from None
    except OSError as error:
        raise ChronocastError(
            f"The demo can't be copied to {folder}: {error.strerror}.", "Choose another folder with --to."
        ) from None
    path = folder / f"{NAME}{BATCH_ENDING}"
    save_batch(demo_batch(), path)
    return path
