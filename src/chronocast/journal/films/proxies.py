"""Finished proxies, each in a folder called by what is in its film: a film that changes has none until one is made."""

from __future__ import annotations

import contextlib
import os
import shutil
import time
from fractions import Fraction
from pathlib import Path

from chronocast.journal.documents import DocumentError, load_json, save_json
from chronocast.model.paths import path_text
from chronocast.model.source.facts import ClipFacts
from chronocast.model.source.proxy import Proxy, shown_aspect

RECORD = "proxy.json"
QUIET_SECONDS = 3600.0
"""A proxy that is being made may wait for slots; what nobody wrote to for so long is left over."""


class ProxyStore:
    """``ProxyStore(folder)``: where proxies are, by the fingerprint of their film."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def place(self, fingerprint: str) -> Path:
        """The folder of a film's proxy."""
        return self.folder / fingerprint.replace(":", "-").replace("/", "-")

    def expect(self, facts: ClipFacts) -> Path:
        """Write down of what film a proxy is going to be; its folder.

        Raises
        ------
        DocumentError
            It can't be written.
        """
        folder = self.place(facts.fingerprint)
        told = {
            "source": path_text(facts.path),
            "fingerprint": facts.fingerprint,
            "frames": facts.frames,
            "aspect": str(shown_aspect(facts)),
        }
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise DocumentError(
                f"Proxies can't be kept in {self.folder}: {error.strerror}.",
                "Check its drive and permissions.",
            ) from None
        save_json(folder / RECORD, told)
        return folder

    def find(self, fingerprint: str) -> Proxy | None:
        """The finished proxy of a film; None where there is none, or only half of one."""
        return self._read(self.place(fingerprint)) if fingerprint else None

    def _read(self, folder: Path) -> Proxy | None:
        try:
            made = next(
                (file for file in sorted(folder.glob("*.mov")) if not file.name.startswith(".")), None
            )
            if made is None:
                return None
            told = load_json(folder / RECORD)
            size = made.stat().st_size
            return Proxy(
                str(made),
                str(told["source"]),
                str(told["fingerprint"]),
                int(told["frames"]),
                Fraction(told["aspect"]),
                size,
            )
        except (OSError, KeyError, ValueError, ZeroDivisionError):
            return None

    def all(self) -> list[Proxy]:
        """Every finished proxy."""
        try:
            folders = sorted(self.folder.iterdir())
        except OSError:
            return []
        return [found for folder in folders if folder.is_dir() and (found := self._read(folder)) is not None]

    def halves(self, quiet_seconds: float = QUIET_SECONDS) -> list[Path]:
        """Folders that have no finished proxy and in which nothing was written for so long: nobody makes them any more."""
        try:
            return [
                folder
                for folder in sorted(self.folder.iterdir())
                if folder.is_dir() and self._read(folder) is None and _quiet(folder) >= quiet_seconds
            ]
        except OSError:
            return []

    def remove(self, proxy: Proxy) -> int:
        """Take a proxy away; the bytes that were freed."""
        folder = Path(proxy.path).parent
        if folder.parent == self.folder:
            shutil.rmtree(folder, ignore_errors=True)
        return proxy.bytes if not os.path.exists(proxy.path) else 0

    def remove_halves(self, quiet_seconds: float = QUIET_SECONDS) -> int:
        """Take away what was never finished; how many."""
        found = self.halves(quiet_seconds)
        for folder in found:
            with contextlib.suppress(OSError):
                shutil.rmtree(folder)
        return len(found)


def _quiet(folder: Path) -> float:
    """Seconds since anything was written in a folder."""
    return time.time() - max(path.stat().st_mtime for path in (folder, *folder.iterdir()))
