"""What a run's files look like while they are made: of each, the newest piece's poorest picture, and the poorest of all."""

from __future__ import annotations

import contextlib
import os
import shutil
from pathlib import Path

from chronocast.model.answers import Answer
from chronocast.model.messages.jobs import PieceJob, pair_beside
from chronocast.preparation.output.output_ready import OutputReady

ENDING = ".pictures"


class RunPictures:
    """``RunPictures(journal)``: JPEGs beside a run's journal, each the original to the left and the encode to the right.

    Parameters
    ----------
    journal
        The journal's file.
    """

    def __init__(self, journal: Path) -> None:
        self.folder = journal.with_suffix(ENDING)
        self._poorest: dict[str, float] = {}

    def take(
        self, ready: OutputReady, piece: PieceJob, temporary: Path, told: tuple[int, float]
    ) -> Answer | None:
        """Take over a piece's picture; what is to be said of it, None where it isn't there.

        Parameters
        ----------
        ready
            The output that it is of.
        piece
            The piece.
        temporary
            The attempt's file, which the picture lies beside.
        told
            The picture's number in the piece, and its XPSNR in dB.
        """
        name, (number, xpsnr) = ready.output.id, told
        begin = 0
        for other in ready.plan.pieces:
            if other.name == piece.name:
                break
            begin += other.frames
        newest, poorest = self.folder / f"{name}.jpg", self.folder / f"{name}.poorest.jpg"
        said: Answer = {"file": str(newest), "at": ready.timecode_at(begin + number), "xpsnr": xpsnr}
        try:
            if not self.folder.exists():
                self._forget_others()
            self.folder.mkdir(exist_ok=True)
            shutil.move(pair_beside(str(temporary)), newest)
            if xpsnr < self._poorest.get(name, float("inf")):
                self._poorest[name] = xpsnr
                shutil.copyfile(newest, poorest)
                said["poorest"] = str(poorest)
        except OSError:
            return None
        return said

    def _forget_others(self) -> None:
        """Remove the pictures of the batch's earlier runs: nobody is shown them any more."""
        for other in self.folder.parent.glob(f"*{ENDING}"):
            if other != self.folder:
                shutil.rmtree(other, ignore_errors=True)

    @staticmethod
    def drop(temporary: Path) -> None:
        """Remove the picture of an attempt that came to nothing."""
        with contextlib.suppress(OSError):
            os.unlink(pair_beside(str(temporary)))
