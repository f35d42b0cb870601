"""Proxies of real films: made by a run of their own, the same picture for picture, used where one looks and for drafts, noticed when stale."""

from __future__ import annotations

import os
import shutil
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import ClassVar

import av
import numpy as np

from chronocast.demo.counter import read
from chronocast.forecast.learning.experience import Experience
from chronocast.journal.documents import load_batch, save_batch
from chronocast.journal.workspace import Workspace
from chronocast.media.files.footage import Format, write_footage
from chronocast.media.viewing.stills import Frame, LookingReaders, Stills
from chronocast.model.batch.batch import FULL, Batch
from chronocast.model.batch.edits import add_recipe, add_source, fill
from chronocast.model.recipe.recipe import FrameSize, PictureRecipe, RateControl, Recipe
from chronocast.model.source.proxy import no_proxy, slow_to_look_at
from chronocast.preparation.asked.candidates import candidates
from chronocast.preparation.output.output_ready import Prospect
from chronocast.preparation.proxies import plan_proxies, proxies_begun, proxies_told
from chronocast.preparation.proxies_left import proxies_left, remove_proxies
from chronocast.preparation.today import outlook_now, prepared
from chronocast.run.quiet import run_quietly
from tests.footage import counted, counters, tone
from tests.runs import render

WEB = Recipe(
    id="web",
    name="Web",
    sound=None,
    picture=PictureRecipe(
        effort="fast",
        size=FrameSize(mode="ceiling", width=640, height=640),
        rate_control=RateControl(mode="quality", quality=26),
    ),
)
DRAFT = WEB.model_copy(
    update={"id": "draft", "name": "Draft", "picture": WEB.picture.model_copy(update={"drawn": "proxies"})}  # type: ignore[union-attr]
)


