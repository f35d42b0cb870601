"""Make one output without a run: plan, encode, render, join, prove.  All of it real."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from chronocast.deliver.checks import judge
from chronocast.media.files.join import join
from chronocast.media.files.prove import prove
from chronocast.media.files.sound import render_sound
from chronocast.media.piece.encode import encode_piece
from chronocast.media.source.inspect import inspect_clip
from chronocast.media.source.readers import Readers
from chronocast.model.messages.check import Check
from chronocast.model.messages.jobs import JoinJob
from chronocast.model.picture.geometry import PictureSize
from chronocast.model.recipe.recipe import Recipe
from chronocast.model.source.cutlist import CutList
from chronocast.model.time.timing import FrameRange
from chronocast.pieces.plan import OutputPlan, plan_output
from chronocast.preparation.output.expectation import expected_of
from chronocast.timeline.clip_layout import clip_cut_list


class Maker:
    """``Maker(folder, source)``: pieces that were made are not made again."""

    def __init__(self, folder: Path, source: Path) -> None:
        self.folder = folder
        self.cut: CutList = clip_cut_list(inspect_clip(str(source)))
        self.readers = Readers()
        self.made: dict[str, Path] = {}

    def plan(self, recipe: Recipe, part: FrameRange | None = None) -> OutputPlan:
        return plan_output(self.cut, part or FrameRange(0, self.cut.frames), recipe)

    def make(
        self, recipe: Recipe, part: FrameRange | None = None, name: str = ""
    ) -> tuple[Path, list[Check]]:
        """The finished file, and everything that is proved about it."""
        plan = self.plan(recipe, part)
        for piece in plan.pieces:
            if piece.name not in self.made:
                self.made[piece.name] = self.folder / f"{piece.name}.mp4"
                encode_piece(piece.model_copy(update={"target": str(self.made[piece.name])}), self.readers)
        if plan.sound and plan.sound.name not in self.made:
            self.made[plan.sound.name] = self.folder / f"{plan.sound.name}.mp4"
            render_sound(plan.sound.model_copy(update={"target": str(self.made[plan.sound.name])}))
        target = self.folder / f"{name or recipe.id}.{recipe.container}"
        join(
            JoinJob(
                name=recipe.id,
                target=str(target),
                container=recipe.container,
                rate=str(plan.rate),
                pieces=tuple((str(self.made[p.name]), p.frames) for p in plan.pieces),
                sound=str(self.made[plan.sound.name]) if plan.sound else None,
                codec=recipe.picture.codec if recipe.picture else "",
                stem="still",
                colour=plan.settings.colour
                if plan.settings and recipe.picture and recipe.picture.kind.tags != "none"
                else None,
                languages=plan.sound.languages if plan.sound else (),
            )
        )
        expected = expected_of(
            recipe,
            plan.duration,
            PictureSize(plan.width, plan.height),
            sound=plan.sound,
            silent=False,
        )
        if plan.settings and recipe.picture and recipe.picture.kind.tags != "none":
            expected = replace(expected, colour=plan.settings.colour)
        return target, judge(prove(str(target)), expected)
