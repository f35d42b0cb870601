"""Whether a batch that was edited could be read again from its file."""

from __future__ import annotations

from itertools import islice

from pydantic import ValidationError

from chronocast.model.batch.batch import Batch
from chronocast.model.document_reading import explain
from chronocast.model.errors import ModelError

MOST_LOOKED_AT = 100
"""Of the outputs that an edit changed: what one edit says of thousands is the same of all."""
_LISTS = ("sources", "recipes", "cards", "outputs")


def see_readable(batch: Batch, before: Batch) -> None:
    """See that an edit leaves nothing that reading the batch's file would refuse: what is typed goes into copies unlooked at.

    Parameters
    ----------
    batch
        The batch as it would be.
    before
        As it was: what the two have in common isn't looked at again.

    Raises
    ------
    ModelError
        It says what would be refused.
    """
    try:
        Batch.model_validate({**dict(batch), **dict.fromkeys(_LISTS, ())})
        for name in _LISTS:
            known = {id(item) for item in getattr(before, name)}
            fresh = (item for item in getattr(batch, name) if id(item) not in known)
            for item in islice(fresh, MOST_LOOKED_AT if name == "outputs" else None):
                type(item).model_validate(item.model_dump())
    except ValidationError as error:
        raise ModelError(f"That can't be kept: {explain(error)}.", "Nothing was changed.") from None
