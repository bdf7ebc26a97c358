"""A job: decisions, undo, saved whole or not at all."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from wexodos.carryover import Remedy
from wexodos.job import Decisions, Job, JobError, JobLock, job_path, load, recent, save


@given(st.lists(st.sampled_from(["d1", "d2", "d3"]), max_size=12))
def test_undo_and_redo_walk_the_decisions(wanted: list[str]) -> None:
    job = Job("cut.xml")
    seen = [job.now]
    for one in wanted:
        job = job.decide(destination=one)
        if job.now != seen[-1]:
            seen.append(job.now)
    for expected in reversed(seen[:-1]):
        job = job.undo()
        assert job.now == expected
    assert job.undo() == job
    for expected in seen[1:]:
        job = job.redo()
        assert job.now == expected
    assert job.redo() == job


def test_a_new_decision_ends_what_could_be_redone() -> None:
    job = Job("cut.xml").decide(destination="a").decide(destination="b").undo().decide(destination="c")
    assert job.redo().now.destination == "c"


def test_saved_and_loaded_with_its_history(tmp_path: Path) -> None:
    job = (
        Job("cut.xml")
        .decide(destination="a")
        .decide(by_finding={"transition|wipe|t1": "leave"}, by_kind={"title": "note"})
        .undo()
    )
    save(job, tmp_path / "deep" / "x.wexo")
    back = load(tmp_path / "deep" / "x.wexo")
    assert back == job
    choices = back.redo().now.choices
    assert choices.by_key == {"transition|wipe|t1": Remedy.LEAVE}
    assert choices.by_what == {"title": Remedy.NOTE}


def test_what_is_no_job_is_refused_and_words_it_does_not_know_are_passed_over(tmp_path: Path) -> None:
    (tmp_path / "x.wexo").write_text("{}")
    with pytest.raises(JobError, match="no job"):
        load(tmp_path / "x.wexo")
    with pytest.raises(JobError, match="cannot be opened"):
        load(tmp_path / "y.wexo")
    assert Decisions(by_kind={"title": "explode"}).choices.by_what == {}


def test_recent_jobs_newest_first(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import os

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    for age, name in enumerate(("old.xml", "new.xml")):
        path = job_path(tmp_path / name)
        save(Job(str(tmp_path / name)), path)
        os.utime(path, (1000 + age, 1000 + age))
    (path.parent / "broken.wexo").write_text("?")
    assert [Path(job.source).name for _, job in recent()] == ["new.xml", "old.xml"]
    assert job_path(Path("/a/cut.xml")) != job_path(Path("/b/cut.xml"))


def test_one_window_has_a_job_and_gives_it_to_one_that_asks(tmp_path: Path) -> None:
    first, second = JobLock(tmp_path / "deep" / "x.wexo"), JobLock(tmp_path / "deep" / "x.wexo")
    assert first.take() and first.held and not first.asked()
    assert not second.take() and not second.held
    second.ask()
    assert first.asked() and not second.take()
    first.release()
    assert not first.held and second.take() and second.held and not second.asked()
    # Where nothing can be written everybody may work: nothing can be overwritten.
    (tmp_path / "file").write_text("")
    nowhere = JobLock(tmp_path / "file" / "x.wexo")
    assert nowhere.take() and nowhere.held
