"""``recipes`` and ``cards``: what is saved on this machine."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from chronocast.cli.answers import NEEDS_YOU, WRONG_USE, Json, complain, put, workspace
from chronocast.model.errors import ChronocastError

recipes_app = typer.Typer(no_args_is_help=True, help="Saved recipes: list, compare, share, change.")
cards_app = typer.Typer(no_args_is_help=True, help="Receiver cards: what whoever receives a file requires.")
Id = Annotated[str, typer.Argument(metavar="ID", help="A recipe's id, or the path of a recipe's file.")]
CardId = Annotated[str, typer.Argument(metavar="ID", help="A card's id, or the path of a card's file.")]


def _need(name: str) -> Any:
    from chronocast.journal.library import needed_recipe

    library = workspace().library
    try:
        return library, needed_recipe(library, name)
    except ChronocastError as error:
        complain(error, WRONG_USE)


@recipes_app.command("list")
def recipes_list(json_: Json = False) -> None:
    """Saved recipes, and what each is for."""
    from chronocast.model.recipe.formats.containers import ending_told

    library = workspace().library
    recipes, favourite = library.recipes(), library.favourite
    if json_:
        put(
            {
                "version": 1,
                "favourite": favourite,
                "problems": library.problems,
                "recipes": [
                    {**recipe.model_dump(mode="json"), "own": library.is_own(recipe.id)} for recipe in recipes
                ],
            }
        )
        return
    for recipe in recipes:
        mark = "*" if recipe.id == favourite else "+" if library.is_own(recipe.id) else " "
        ending = ending_told(recipe.container, recipe.picture.codec if recipe.picture else None)
        sys.stdout.write(f"{mark} {recipe.id:20} {ending:15} {recipe.name:46} {recipe.purpose}\n")
    sys.stdout.write("* the favourite   + your own, or changed by you\n")
    for problem in library.problems:
        sys.stderr.write(f"{problem}\n")


@recipes_app.command("show")
def recipes_show(identifier: Id) -> None:
    """One recipe as JSON, as its file has it."""
    from chronocast.model.recipe.recipe_file import write_recipe

    _, recipe = _need(identifier)
    sys.stdout.write(write_recipe(recipe))


@recipes_app.command("compare")
def recipes_compare(one: Id, two: Id, json_: Json = False) -> None:
    """Two recipes, field by field: only what differs."""
    from chronocast.model.batch.exceptions import differences

    (_, first), (_, second) = _need(one), _need(two)
    found = differences(first, second)
    if json_:
        put({"version": 1, "differences": [{"field": f, "first": a, "second": b} for f, a, b in found]})
        return
    for field, a, b in found:
        sys.stdout.write(f"{field:44} {json.dumps(a):>16}  {json.dumps(b):>16}\n")
    if not found:
        sys.stdout.write("They make the same files.\n")


def _values(given: list[str]) -> dict[str, Any]:
    """``FIELD=VALUE`` as dotted fields; values as JSON where they are, rates and sizes as people say them."""
    from chronocast.model.errors import ModelError
    from chronocast.model.recipe.typed import typed_value

    found: dict[str, Any] = {}
    for text in given:
        field, sign, value = text.partition("=")
        if not sign or not field:
            raise ModelError(
                f"“{text}” is not FIELD=VALUE.", "For example picture.rate_control.target_bits_per_second=3M."
            )
        found[field] = typed_value(field, value)
    return found


Settings = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="FIELD=VALUE", help="A setting to change, dotted; can be repeated."),
]


@recipes_app.command("change")
def recipes_change(
    identifier: Id,
    set_: Settings = None,
    name: Annotated[str, typer.Option("--name", help="Its new name.")] = "",
) -> None:
    """Change a saved recipe; of a supplied one your own version is kept, and can be reset."""
    from chronocast.model.batch.exceptions import with_values

    library, recipe = _need(identifier)
    try:
        changed = with_values(recipe, _values(set_ or []))
        if name:
            changed = changed.model_copy(update={"name": name[:80]})
        _tell_conflicts(changed)
        kept = library.save_recipe(changed)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    sys.stdout.write(f"{kept.id}  {kept.name}\n")


@recipes_app.command("duplicate")
def recipes_duplicate(
    identifier: Id,
    set_: Settings = None,
    name: Annotated[
        str, typer.Option("--name", help="Its name; one that tells what it makes is proposed.")
    ] = "",
) -> None:
    """A copy under a name of its own, with some settings changed."""
    from chronocast.model.batch.exceptions import with_values
    from chronocast.model.recipe.wording import telling_name

    library, recipe = _need(identifier)
    try:
        changed = with_values(recipe, _values(set_ or []))
        _tell_conflicts(changed)
        kept = library.duplicate(changed, name or telling_name(changed))
    except ChronocastError as error:
        complain(error, WRONG_USE)
    sys.stdout.write(f"{kept.id}  {kept.name}\n")


def _tell_conflicts(recipe: Any) -> None:
    from chronocast.model.recipe.contradictions import conflicts

    for item in conflicts(recipe):
        sys.stderr.write(f"{item.sentence} {item.remedy}\n")


@recipes_app.command("reset")
def recipes_reset(identifier: Id) -> None:
    """A supplied recipe as it was supplied; one of your own goes."""
    library, _ = _need(identifier)
    back = library.reset(identifier)
    sys.stdout.write(f"{identifier} is as supplied.\n" if back else f"{identifier} was removed.\n")


@recipes_app.command("favourite")
def recipes_favourite(identifier: Id) -> None:
    """Make a recipe the favourite."""
    library, recipe = _need(identifier)
    library.favourite = recipe.id
    sys.stdout.write(f"{recipe.id} is the favourite.\n")


@recipes_app.command("export")
def recipes_export(
    identifier: Id, file: Annotated[Path, typer.Argument(metavar="FILE", help="Where to.")]
) -> None:
    """A recipe as a file to share."""
    library, recipe = _need(identifier)
    if file.exists():
        complain(f"{file} is there already and was not touched.", WRONG_USE)
    try:
        library.write_recipe(recipe, file)
    except ChronocastError as error:
        complain(error, NEEDS_YOU)
    sys.stdout.write(f"{file}\n")


@recipes_app.command("import")
def recipes_import(file: Annotated[Path, typer.Argument(metavar="FILE", help="A recipe's file.")]) -> None:
    """Save a shared recipe here."""
    try:
        kept = workspace().library.bring_in_recipe(file)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    _tell_conflicts(kept)
    sys.stdout.write(f"{kept.id}  {kept.name}\n")


@recipes_app.command("like")
def recipes_like(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A media file.")], json_: Json = False
) -> None:
    """A recipe for files as that one is: the nearest that can be written."""
    from chronocast.model.recipe.nearest import as_the_source
    from chronocast.model.recipe.recipe_file import write_recipe

    try:
        recipe, told = as_the_source(workspace().facts.clip(str(file)))
    except ChronocastError as error:
        complain(error, WRONG_USE)
    for sentence in told:
        sys.stderr.write(f"{sentence}\n")
    sys.stdout.write(write_recipe(recipe))


@recipes_app.command("of")
def recipes_of(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A file that was made here.")],
) -> None:
    """The exact recipe that made a finished file, from its record."""
    from chronocast.model.recipe.recipe_file import write_recipe
    from chronocast.preparation.today import recipe_of

    try:
        sys.stdout.write(write_recipe(recipe_of(file, workspace())))
    except ChronocastError as error:
        complain(error, NEEDS_YOU)


@recipes_app.command("schema")
def recipes_schema() -> None:
    """The JSON schema of a recipe's file."""
    from chronocast.model.recipe.recipe_file import recipe_schema

    put(recipe_schema())


