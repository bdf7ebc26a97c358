"""Recipes as files, and running them from the command line."""

from __future__ import annotations

import gc
import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from wexodos.carryover import Options
from wexodos.cli import main
from wexodos.demo.build import CUT
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator
from wexodos.formats import read_file
from wexodos.ground import quiet
from wexodos.job import Decisions, Job, ready
from wexodos.media import Rules
from wexodos.model import Document
from wexodos.sound.locate import Finder
from wexodos.sound.mixing import mixed
from wexodos.tidy import STEPS, Chosen, Recipe, RecipeError, find_recipe, load_all, tidy
from wexodos.tidy.recipes import as_text, complete, file_of, load_file, parse
from wexodos.turnover.run import prepared
from wexodos.turnover.write import write_package

WORDS = st.text(st.characters(codec="utf-8"), max_size=20)


@given(WORDS, WORDS, st.lists(st.tuples(st.booleans(), WORDS), max_size=5))
def test_a_recipe_is_read_as_it_was_written(name: str, about: str, steps: list[tuple[bool, str]]) -> None:
    recipe = Recipe(
        name, about, tuple(Chosen("duplicate", on, {"name": words} if words else {}) for on, words in steps)
    )
    assert parse(as_text(recipe), "x") == recipe


def test_shipped_recipes_and_the_users_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    known, problems = load_all()
    assert {one.name for one in known} == {"Grading", "Mixing", "Compositing", "Finishing"} and not problems
    own = file_of("Kiln: night/grade")
    assert own.name == "Kiln- night-grade.toml"
    own.parent.mkdir(parents=True)
    own.write_text(as_text(Recipe("Kiln", "mine", (Chosen("empty"),))))
    (own.parent / "bad.toml").write_text("name = 'x'\n[[steps]]\nstep = 'fly'\n")
    known, problems = load_all()
    assert (
        known[-1].name == "Kiln" and not known[-1].builtin and find_recipe("kiln").steps == (Chosen("empty"),)
    )
    assert len(problems) == 1 and "there is no step 'fly'" in problems[0]
    for text, wanted in (
        ("name = 1", "no recipe"),
        ("steps = [", "no recipe"),
        ("name='x'\n[[steps]]\nstep='markers'\noptions={where='up'}", "step 1"),
        ("name='x'\nsecret=1", "no recipe"),
    ):
        with pytest.raises(RecipeError, match=wanted):
            parse(text, "bad.toml")
    with pytest.raises(RecipeError, match="cannot be opened"):
        load_file(tmp_path / "gone.toml")
    with pytest.raises(RecipeError, match="there is no recipe"):
        find_recipe("nothing")
    assert complete((Chosen("empty"),))[0].step == "empty" and len(complete(())) == len(STEPS)


def test_every_shipped_recipe_leaves_the_rest_of_the_demo_as_it_was(kiln_night: Document) -> None:
    cut = kiln_night.top_level[0]
    for name in ("Grading", "Mixing", "Compositing", "Finishing"):
        done = tidy(kiln_night, cut, find_recipe(name).steps)
        assert done.unproven == 0 and not done.problems
        assert not any(line.grave for did in done.steps for line in did.outcome.lines)
    graded = tidy(kiln_night, cut, find_recipe("Grading").steps)
    assert (len(graded.sequence.tracks), graded.sequence.duration) == (3, cut.duration)
    mixed = tidy(kiln_night, cut, find_recipe("Mixing").steps)
    assert [track.name for track in mixed.sequence.tracks if track.kind == "audio"] == [
        "Dialogue 1",
        "Dialogue 2",
        "Music 1",
        "Effects 1",
        "Ambience 1",
        "Camera",
    ]
    assert [did.shift for did in mixed.steps if did.chosen.step == "leader"] == [0]
    assert mixed.shift == 200 and str(mixed.sequence.timecode(200)) == "01:00:00:00"


def test_a_step_that_cannot_be_done_is_passed_over_and_said(kiln_night: Document) -> None:
    cut = kiln_night.top_level[0]
    done = tidy(
        kiln_night,
        cut,
        (
            Chosen("range", True, {"from": "nonsense"}),
            Chosen("empty", False),
            Chosen("start", True, {"start": "02:00:00:00"}),
        ),
    )
    assert done.problems == ["Keep a range: from: not a timecode: 'nonsense'"]
    assert str(done.sequence.timecode(0)) == "02:00:00:00"
    later = tidy(
        kiln_night,
        cut,
        (Chosen("range", True, {"from": "+100"}), Chosen("take-out", True, {"kinds": "titles"})),
    )
    line = next(line for line in later.steps[1].outcome.lines if line.item == "Lower third · Ada Quill")  # type: ignore[union-attr]
    assert (line.start - later.steps[1].shift, later.steps[1].shift) == (1460, -100)
    assert done.steps[1].effect == "no track is empty"


