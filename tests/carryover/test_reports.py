"""Reports as a person reads them: one cause, one row, the same facts in every form."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest
from lxml import html

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.model import Document
from wexodos.report import render, report_data


@pytest.fixture(scope="module")
def report(kiln_night: Document) -> dict[str, Any]:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("editing-lane-xml"))
    return report_data(carried, "kiln-night.xml", ["out.fcpxml"])


def test_every_finding_stands_in_one_row_and_no_row_stands_twice(report: dict[str, Any]) -> None:
    told = json.loads(render(report, ".json"))
    assert 5 < len(told["rows"]) < 25 < len(told["findings"])
    inside = [place for row in told["rows"] for place in row["findings"]]
    assert sorted(inside) == list(range(len(told["findings"])))
    assert len({(row["what"], row["fate"], row["why"]) for row in told["rows"]}) == len(told["rows"])
    for row in told["rows"]:
        within = [told["findings"][place] for place in row["findings"]]
        assert {one["fate"] for one in within} == {row["fate"]}
        assert row["minutes"] == pytest.approx(sum(one["minutes"] for one in within))
        assert row["at"] == min(one["at"] for one in within)


def test_what_is_carried_closely_counts_as_carried_and_keeps_its_finding(report: dict[str, Any]) -> None:
    told = json.loads(render(report, ".json"))
    close = [one for one in told["findings"] if one["closely"]]
    assert len(close) == 34 and {one["fate"] for one in close} == {"carried"}
    assert {one["kind"] for one in close} == {"level"} and not any(one["minutes"] for one in close)
    assert 0 < max(one["deviation"]["value"] for one in close) <= 0.09
    counted = dict.fromkeys(told["counts"], 0)
    for one in told["findings"]:
        counted[one["fate"]] += 1
    del counted["carried"]
    assert {fate: told["counts"][fate] for fate in counted} == counted
    assert sum(told["counts"].values()) == told["things"]
    assert told["budget_minutes"] == pytest.approx(sum(one["minutes"] for one in told["findings"]))


def test_the_page_has_a_row_for_a_cause_and_its_places_inside(report: dict[str, Any]) -> None:
    page = html.fromstring(render(report, ".html"))
    table = page.xpath("//table[.//th[text()='fate']]")[0]
    top = table.xpath("./tbody/tr")
    assert len(top) == len(report["rows"])
    fades = next(row for row in top if "equal-gain crossfade · 11 places" in row.text_content())
    places = fades.xpath(".//details//tr")
    assert len(places) == 11 and places[0].xpath("./td")[0].text == "01:00:29:00"
    levels = next(row for row in top if "level · 34 places" in row.text_content())
    assert "carried, closely" in levels.text_content() and "off by up to 0.09 dB" in levels.text_content()
    # What is carried has no mark among the fates: seven rings for seven things left behind, at most.
    assert 0 < len(page.xpath("//svg[@class='ledger']//circle")) <= 7
    one = next(row for row in top if "Soft glow" in row.text_content())
    assert not one.xpath(".//details") and "Night sky" in one.text_content()


def test_the_table_has_a_line_for_every_finding(report: dict[str, Any]) -> None:
    lines = list(csv.DictReader(io.StringIO(render(report, ".csv").decode("utf-8-sig"))))
    assert len(lines) == len(report["findings"])
    assert sum(line["closely"] == "True" for line in lines) == 34
