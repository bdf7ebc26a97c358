"""Small pictures in the report: before and after, of what is seen, where it is seen."""

from __future__ import annotations

import base64
import json
import re
from pathlib import Path

import cv2
import numpy as np

from wexodos.carryover import carry_over
from wexodos.demo.build import CUT
from wexodos.destinations import find_destination
from wexodos.formats import read_file
from wexodos.ground import quiet
from wexodos.picture import Composer, Frames
from wexodos.report import render, report_data
from wexodos.report.sights import HEIGHT, sights
from wexodos.sound.locate import Finder


def test_what_is_seen_is_shown_before_and_after(whole_demo: Path) -> None:
    source = whole_demo / CUT
    document = read_file(source)
    cut = document.top_level[0]
    carried = carry_over(document, cut, find_destination("grading-lane-xml"))
    there = {media.path: media for media in document.media}
    finder = Finder(source, document)
    frames = Frames()
    before = Composer(document, finder, frames)
    after = Composer(carried.returned, lambda media: finder(there.get(media.path, media)), frames)
    seen = sights(carried.findings, (before, cut), (after, carried.returned_sequence), quiet)
    by_key = {one.key: one for one in carried.findings}
    kinds = {by_key[key].kind.value for key in seen}
    assert {"title", "transition", "filter"} <= kinds and not kinds & {"track", "marker", "metadata", "level"}
    assert all(by_key[key].track.startswith("V") for key in seen)

    def decoded(data: bytes) -> np.ndarray:
        return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(int)

    (title,) = [one for one in carried.findings if one.item == "Opening title" and one.kind == "title"]
    first, second = map(decoded, seen[title.key])
    assert first.shape == second.shape == (HEIGHT, HEIGHT * 16 // 9, 3)
    # The frame in the middle, within what this coding loses; its words are gone over there.
    middle = int(title.start + title.stop - 1) // 2
    meant = before.frame(cut, middle, HEIGHT).picture[..., :3] * 255
    assert np.abs(first - meant).mean() < 4
    letters = np.abs(first - second).max(axis=2) > 90
    assert 20 < letters.sum() < 2000 and np.abs(first - second)[~letters].mean() < 3
    # On the page and in print, not in what programs read.
    data = report_data(carried, str(source), ["a.fcpxml"], seen)
    page = render(data, ".html").decode()
    images = re.findall(r'src="data:image/jpeg;base64,([^"]+)"', page)
    assert len(images) == 2 * sum(by_key[one.key].key in seen for one in carried.findings)
    assert base64.b64encode(seen[title.key][0]).decode() in images
    assert render(data, ".pdf").count(b"/Subtype /Image") > 8
    assert "sights" not in json.loads(render(data, ".json"))
    plain = report_data(carried, str(source), ["a.fcpxml"])
    assert b"data:image/jpeg" not in render(plain, ".html")
    assert b"/Subtype /Image" not in render(plain, ".pdf")