@recipes_app.command("formats")
def recipes_formats(json_: Json = False) -> None:
    """What goes with what: containers, picture and sound codecs, rate controls."""
    from chronocast.model.recipe.formats.codecs import PICTURE, SOUND
    from chronocast.model.recipe.formats.containers import CONTAINERS

    if json_:
        put(
            {
                "version": 1,
                "containers": [
                    {"id": c.id, "extension": c.extension, "picture": c.picture, "sound": c.sound}
                    for c in CONTAINERS.values()
                ],
                "picture": [
                    {
                        "id": c.id,
                        "name": c.name,
                        "kind": c.kind,
                        "rate_controls": c.modes,
                        "without": dict(c.without),
                        "grades": [g.id for g in c.grades],
                        "scans": c.scans,
                        "samples": [s.name for s in c.samplings],
                        "encoders": c.encoders,
                        "quality": c.quality,
                    }
                    for c in PICTURE.values()
                ],
                "sound": [
                    {"id": c.id, "name": c.name, "rates": c.rates, "channels": c.channels}
                    for c in SOUND.values()
                ],
            }
        )
        return
    for box in CONTAINERS.values():
        picture = ", ".join(PICTURE[item].name for item in box.picture) or "sound only"
        sound = ", ".join(SOUND[item].name for item in box.sound) or "no sound"
        sys.stdout.write(f"{box.name:8} {box.extension:6} {picture:70} {sound}\n")
    sys.stdout.write("\n")
    for codec in PICTURE.values():
        how = ", ".join(codec.modes) or (
            "grades " + ", ".join(g.name for g in codec.grades) if codec.grades else "lossless"
        )
        sys.stdout.write(f"{codec.name:34} {how}\n")


