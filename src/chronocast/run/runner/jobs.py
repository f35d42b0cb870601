"""The jobs that a run's tasks are, each worded whole for whoever does it."""

from __future__ import annotations

import time
from dataclasses import asdict, replace
from fractions import Fraction

from chronocast.model.messages.jobs import CheckJob, Job, JoinJob, PieceJob, measured_every
from chronocast.model.paths import path_text
from chronocast.model.stages import BASE, CHECK, COPY, ENCODE, HERE, JOIN, SOUND
from chronocast.pieces.base_pieces import base_bytes
from chronocast.pieces.stock import Stock
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.output.expectation import expected_file
from chronocast.preparation.output.output_ready import OutputReady
from chronocast.preparation.station.drives import need_room
from chronocast.run.events import OutputSpec, TaskId
from chronocast.run.runner.folders import Folders
from chronocast.run.runner.hand.in_hand import InHand
from chronocast.run.runner.settling import wanted_pieces
from chronocast.run.view import shown_name

PACKET_BYTES = 20
"""What a container takes for a frame, at most, when there is to be room for a join."""


class Jobs:
    """``Jobs(in_hand, stock, folders, reserve, own_name)``.

    ``reserve`` is whether drives keep what is left free on purpose, ``own_name`` what this machine is called in its
    house.
    """

    def __init__(
        self,
        in_hand: InHand,
        stock: Stock,
        folders: Folders,
        reserve: bool = True,
        own_name: str = "",
    ) -> None:
        self.own_name = own_name
        self.expected: dict[str, float] = {}
        self.in_hand, self.stock, self.folders, self.reserve = in_hand, stock, folders, reserve
        self._make = {
            BASE.id: self._part,
            ENCODE.id: self._part,
            COPY.id: self._part,
            SOUND.id: self._part,
            JOIN.id: self._join,
            CHECK.id: self._check,
        }

    def know(self, ready: OutputReady) -> None:
        """Have an output's parts at hand."""
        for piece in ready.plan.pieces:
            task = TaskId(piece.stage.id, piece.name)
            self.in_hand.jobs[task], self.in_hand.planned_for[task] = piece, ready
        for base in ready.base_of.values():
            task = TaskId(BASE.id, base.name)
            self.in_hand.jobs[task], self.in_hand.planned_for[task] = base, ready
        if ready.plan.sound:
            self.in_hand.jobs[TaskId(SOUND.id, ready.plan.sound.name)] = ready.plan.sound

    def expect(self, view: Outlook) -> None:
        """Begin pieces in the order of a forecast from now on."""
        encodes = (stage for work in view.evening.works for stage in work.stages if stage.kind is ENCODE)
        self.expected = {
            name: float(mean)
            for stage in encodes
            for name, mean in zip(stage.names, stage.draws.mean(axis=1), strict=True)
        }

    def spec(self, ready: OutputReady, held: bool) -> tuple[OutputSpec, frozenset[str]]:
        """An output as the machine must know it, and which of its parts are in the stock."""
        sound = ready.plan.sound.name if ready.plan.sound else None
        costs = {piece.name: ready.cost(piece) for piece in ready.plan.pieces}
        if all(name in self.expected for name in costs):
            costs = self.expected
        # the longest first, as the forecast has it: the last to end is then a short one
        pieces = tuple(sorted(wanted_pieces(ready), key=lambda name: -costs.get(name, 0.0)))
        bases = tuple((name, ready.base_of[name].name) for name in pieces if name in ready.base_of)
        names = (*pieces, *(base for _, base in bases), *((sound,) if sound else ()))
        kept = frozenset(name for name in names if self.stock.size(name) is not None)
        copied = frozenset(piece.name for piece in ready.plan.pieces if piece.copied)
        keeps = ready.recipe.picture is not None and ready.recipe.picture.bases == "kept"
        spec = OutputSpec(
            ready.output.id,
            pieces,
            sound,
            held,
            copied=copied,
            bases=bases,
            keeps_bases=keeps,
            device=ready.device,
            stations=frozenset(HERE if name == self.own_name else name for name in ready.output.stations),
            waits=ready.not_before is not None and ready.not_before.timestamp() > time.time(),
        )
        return spec, kept

    @staticmethod
    def piece_map(ready: OutputReady, kept: frozenset[str]) -> list[tuple[str, int, str]]:
        """An output's pieces in order: each one's name, frames, and how it is treated.

        None of outputs whose common quality is still to be found: their pieces are made more than once.
        """
        pieces = () if ready.searching else ready.plan.pieces
        return [
            (shown_name(piece.name), piece.frames, "kept" if piece.name in kept else piece.kind)
            for piece in pieces
        ]

    def job(self, task: TaskId, attempt: int, joined: int = 0) -> Job:
        """The whole job of a task's attempt, its target chosen; ``joined`` is the attempt whose file is checked.

        Parameters
        ----------
        task
            The task.
        attempt
            The attempt's number.
        joined
            The attempt whose file is checked.

        Raises
        ------
        ChronocastError
            There is no room, or no place.
        """
        return self._make[task.kind](task, joined if task.kind == CHECK.id else attempt)

    def _part(self, task: TaskId, attempt: int) -> Job:
        target = self.stock.temporary(task.name, f"{self.folders.mark}-{attempt}")
        job, ready = self.in_hand.jobs[task], self.in_hand.planned_for.get(task)
        if isinstance(job, PieceJob) and task.kind == BASE.id:
            need_room(self.stock.folder, base_bytes(job), self.reserve)
            return job.model_copy(update={"target": str(target)})
        need_room(self.stock.folder, self.in_hand.piece_room, self.reserve)
        update: dict[str, object] = {"target": str(target), **self._from_base(task)}
        if isinstance(job, PieceJob) and ready is not None and ready.look_prior is not None:
            update["measure_every"] = measured_every(job.frames)
        if isinstance(job, PieceJob) and ready is not None and ready.copies_groups:
            update["digested"] = not job.copied
        return job.model_copy(update=update)

    def drop(self, name: str) -> None:
        """Take a part out of the stock; a base piece that somebody wishes to keep stays."""
        kept = self.stock.find(name)
        if kept is not None and not kept.facts.get("wished"):
            self.stock.discard(name)

    def _from_base(self, task: TaskId) -> dict[str, object]:
        """The base piece that a piece is encoded from, where it has one and that is there."""
        ready = self.in_hand.planned_for.get(task)
        base = ready.base_of.get(task.name) if ready and task.kind == ENCODE.id else None
        kept = self.stock.find(base.name) if base else None
        digest = str(kept.facts.get("digest") or "") if kept else ""
        self.in_hand.based[task] = bool(digest)
        return {"base": str(kept.path), "base_digest": digest} if kept and digest else {}

    def _join(self, task: TaskId, attempt: int) -> Job:
        ready = self.in_hand.ready[task.name]
        plan, picture = ready.plan, ready.recipe.picture
        self.folders.make(ready)
        names = [piece.name for piece in plan.pieces] + ([plan.sound.name] if plan.sound else [])
        parts = sum(self.stock.size(name) or 0 for name in names)
        need_room(ready.path.parent, parts + plan.frames * PACKET_BYTES + 2**16, self.reserve)
        kept = [self.stock.find(name) for name in names]
        for name in names:
            self.stock.use(name)
        tagged = plan.settings is not None and picture is not None and picture.kind.tags != "none"
        return JoinJob(
            name=task.name,
            target=path_text(self.folders.temporary(ready, attempt)),
            container=ready.recipe.container,
            rate=str(plan.rate),
            pieces=tuple((str(self.stock.path(piece.name)), piece.frames) for piece in plan.pieces),
            sound=str(self.stock.path(plan.sound.name)) if plan.sound else None,
            title=ready.title,
            codec=picture.codec if picture else "",
            languages=plan.sound.languages if plan.sound else (),
            shape=plan.pieces[0].shape if plan.pieces else Fraction(1),
            timecode=ready.timecode,
            sums=tuple(str(part.facts.get("sum") or "") if part else "" for part in kept),
            stem=path_text(ready.path.name),
            colour=plan.settings.colour if tagged and plan.settings else None,
        )

    def _check(self, task: TaskId, joined: int) -> Job:
        ready = self.in_hand.ready[task.name]
        plan = ready.plan
        kept = self.stock.find(plan.sound.name) if plan.sound else None
        expected = expected_file(ready, bool(kept and kept.facts.get("silent")))
        expected = replace(
            expected,
            copied=self._copied(ready),
            decoded=self._decoded(ready),
            instead=self._instead(ready),
            sound_copied=bool(plan.sound and plan.sound.copies and kept and kept.facts.get("copied")),
            onset=kept.facts.get("onset") if kept else None,
            exact=self._digests(ready),
            source_damage=(*expected.source_damage, *(kept.facts.get("damaged", ()) if kept else ())),
        )
        target = path_text(self.folders.temporary(ready, joined))
        return CheckJob(name=task.name, target=target, expected=asdict(expected))

    def _copied(self, ready: OutputReady) -> tuple[tuple[int, str], ...]:
        """Frames of each piece and the digest of its packets where they were copied, "" of others; none without any."""
        found = []
        for piece in ready.plan.pieces:
            kept = self.stock.find(piece.name) if piece.copied else None
            found.append((piece.frames, str(kept.facts.get("copied") or "") if kept else ""))
        return tuple(found) if any(digest for _, digest in found) else ()

    def _instead(self, ready: OutputReady) -> tuple[str, ...]:
        """Why pieces that were to be copied had to be encoded, each reason once."""
        sound = ready.plan.sound
        names = [piece.name for piece in ready.plan.pieces if piece.copied]
        names += [sound.name] if sound and sound.copies else []
        kept = (self.stock.find(name) for name in names)
        told = (
            str(found.facts["encoded_because"])
            for found in kept
            if found and "encoded_because" in found.facts
        )
        return tuple(dict.fromkeys(told))

    def _decoded(self, ready: OutputReady) -> tuple[tuple[int, str], ...]:
        """Frames and digest of what each stretch decodes to by itself, in a file of copied groups; none else."""
        found = list[tuple[int, str]]()
        for piece in ready.plan.pieces if ready.copies_groups else ():
            kept = self.stock.find(piece.name)
            runs = kept.facts.get("decoded") if kept else None
            found += [(int(frames), str(digest)) for frames, digest in runs or [(piece.frames, "")]]
        return tuple(found)

    def _digests(self, ready: OutputReady) -> tuple[tuple[int, str], ...]:
        """Frames and digest of each piece of a lossless output, where all of them are known."""
        found = []
        for piece in ready.plan.pieces:
            kept = self.stock.find(piece.name)
            if kept is None or not kept.facts.get("digest"):
                return ()
            found.append((piece.frames, str(kept.facts["digest"])))
        return tuple(found)
