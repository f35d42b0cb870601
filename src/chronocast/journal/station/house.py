"""What this machine keeps of its house: how it belongs to it, its certificate's folder, what was heard last, a yield."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Mapping
from pathlib import Path

from pydantic import ValidationError

from chronocast.journal.documents import load_json, save_json
from chronocast.model.errors import ChronocastError
from chronocast.model.house import Attendance, Belonging, House, MountSpeed
from chronocast.model.paths import FileMark

MOUNT_SECONDS = 30 * 86_400.0
"""A shared folder's speed is measured again after so long."""
FRESH_SECONDS = 20.0
"""What was heard of the house longer ago than that isn't counted on."""


class HouseStore:
    """``HouseStore(config, state)``: files of the folder of settings, and of the state's.

    ``folder`` holds this machine's key and certificate, ``hub_folder`` the authority where this machine is the hub.
    """

    def __init__(self, config: Path, state: Path) -> None:
        self.folder, self.hub_folder = config / "house", config / "hub"
        self._belonging = self.folder / "house.json"
        self._heard = state / "house.json"
        self._yield = state / "yield.json"
        self._mounts = state / "mounts.json"
        self._attendance = state / "attendance.json"
        self._seen: FileMark | None = None

    def belonging(self) -> Belonging:
        """How this machine belongs to a house; to none, where nothing is kept.

        Raises
        ------
        ChronocastError
            What is kept makes no sense.
        """
        value = load_json(self._belonging)
        try:
            return Belonging.model_validate(value)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise ChronocastError(
                f"{self._belonging} can't be used: {where}: {first['msg']}.",
                "Mend it, or join the house again.",
            ) from error

    def belonging_changed(self) -> bool:
        """Whether what is kept is another than when this was asked last."""
        try:
            found = self._belonging.stat()
            mark = FileMark(found.st_size, found.st_mtime_ns)
        except OSError:
            return False
        before, self._seen = self._seen, mark
        return before is not None and before != mark

    def keep_belonging(self, belonging: Belonging) -> None:
        """Keep how this machine belongs to a house.

        Parameters
        ----------
        belonging
            As it is from now on.
        """
        save_json(self._belonging, belonging.model_dump(mode="json"))

    def forget(self) -> None:
        """Belong to no house any more: key and certificate go."""
        for name in ("own.key", "own.pem", "authority.pem", "house.json"):
            (self.folder / name).unlink(missing_ok=True)
        self._heard.unlink(missing_ok=True)

    def heard(self) -> House:
        """What was heard of the house last; an old word says so by its time."""
        try:
            return House.model_validate(load_json(self._heard))
        except ValidationError:
            return House()

    def mounts(self) -> dict[str, MountSpeed]:
        """How fast shared folders were from here when they were tried, by their names; old figures don't count."""
        value, found = load_json(self._mounts), {}
        for name, told in value.items():
            with contextlib.suppress(ValueError, TypeError, LookupError, AttributeError):
                if time.time() - float(told.get("when", 0)) < MOUNT_SECONDS:
                    found[name] = MountSpeed(read=told["read"], write=told["write"])
        return found

    def keep_mounts(self, mounts: Mapping[str, MountSpeed]) -> None:
        """Keep how fast shared folders are from here.

        Parameters
        ----------
        mounts
            By their names.
        """
        told = {name: {**speed.model_dump(), "when": time.time()} for name, speed in mounts.items()}
        save_json(self._mounts, {**load_json(self._mounts), **told})

    def attendance(self) -> dict[str, Attendance]:
        """How stations were there so far, by their names; what makes no sense is left out."""
        found = {}
        for name, told in load_json(self._attendance).items():
            with contextlib.suppress(ValidationError):
                found[name] = Attendance.model_validate(told)
        return found

    def keep_attendance(self, found: Mapping[str, Attendance]) -> None:
        """Keep how stations were there.

        Parameters
        ----------
        found
            By their names; others stay as they are.
        """
        told = {name: item.model_dump(mode="json") for name, item in found.items()}
        save_json(self._attendance, {**load_json(self._attendance), **told})

    def known_now(self) -> House:
        """What is known of the house now; nothing, where the last word is old."""
        found = self.heard()
        return found if abs(time.time() - found.known_at) < FRESH_SECONDS else House(hub=found.hub)

    def keep_heard(self, house: House) -> None:
        """Keep what was heard, for whoever reads it here.

        Parameters
        ----------
        house
            What was heard.
        """
        save_json(self._heard, house.model_dump(mode="json"))

    def yield_until(self, until: float) -> None:
        """Have this machine's station give way until then (seconds since 1970); 0 to go on at once.

        Parameters
        ----------
        until
            When it goes on.
        """
        save_json(self._yield, {"until": until})

    def yields_until(self) -> float:
        """Until when this machine's station was told to give way, seconds since 1970."""
        try:
            return float(load_json(self._yield).get("until", 0))
        except (TypeError, ValueError):
            return 0.0
