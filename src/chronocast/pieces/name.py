"""Names of pieces: BLAKE2b over everything that went into them, and nothing else.

Names and places of files, the order of a batch and the station are not in
it: rename a recipe or move the media, and everything is still kept.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from typing import Any

from chronocast.model.cutlist import PictureSpan, SoundSpan
from chronocast.model.jobs import PieceJob, SoundJob

FORMAT_VERSION = 2


def digest(value: dict[str, Any]) -> str:
    """40 hexadecimal digits over canonical JSON."""
    text = json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=True)
    return hashlib.blake2b(text.encode(), digest_size=20).hexdigest()


def _nameless(spans: Sequence[PictureSpan] | Sequence[SoundSpan]) -> list[Any]:
    """What is shown or heard, by content: where files lie and what edits are called is left out."""
    found = []
    for span in spans:
        value = span.model_dump(mode="json", exclude={"name"})
        for part in value.get("layers", [value]):
            if part["media"]:
                part["media"] = part["media"]["fingerprint"]
            for name in ("alpha", "level"):
                if not part.get(name):
                    part.pop(name, None)
        found.append(value)
    return found


def _said(job: PieceJob) -> dict[str, Any]:
    """An encoder's settings; what says nothing is left out, so that a piece from before it was known is still the same."""
    told = job.settings.model_dump(mode="json")
    return {key: value for key, value in told.items() if key != "own_fields" or value}


def piece_name(job: PieceJob, library: str) -> str:
    """The name of a piece, from its job and the encoder's library version."""
    return digest(
        {
            "format": FORMAT_VERSION,
            "what": "picture",
            "rate": str(job.rate),
            "size": [job.width, job.height],
            "canvas": job.canvas,
            "view": job.view.model_dump(mode="json"),
            "colour": job.colour,
            "shown": _nameless(job.spans),
            **({"shape": str(job.shape)} if job.shape != 1 else {}),
            "encoder": {**_said(job), "library": library},
        }
    )


def sound_name(job: SoundJob, library: str) -> str:
    """The name of an output's sound."""
    return digest(
        {
            "format": FORMAT_VERSION,
            "what": "sound",
            "samples": job.samples,
            "heard": _nameless(job.spans),
            **({"tracks": [_nameless(track) for track in job.tracks]} if job.tracks else {}),
            **({"layouts": job.layouts} if job.layouts else {}),
            "encoder": [job.codec, job.bits_per_second, job.sample_rate, job.channels, library, job.depth],
        }
    )
