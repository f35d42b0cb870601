"""A message as another machine must have it: every path in it is put where that machine has the file."""

from __future__ import annotations

import types
from collections.abc import Callable
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

from chronocast.model.frozen import FrozenModel
from chronocast.model.paths import OnDisk

Message = TypeVar("Message", bound=FrozenModel)


def moved(message: Message, move: Callable[[str], str]) -> Message:
    """The message with every path that isn't empty moved.

    Paths are the fields that are declared as ``FilePath``, however deep; no other text is touched.

    Parameters
    ----------
    message
        The message.
    move
        Gives the new path of an old one.
    """
    update = {}
    for name, field in type(message).model_fields.items():
        value = getattr(message, name)
        marked = any(isinstance(mark, OnDisk) for mark in field.metadata)
        new = _moved(value, field.annotation, marked, move)
        if new is not value:
            update[name] = new
    return message.model_copy(update=update) if update else message


def _moved(value: Any, kind: Any, marked: bool, move: Callable[[str], str]) -> Any:
    if value is None or value == "":
        return value
    if isinstance(value, FrozenModel):
        return moved(value, move)
    if get_origin(kind) is Annotated:
        inner, *marks = get_args(kind)
        return _moved(value, inner, marked or any(isinstance(mark, OnDisk) for mark in marks), move)
    if get_origin(kind) in (Union, types.UnionType):
        for choice in get_args(kind):
            if choice is not type(None):
                return _moved(value, choice, marked, move)
    if isinstance(value, tuple):
        kinds = get_args(kind)
        each = [kinds[0]] * len(value) if len(kinds) == 2 and kinds[1] is Ellipsis else list(kinds)
        new = tuple(_moved(one, of, marked, move) for one, of in zip(value, each, strict=False))
        return new if any(a is not b for a, b in zip(new, value, strict=False)) else value
    return move(value) if marked and isinstance(value, str) else value
