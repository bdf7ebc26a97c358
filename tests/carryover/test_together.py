"""Several sequences that go over together: their order, one budget, one report; by hand."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace

from carryover.test_weighing import finding
from settling.bench import PAL, clip
from wexodos.carryover import Carried, Finding, as_one, came_back, carry_over, in_order
from wexodos.compare.aspects import Aspect
from wexodos.destinations import find_destination
from wexodos.model import Document, Media, Sequence, Track
from wexodos.report import render, report_data, together
from wexodos.settling.changes import Change
from wexodos.settling.vocabulary import Cause, Kind

FULL = Media("m", "A.mov", duration=500, rate=PAL, width=1920, height=1080, video=True)


def named(name: str, start: int = 0) -> Sequence:
    return Sequence(f"{name}-{start}", name, PAL, start=start)


def test_reels_follow_one_another_by_the_figures_in_their_names() -> None:
    given = ["Kiln R10", "kiln r2", "Kiln R02b", "Kiln R1", "Kiln", "7 fires", "Kiln R2 v3", "9" * 5000]
    assert [one.name[:10] for one in in_order(named(name) for name in given)] == [
        "7 fires",
        "9999999999",
        "Kiln",
        "Kiln R1",
        "kiln r2",
        "Kiln R2 v3",
        "Kiln R02b",
        "Kiln R10",
    ]
    # Noughts before a figure do not make it larger.
    assert [one.name for one in in_order(map(named, ("R10", "R009", "R2")))] == ["R2", "R009", "R10"]
    later, sooner = named("Kiln", 90_000), named("Kiln", 1500)
    assert in_order([later, sooner]) == [sooner, later]


def test_what_came_back_is_held_against_its_namesake() -> None:
    one, two, nest = named("R1"), named("R2"), replace(named("R3"), top_level=False)
    document = Document("xmeml", "5", (nest, one, two))
    assert came_back(document, "R2") is two
    assert came_back(document, "R9") is one
    assert came_back(document, "R3") is one
    assert came_back(Document("xmeml", "5"), "R1") is None


def carried(name: str, *found: Finding) -> Carried:
    """A carry-over of a cut of one clip, with these findings."""
    sequence = Sequence(name, name, PAL, tracks=(Track("video", (clip(f"i-{name}", 0, 50),)),))
    document = Document("xmeml", "5", (sequence,), (FULL,))
    done = carry_over(document, sequence, find_destination("editing-track-xml"))
    assert not done.findings
    return replace(done, findings=found)


def minutes(several: list[Carried]) -> list[list[float]]:
    return [[one.minutes for one in each.findings] for each in several]


def test_one_budget_takes_each_work_once() -> None:
    blur, glow = (finding(Cause.NO_FILTER, f"i-{name}", 6.0, name) for name in ("blur", "glow"))
    gone = {"kind": Kind.CLIP, "changes": (Change(Aspect.PRESENCE, "i", "x", None),)}
    cut = finding(Cause.NO_FILTER, "i", 3.0, **gone)
    little = replace(blur, minutes=0.1, item_id="i-4")
    first, second, third = (
        carried("R1", blur),
        carried("R2", glow, blur, cut),
        carried("R3", cut, glow, little),
    )
    whole = as_one([first, second, third])
    # The blur of R2 was found out for R1; a clip that is gone is cut in at every place.
    assert minutes(whole) == [[6.0], [6.0, 0.1, 3.0], [3.0, 0.1, 0.1]]
    assert whole[0] is first
    assert minutes(as_one(whole)) == minutes(whole)
    # The other way round the first of them costs.
    assert minutes(as_one([third, first])) == [[3.0, 6.0, 0.1], [6.0]]
    # Within one sequence nothing is weighed anew: its own findings were already.
    assert minutes(as_one([carried("R4", blur, blur)])) == [[6.0, 6.0]]


def test_one_report_adds_up() -> None:
    blur = finding(Cause.NO_FILTER, "i-R1", 6.0)
    several = [carried("R1", blur), carried("R2", replace(blur, item="=1+1"), replace(blur, minutes=1.5))]
    reports = [report_data(one, "film.xml", [f"{one.sequence.name}.xml"]) for one in several]
    data = together(reports, "film.xml")
    assert (data["budget_minutes"], data["things"], data["unexplained"]) == (
        13.5,
        sum(one.things for one in several),
        0,
    )
    assert data["counts"]["left behind"] == 3
    assert data["source"] == {"file": "film.xml", "format": "xmeml", "sequence": "R1, R2"}
    assert data["output"]["files"] == ["R1.xml", "R2.xml"]
    assert together(reports[:1], "film.xml") is reports[0]
    read = json.loads(render(data, ".json"))
    assert [one["source"]["sequence"] for one in read["sequences"]] == ["R1", "R2"]
    assert all("picture" not in one for one in read["sequences"])
    table = list(csv.reader(io.StringIO(render(data, ".csv").decode("utf-8-sig"))))
    assert [row[0] for row in table] == ["sequence", "R1", "R2", "R2"]
    assert [row[table[0].index("item")] for row in table[1:]] == ["i-R1", "'=1+1", "i-R1"]
    page = render(data, ".html").decode()
    assert page.index("<h2>R1</h2>") < page.index("<h2>R2</h2>") and page.count('<svg class="ledger"') == 2
    assert page.count("<b>13.5 min</b>") == 1 and page.count("<b>6 min</b>") == 1
    assert render(data, ".pdf").startswith(b"%PDF")


def test_what_goes_with_none_of_them_is_told_once() -> None:
    one = report_data(carried("R1"), "film.xml", ["a"])
    other = {
        **one,
        "other_sequences": ["R1", "Selects"],
        "unsent": {"media": ["B.mov", "C.mov"], "folders": [], "elements": ["x"]},
    }
    one = {
        **one,
        "other_sequences": ["R2", "Selects"],
        "unsent": {"media": ["A.mov", "B.mov"], "folders": [], "elements": ["x"]},
    }
    other["source"] = {**one["source"], "sequence": "R2"}
    third = {**one, "other_sequences": ["R2", "R1", "Selects"]}
    third["unsent"] = {"media": ["B.mov", "A.mov", "C.mov"], "folders": [], "elements": []}
    data = together([one, other, third], "film.xml")
    # R1 and R2 go with one of them; A and C are used in one, B in none.
    assert data["other_sequences"] == ["Selects"]
    assert data["unsent"] == {"media": ["B.mov"], "folders": [], "elements": ["x"]}
