"""A recipe that says *as the source*, made definite for one source."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from typing import Any

from chronocast.model.lookup import Same
from chronocast.model.picture.geometry import View
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.recipe.recipe import PictureRecipe, Recipe
from chronocast.model.source.origin import Origin

ALPHA_GRADE = "4444"


def definite(recipe: Recipe, origin: Origin) -> Recipe:
    """The recipe with everything that says *source* replaced by what is written for this source.

    Where codec or container can't hold what the source has, the nearest that
    they can.  A recipe that isn't changed stays one that isn't.

    Parameters
    ----------
    recipe
        What was asked for.
    origin
        What the source is by itself.
    """
    return _definite(Same(recipe), origin)


@lru_cache(maxsize=1024)
def _definite(of: Same[Recipe], origin: Origin) -> Recipe:
    """One recipe for thousands of sources that are alike."""
    recipe = of.thing
    if recipe.picture is None:
        return recipe
    picture = _picture(recipe.picture, origin)
    if picture == recipe.picture:
        return recipe
    return decided(recipe, picture)


def decided(recipe: Recipe, picture: PictureRecipe) -> Recipe:
    """The recipe with a picture in which what it leaves open is decided: one that isn't changed stays one that isn't.

    Parameters
    ----------
    recipe
        What was asked for.
    picture
        Its picture, decided.
    """
    made = recipe.model_copy(update={"picture": picture})
    return made if recipe.changed else made.model_copy(update={"saved": made.mark if recipe.saved else ""})


def _picture(picture: PictureRecipe, origin: Origin) -> PictureRecipe:
    codec = picture.kind
    update: dict[str, Any] = {}
    alpha = picture.alpha == "keep" or (picture.alpha == "source" and bool(origin.alpha))
    if codec.grades:
        able = any(grade.with_alpha for grade in codec.grades)
        if alpha and able:
            update |= {"grade": ALPHA_GRADE, "alpha": "keep"}
        elif picture.alpha == "source":
            update["alpha"] = "drop"
        update |= {"depth": None} if picture.depth == "source" else {}
        update |= {"chroma": None} if picture.chroma == "source" else {}
    elif "source" in (picture.depth, picture.chroma, picture.alpha):
        depth = origin.depth if picture.depth == "source" else picture.depth or codec.samplings[0].depth
        chroma = origin.chroma if picture.chroma == "source" else picture.chroma or codec.samplings[0].chroma
        found = codec.nearest(depth, chroma, alpha)
        update |= {"depth": found.depth, "chroma": found.chroma, "alpha": "keep" if found.alpha else "drop"}
    if picture.scan == "source":
        update["scan"] = origin.scan if origin.scan in codec.scans else "progressive"
    return picture.model_copy(update=update)


def stored_shape(picture: PictureRecipe, container: str, origin: Origin, view: View) -> Fraction:
    """The shape of an output's pixels: the source's own where it is kept, else square.

    It can be kept where the picture is neither cropped nor made another size.

    Parameters
    ----------
    picture
        What is asked of the picture.
    container
        Our own word for it.
    origin
        What the source is.
    view
        How the picture is framed.
    """
    kept = (
        picture.shape == "source"
        and picture.size.mode == "source"
        and origin.width > 0
        and origin.width % picture.kind.multiple == 0
        and origin.height % 2 == 0
        and CONTAINERS[container].pixel_shape
        and view.uncropped
        and view.placing != "fill"
    )
    return origin.pixel_aspect if kept else Fraction(1)