class Proxies(unittest.TestCase):
    folder: ClassVar[Path]
    workspace: ClassVar[Workspace]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp())
        cls.workspace = Workspace()
        cls.film("long.mp4", 241, (1920, 1080), 60)
        cls.film("upright.mp4", 242, (1080, 1998), 30)
        cls.film("small.mp4", 243, (320, 180), 30)
        batch, path = cls.batch("films", "long.mp4", "upright.mp4", "small.mp4")
        prospect = prepared(batch, path, cls.workspace)
        cls.plan = plan_proxies(prospect.sources.values(), cls.workspace)
        cls.told = proxies_told(cls.plan, cls.workspace)
        assert not cls.workspace.proxies.folder.exists(), "asking what it takes writes nothing"
        made, at = proxies_begun(cls.plan.films, cls.workspace)
        cls.view = run_quietly(made, at)

    @classmethod
    def film(cls, name: str, number: int, size: tuple[int, int], frames: int) -> Path:
        path = cls.folder / name
        form = Format(
            options={"preset": "ultrafast", "g": "250"}, languages=("deu", "eng"), timecode="10:00:00:00"
        )
        sound = [tone(frames / 25, pitch) for pitch in (220, 330)]
        write_footage(
            str(path), counted(number, frames, *size), Fraction(25), quality=30, sound=sound, form=form
        )
        return path

    @classmethod
    def batch(cls, name: str, *films: str, recipes: tuple[Recipe, ...] = (WEB, DRAFT)) -> tuple[Batch, Path]:
        batch = Batch(title=name, folder=f"out {name}")
        for recipe in recipes:
            batch = add_recipe(batch, recipe)
        for film in films:
            batch = add_source(batch, film, film.partition(".")[0], "clip")
        batch = fill(batch, [(source.id, FULL, recipe.id) for source in batch.sources for recipe in recipes])
        path = cls.folder / f"{name}.batch.json"
        save_batch(batch, path)
        return batch, path

    def prospect(self, name: str) -> Prospect:
        path = self.folder / f"{name}.batch.json"
        return prepared(load_batch(path), path, Workspace())

    def test_only_films_that_are_slow_get_one_and_it_is_told_what_that_takes(self) -> None:
        self.assertEqual([film.source.name for film in self.plan.films], ["long", "upright"])
        self.assertIn("2 films are slow to look at", self.told)
        self.assertIn("MB", self.told)
        self.assertEqual({output.state for output in self.view.outputs.values()}, {"proved"})
        again = plan_proxies(self.prospect("films").sources.values(), self.workspace)
        self.assertEqual((again.films, again.have), ((), 2))

    def test_a_proxy_is_its_film_picture_for_picture_with_its_time_name_and_tracks(self) -> None:
        for film in self.plan.films:
            proxy = self.workspace.proxies.find(film.facts.fingerprint)
            assert proxy is not None
            self.assertEqual(Path(proxy.path).stem, Path(film.facts.path).stem)
            self.assertEqual(counters(Path(proxy.path)), counters(Path(film.facts.path)))
            with av.open(proxy.path) as container:
                self.assertEqual([s.metadata["language"] for s in container.streams.audio], ["ger", "eng"])
                self.assertEqual(container.streams.video[0].metadata["timecode"], "10:00:00:00")
                self.assertLessEqual(
                    max(container.streams.video[0].width, container.streams.video[0].height), 1024
                )

    def test_looking_reads_from_it_and_says_so_and_shows_the_same(self) -> None:
        for source in self.prospect("films").sources.values():
            cut, slow = source.cut, source.source.name != "small"
            quick = Stills(cut, LookingReaders(proxy_of=self.workspace.proxies.find))
            plain = Stills(cut, LookingReaders())
            for number in (29, 3, 17):
                shown = Frame((cut.width // 4 * 2, cut.height // 4 * 2))
                with self.subTest(source.source.name, number=number):
                    picture, original = quick.picture(number, shown), plain.picture(number, shown)
                    found = read(np.ascontiguousarray(picture[:, :, 1]))
                    self.assertEqual(found[1] if found else None, number)
                    self.assertEqual(picture.shape, original.shape)
                    self.assertLess(float(np.abs(picture.astype(int) - original.astype(int)).mean()), 9)
                    self.assertEqual((quick.from_proxy(number), plain.from_proxy(number)), (slow, False))

    def test_a_draft_is_drawn_from_it_and_its_file_says_so(self) -> None:
        batch, path = self.batch("drafts", "long.mp4", "small.mp4")
        view = outlook_now(self.prospect("drafts"), Workspace())
        found = {item.ready.output.id: item for item in view.outputs}
        draft, plain = found["long-draft"], found["long-web"]
        self.assertLess(draft.cpu_seconds.likely, plain.cpu_seconds.likely)
        self.assertAlmostEqual(draft.bytes.likely / plain.bytes.likely, 1, delta=0.2)
        self.assertIsNone(draft.looks, "it would be held against the proxy")
        ways = candidates(plain.ready, Workspace().stock, view.station, Experience())
        self.assertIn("drawn from proxies, a draft", [way.words for way in ways])
        made = render(batch, path).outputs
        self.assertEqual({output.state for output in made.values()}, {"proved"})
        told = {name: str(output.checks) for name, output in made.items()}
        self.assertIn("drawn from proxies: a draft", told["long-draft"])
        self.assertNotIn("proxies", told["long-web"])
        self.assertIn("there are none: drawn from originals", told["small-draft"])
        self.assertEqual(counters(Path(made["long-draft"].path)), counters(self.folder / "long.mp4"))

    def test_a_film_that_changes_has_no_proxy_any_more_and_the_old_one_can_go(self) -> None:
        film = self.film("changing.mp4", 244, (1920, 1080), 30)
        batch, path = self.batch("changing", "changing.mp4")
        plan = plan_proxies(prepared(batch, path, self.workspace).sources.values(), self.workspace)
        run_quietly(*proxies_begun(plan.films, self.workspace))
        old = self.workspace.proxies.find(plan.films[0].facts.fingerprint)
        assert old is not None
        self.film("changing.mp4", 245, (1920, 1080), 40)
        os.utime(film, (1, 1))
        (source,) = self.prospect("changing").sources.values()
        (facts,) = source.facts.values()
        self.assertIsNone(self.workspace.proxies.find(facts.fingerprint))
        self.assertIsNone(source.proxied)
        left = proxies_left(self.workspace.proxies)
        self.assertIn(old.path, [proxy.path for proxy in left.stale])
        self.assertGreater(remove_proxies(self.workspace.proxies, left), 0)
        self.assertFalse(os.path.exists(old.path))
        self.assertEqual(len(self.workspace.proxies.all()), 2, "those whose films are there stay")

    def test_half_of_one_and_one_of_another_length_are_not_used(self) -> None:
        film = self.plan.films[1]
        whole = self.workspace.proxies.find(film.facts.fingerprint)
        assert whole is not None
        other = Workspace(data=self.folder / "other")
        place = other.proxies.expect(film.facts)
        self.assertIsNone(other.proxies.find(film.facts.fingerprint), "only its record is there")
        self.assertEqual(other.proxies.halves(), [], "somebody may be making it")
        self.assertEqual(other.proxies.halves(quiet_seconds=0), [place])
        long = self.workspace.proxies.find(self.plan.films[0].facts.fingerprint)
        assert long is not None
        shutil.copy(long.path, place / "upright.mov")
        source = next(s for s in self.prospect("films").sources.values() if s.source.name == "upright")
        stills = Stills(source.cut, LookingReaders(proxy_of=other.proxies.find))
        stills.picture(3, Frame((108, 200)))
        self.assertFalse(stills.from_proxy(3))
        (place / "proxy.json").write_text("{broken")
        self.assertIsNone(other.proxies.find(film.facts.fingerprint))
        self.assertEqual(other.proxies.remove_halves(quiet_seconds=0), 1)

    def test_films_of_uneven_times_have_none_and_it_is_said_why(self) -> None:
        facts = self.plan.films[0].facts
        uneven = replace(facts, variable_timing=True)
        self.assertEqual((no_proxy(facts), no_proxy(uneven)), ("", "its pictures come at uneven times"))
        self.assertEqual(slow_to_look_at(replace(facts, width=640, height=360)), "")
        source = next(iter(self.prospect("films").sources.values()))
        plan = plan_proxies([replace(source, facts={uneven.path: uneven})], self.workspace)
        self.assertIn("can have none: its pictures come at uneven times", proxies_told(plan, self.workspace))