@cards_app.command("list")
def cards_list(json_: Json = False) -> None:
    """Saved receiver cards."""
    library = workspace().library
    cards = library.cards()
    if json_:
        put(
            {
                "version": 1,
                "cards": [card.model_dump(mode="json") for card in cards],
                "problems": library.problems,
            }
        )
        return
    for card in cards:
        sys.stdout.write(f"{card.id:24} {card.dated or '':12} {card.name}\n")
    for problem in library.problems:
        sys.stderr.write(f"{problem}\n")


@cards_app.command("show")
def cards_show(identifier: CardId) -> None:
    """One card as JSON, as its file has it."""
    from chronocast.journal.library import needed_card
    from chronocast.model.cards.card import write_card

    try:
        sys.stdout.write(write_card(needed_card(workspace().library, identifier)))
    except ChronocastError as error:
        complain(error, WRONG_USE)


@cards_app.command("import")
def cards_import(file: Annotated[Path, typer.Argument(metavar="FILE", help="A card's file.")]) -> None:
    """Save a shared card here."""
    try:
        kept = workspace().library.bring_in_card(file)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    sys.stdout.write(f"{kept.id}  {kept.name}\n")


@cards_app.command("remove")
def cards_remove(identifier: CardId) -> None:
    """Take a saved card away."""
    from chronocast.journal.library import needed_card

    try:
        needed_card(workspace().library, identifier)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    workspace().library.remove_card(identifier)


@cards_app.command("schema")
def cards_schema() -> None:
    """The JSON schema of a card's file."""
    from chronocast.model.cards.card import ReceiverCard

    put(ReceiverCard.model_json_schema())


@cards_app.command("judge")
def cards_judge(
    batch: Annotated[Path, typer.Argument(metavar="BATCH", help="A batch.")],
    card: Annotated[
        list[str] | None,
        typer.Option("--card", metavar="ID", help="A saved card or its file; without one each output's own."),
    ] = None,
    json_: Json = False,
) -> None:
    """Every output of a batch against receiver cards, before anything is made."""
    from chronocast.cli.answers import load
    from chronocast.journal.library import needed_card
    from chronocast.preparation.forecast.judging import judge_outputs
    from chronocast.preparation.today import outlook_now, prepared

    loaded = load(batch)
    try:
        cards = [needed_card(workspace().library, name) for name in card or ()]
        found = judge_outputs(outlook_now(prepared(loaded, batch, workspace()), workspace()).outputs, cards)
    except ChronocastError as error:
        complain(error, WRONG_USE)
    if json_:
        put({"version": 1, "outputs": [item.as_json() for item in found]})
    else:
        for item in found:
            for card_, verdicts in item.cards:
                for verdict in verdicts:
                    sign = {"fits": " ", "tight": "~", "breaks": "!", "unknown": "?"}[verdict.state]
                    remedy = f"  {verdict.remedy}." if verdict.remedy else ""
                    sys.stdout.write(f"{sign} {item.path.name} · {card_.name} · {verdict.told}.{remedy}\n")
            for sentence in item.contradictions:
                sys.stdout.write(f"! {item.path.name} · {sentence}\n")
    if any(item.state == "breaks" for item in found):
        raise typer.Exit(NEEDS_YOU)
