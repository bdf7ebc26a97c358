"""The tables of what is read, written, kept and passed over say what happens: every row is tried out on a document that has
everything."""

from __future__ import annotations

import copy
from dataclasses import replace
from pathlib import Path

import msgspec
import pytest
from lxml import etree

from wexodos.carryover import Options, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, ReadError, read_bytes
from wexodos.formats.coverage import Row
from wexodos.formats.fcpxml.coverage import ROWS as LANE_ROWS
from wexodos.formats.xmeml.coverage import ROWS as TRACK_ROWS
from wexodos.model import Document

HERE = Path(__file__).parent
FILES = {"xmeml": HERE / "everything.xml", "fcpxml": HERE / "everything.fcpxml"}
ROOTS = {dialect: etree.fromstring(path.read_bytes()) for dialect, path in FILES.items()}
# What else says the same, and has to go first before its own going shows.
SAYS_THE_SAME = {
    ("timecode", "string"): ["frame"], ("timecode", "displayformat"): ["string"], ("effect", "name"): ["effectid"],
    ("transitionitem", "alignment"): ["cutPointTicks"], ("valueentry", "name"): [], ("interpolation", "name"): ["inbez", "outbez"],
    ("parameter", "name"): ["parameterid"], ("video", "duration"): ["duration"], ("transitionitem", "rate"): [],
    ("file", "name"): ["pathurl"], ("parameter", "interpolation"): ["inbez", "outbez"], ("link", "mediatype"): [],
}


def read(root: etree._Element) -> Document | None:
    try:
        found = read_bytes(etree.tostring(root))
    except ReadError:
        return None
    return replace(found, notes=())


def without(root: etree._Element, row: Row) -> etree._Element:
    """The document without what a row names, everywhere."""
    rest = copy.deepcopy(root)
    for parent in [rest, *rest.iter(row.parent)]:
        if parent.tag == row.parent:
            if row.name.startswith("@"):
                parent.attrib.pop(row.name[1:], None)
            else:
                for child in parent.findall(row.name):
                    parent.remove(child)
    return rest


def has(root: etree._Element, row: Row) -> bool:
    holders = list(root.iter(row.parent))
    if row.name.startswith("@"):
        return any(row.name[1:] in one.attrib for one in holders)
    return any(one.find(row.name) is not None for one in holders)


WHOLE = {dialect: read(root) for dialect, root in ROOTS.items()}
EDITING = {"xmeml": "editing-track-xml", "fcpxml": "editing-lane-xml"}
WRITTEN: dict[str, etree._Element] = {}


def written(dialect: str) -> etree._Element:
    """What goes out of the whole document: organised and bare, in the newest version and the oldest, as a writer never spells
    one thing in two ways."""
    if dialect not in WRITTEN:
        document = WHOLE[dialect]
        assert document is not None
        holder = etree.Element("all")
        for version in (FORMATS[dialect].versions[-1], FORMATS[dialect].versions[0]):
            for organised in (True, False):
                destination = msgspec.structs.replace(find_destination(EDITING[dialect]), version=version)
                carried = carry_over(document, document.top_level[0], destination, options=Options(organised=organised))
                holder.append(etree.fromstring(carried.data))
        WRITTEN[dialect] = holder
    return WRITTEN[dialect]


CASES = [("xmeml", row) for row in TRACK_ROWS] + [("fcpxml", row) for row in LANE_ROWS]


@pytest.mark.parametrize(("dialect", "row"), CASES, ids=[f"{dialect}-{row.parent}-{row.name}" for dialect, row in CASES])
def test_the_table_tells_the_truth(dialect: str, row: Row) -> None:
    root = ROOTS[dialect]
    assert has(root, row), "the document that has everything lacks it"
    if "w" in row.uses:
        assert has(written(dialect), row), "it is not written"
    if "k" in row.uses:
        # What hung on a clip around a source hangs on the source's own clip then.
        wherever = f".//*[@{row.name[1:]}]" if row.name.startswith("@") else f".//{row.name}"
        assert written(dialect).find(wherever) is not None, "it is not written back"
    if row.uses & {"r", "k"}:
        base = root
        for twin in SAYS_THE_SAME.get((row.parent, row.name), []):
            for parent in (row.parent, "keyframe", "file", "timecode"):
                base = without(base, Row(parent, twin, frozenset()))
        changed = without(base, row)
        assert read(base) != read(changed) or altered(root, row), "the model does not show it"
    elif "i" in row.uses:
        assert row.why
        assert read(without(root, row)) == WHOLE[dialect], "it is not passed over"


def altered(root: etree._Element, row: Row) -> bool:
    """Whether other words at the same place make another model."""
    for value in ("7", "TRUE", "FALSE", "other", "1/7s", "0", "9 9", "-12dB", "none", "DF", "linear"):
        other = copy.deepcopy(root)
        for parent in other.iter(row.parent):
            if row.name.startswith("@"):
                if row.name[1:] in parent.attrib:
                    parent.set(row.name[1:], value)
            else:
                for child in parent.findall(row.name):
                    child.text = value
        if read(other) != WHOLE[root.tag]:
            return True
    return False
