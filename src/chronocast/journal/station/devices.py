"""Hardware encoders as they were tried on this station: one small file, with what they were tried with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from pydantic import ValidationError

from chronocast.journal.documents import load_json, save_json
from chronocast.model.device import TriedDecoder, TriedEncoder

VERSION = 1


class DeviceStore:
    """``DeviceStore(path)``: what was found the last time."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def found(self) -> tuple[TriedEncoder, ...]:
        """Every hardware encoder as it was tried; none where nothing was."""
        value = load_json(self.path)
        if value.get("version") != VERSION:
            return ()
        try:
            return tuple(TriedEncoder.model_validate(item) for item in value.get("tried", ()))
        except ValidationError:
            return ()

    def marks(self) -> dict[str, str]:
        """What they were tried with: versions of libraries and drivers."""
        return {str(key): str(value) for key, value in load_json(self.path).get("marks", {}).items()}

    def decoders(self) -> tuple[TriedDecoder, ...]:
        """Ways to decode in hardware as they were tried."""
        try:
            return tuple(
                TriedDecoder.model_validate(item) for item in load_json(self.path).get("decoders", ())
            )
        except ValidationError:
            return ()

    def keep(
        self,
        tried: Sequence[TriedEncoder],
        marks: Mapping[str, str],
        when: str,
        decoders: Sequence[TriedDecoder] = (),
    ) -> None:
        """Keep what was found.

        Parameters
        ----------
        tried
            Every hardware encoder.
        marks
            What they were tried with.
        when
            ISO 8601.
        decoders
            Ways to decode in hardware.
        """
        save_json(
            self.path,
            {
                "version": VERSION,
                "when": when,
                "marks": dict(marks),
                "tried": [item.model_dump(mode="json") for item in tried],
                "decoders": [item.model_dump(mode="json") for item in decoders],
            },
        )

    def leave_alone(self, family: str, until: float, why: str) -> None:
        """Use no encoder of a device for a while.

        Parameters
        ----------
        family
            The kind of device.
        until
            Seconds since 1970.
        why
            What went wrong, in a few words.
        """
        value = load_json(self.path)
        resting = {**value.get("resting", {}), family: {"until": until, "why": why}}
        save_json(self.path, {**value, "resting": resting})

    def resting(self, now: float) -> dict[str, str]:
        """Devices that are left alone now, each with why."""
        told = load_json(self.path).get("resting", {})
        return {
            str(family): str(item.get("why", ""))
            for family, item in told.items()
            if float(item.get("until", 0)) > now
        }

    def when(self) -> str:
        """When they were tried (ISO 8601); "" for never."""
        return str(load_json(self.path).get("when", ""))