def test_the_next_version_of_a_cut_keeps_what_was_decided(kiln_night: Document) -> None:
    steps = find_recipe("Grading").steps
    now = Decisions(
        sequence="sequence-1",
        destination="grading-aaf",
        tidy=(*steps, Chosen("fly")),
        links={"/a.mov": "/b.mov"},
        rules=Rules(3, ("/s",)),
        by_finding={"x": "note"},
        by_kind={"transition|wipe": "note"},
        returned="r.xml",
    )
    following = Job("v7.xml", now).saw({"/b.mov": "1:2"}).next_version("v8.xml")
    assert following.now.steps == steps
    assert (following.now.links, following.now.rules, following.now.destination, following.now.by_kind) == (
        now.links,
        now.rules,
        now.destination,
        now.by_kind,
    )
    assert (following.now.sequence, following.now.returned, following.now.by_finding, following.seen) == (
        "",
        "",
        {},
        {"/b.mov": "1:2"},
    )
    assert following.saw({"/b.mov": "9:9"}) is following
    cut = kiln_night.top_level[0]
    made = ready(kiln_night, cut, following.now.steps, [])
    assert made.sequence.name == "Kiln Night R1 v7 grading" and made.taken == kiln_night


def test_a_tidied_cut_goes_to_the_mixer_with_its_pops_inside(whole_demo: Path, tmp_path: Path) -> None:
    document = read_file(whole_demo / CUT)
    done = tidy(document, document.top_level[0], find_recipe("Mixing").steps)
    source, out = whole_demo / CUT, tmp_path / "mix.omf"
    turned = prepared(
        done.document,
        done.sequence,
        find_destination("mixing-omf"),
        source,
        out,
        Options(),
        quiet,
        renders=done.renders,
    )
    gc.collect()
    write_package([part for one in turned for part in one.parts], tmp_path, source, quiet)
    assert [one.carried.errors for one in turned] == [0]
    back = read_file(out)
    heard = mixed(Evaluator(back), back.top_level[0], 0, 200, Finder(out, back))
    pop = 150 * 1920
    assert (
        np.abs(heard[pop : pop + 1920]).max() > 0.09
        and not heard[:pop].any()
        and not heard[pop + 1920 :].any()
    )


# ---- the command line


def test_tidy_on_the_command_line_writes_the_cut_and_what_it_needs(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "mixing.xml"
    assert main(["tidy", str(whole_demo / CUT), "--recipe", "Mixing", "--out", str(out), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["unproven"] == 0 and told["result"] == "Kiln Night R1 v7 mixing"
    assert {Path(one).name for one in told["output"]} == {"mixing.xml", "Sync pop.wav"}
    assert told["written"]["unexplained"] == 0 and told["written"]["other_sequences"] == []
    assert next(one for one in told["steps"] if one["step"] == "sound")["did"][0]["what"] == "track goes"
    samples, rate = soundfile.read(tmp_path / "mixing media" / "Sync pop.wav")
    assert (len(samples), rate) == (1920, 48000) and abs(abs(samples).max() - 0.1) < 1e-4
    crossings = ((samples[:-1] < 0) & (samples[1:] >= 0)).sum()
    assert crossings in (39, 40)
    back = read_file(out)
    assert main(["media", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["counts"]["missing"] == 0
    assert str(back.top_level[0].timecode(0)) == "00:59:52:00"
    finished = tmp_path / "finished.fcpxml"
    assert main(["tidy", str(whole_demo / CUT), "--recipe", "Finishing", "--out", str(finished)]) == 0
    assert "every frame is what it was" in capsys.readouterr().out
    assert len(list((tmp_path / "finished media").glob("*.mov"))) == 2


def test_tidy_with_wrong_input_is_one_sentence_and_leaves_nothing(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut = str(whole_demo / CUT)
    bad = tmp_path / "bad.toml"
    bad.write_text("name='x'\n[[steps]]\nstep='range'\noptions={from='never'}\n")
    for arguments, status, words in (
        (["tidy", cut, "--recipe", "Nothing", "--out", str(tmp_path / "a.xml")], 2, "there is no recipe"),
        (["tidy", cut, "--recipe", str(bad), "--out", str(tmp_path / "a.xml")], 2, "Keep a range: from"),
        (
            ["tidy", str(tmp_path / "gone.xml"), "--recipe", "Grading", "--out", str(tmp_path / "a.xml")],
            3,
            "gone.xml",
        ),
        (["tidy", cut, "--recipe", "Grading", "--out", cut], 4, "never changed"),
        (["tidy", cut, "--recipe", "Grading", "--out", str(tmp_path / "no" / "a.xml")], 4, "no such folder"),
        (
            ["relink", cut, "--out", str(tmp_path / "a.xml"), "--search", str(tmp_path / "none")],
            3,
            "no such folder",
        ),
        (["relink", cut, "--out", str(tmp_path / "a.xml"), "--map", "nothing"], 2, "WRITTEN=HERE"),
        (["media", cut, "--choose", "x=y"], 2, "NAME=PATH"),
    ):
        assert main(arguments) == status, arguments
        said = capsys.readouterr().err
        assert words in said and "Traceback" not in said
    assert [one.name for one in tmp_path.iterdir()] == ["bad.toml"]
    assert main(["recipes", "--json"]) == 0
    assert {one["id"] for one in json.loads(capsys.readouterr().out)["steps"]} == set(STEPS)
