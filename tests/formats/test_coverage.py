"""The tables of what is read, written, kept and passed over say what happens: every row is tried out on a
document that has everything."""

from __future__ import annotations

import copy
import importlib.util
from dataclasses import replace
from fractions import Fraction as F
from pathlib import Path

import msgspec
import pytest
from lxml import etree

from wexodos.carryover import Options, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, ReadError, read_bytes
from wexodos.formats.coverage import Row
from wexodos.formats.fcpxml.coverage import ROWS as LANE_ROWS
from wexodos.formats.strangers import unknown_tags
from wexodos.formats.xmeml.coverage import ROWS as TRACK_ROWS
from wexodos.formats.xmeml.writer import write_several
from wexodos.model import Curve, Document, Item, Key, Media, MediaUse, Motion, Sequence, Sound, Track
from wexodos.timing import Rate

HERE = Path(__file__).parent
FILES = {"xmeml": HERE / "everything.xml", "fcpxml": HERE / "everything.fcpxml"}
ROOTS = {dialect: etree.fromstring(path.read_bytes()) for dialect, path in FILES.items()}
# What else says the same, and has to go first before its own going shows.
SAYS_THE_SAME = {
    ("timecode", "string"): ["frame"],
    ("timecode", "displayformat"): ["string"],
    ("effect", "name"): ["effectid"],
    ("transitionitem", "alignment"): ["cutPointTicks"],
    ("valueentry", "name"): [],
    ("interpolation", "name"): ["inbez", "outbez"],
    ("parameter", "name"): ["parameterid"],
    ("video", "duration"): ["duration"],
    ("transitionitem", "rate"): [],
    ("file", "name"): ["pathurl"],
    ("parameter", "interpolation"): ["inbez", "outbez"],
    ("link", "mediatype"): [],
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
    """What goes out of the whole document: organised and bare, in the newest version and the oldest, as a
    writer never spells one thing in two ways."""
    if dialect not in WRITTEN:
        document = WHOLE[dialect]
        assert document is not None
        holder = etree.Element("all")
        for version in (FORMATS[dialect].versions[-1], FORMATS[dialect].versions[0]):
            for organised in (True, False):
                destination = msgspec.structs.replace(find_destination(EDITING[dialect]), version=version)
                carried = carry_over(
                    document, document.top_level[0], destination, options=Options(organised=organised)
                )
                holder.append(etree.fromstring(carried.data))
        WRITTEN[dialect] = holder
    return WRITTEN[dialect]


CASES = [("xmeml", row) for row in TRACK_ROWS] + [("fcpxml", row) for row in LANE_ROWS]


@pytest.mark.loose
@pytest.mark.parametrize(
    ("dialect", "row"), CASES, ids=[f"{dialect}-{row.parent}-{row.name}" for dialect, row in CASES]
)
@pytest.mark.sampled(10)
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
        before = WHOLE[dialect] if base is root else read(base)
        assert before != read(changed) or altered(root, row), "the model does not show it"
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


@pytest.mark.parametrize("dialect", ["xmeml", "fcpxml"])
def test_the_pages_are_those_that_the_tables_make(dialect: str) -> None:
    docs = HERE.parents[1] / "docs"
    spec = importlib.util.spec_from_file_location("make_coverage", docs / "make_coverage.py")
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    title, rows = made.PAGES[dialect]
    page = (docs / "formats" / f"{dialect}.md").read_text(encoding="utf-8")
    assert page == made.page(dialect, title, rows), "run python docs/make_coverage.py"


@pytest.mark.loose
@pytest.mark.parametrize("dialect", ["xmeml", "fcpxml"])
def test_unknown_elements_come_back_wherever_they_stand(dialect: str) -> None:
    """One in every kind of place at once: all are noted, written back to the own dialect, and nothing is
    unexplained."""
    root = copy.deepcopy(ROOTS[dialect])
    places: dict[tuple[str, ...], etree._Element] = {}
    for element in root.iter(etree.Element):
        places.setdefault(
            tuple(one.tag for one in reversed([element, *element.iterancestors()]))[-3:], element
        )
    skip = {
        "import-options",
        "smart-collection",
        "keyword-collection",
        "collection-folder",
        "bookmark",
        "codec",
        "itemhistory",
    }
    count = 0
    for number, element in enumerate(places.values()):
        around = {one.tag for one in (element, *element.iterancestors())}
        if around & skip or element.get("name") == "loose" or _outside(element, dialect):
            continue
        etree.SubElement(element, "odd-thing", number=str(number)).text = "kept?"
        count += 1
    document = read_bytes(etree.tostring(root))
    carried = carry_over(
        document, document.top_level[0], find_destination(EDITING[dialect]), options=Options(organised=True)
    )
    back = {one.get("number") for one in etree.fromstring(carried.data).iter("odd-thing")}
    missing = [
        path
        for number, path in enumerate(places)
        if str(number) not in back and places[path].find("odd-thing") is not None
    ]
    assert not missing, "\n".join("/".join(path) for path in missing)
    assert count > 100


def test_a_piece_kept_in_one_filter_does_not_come_into_those_like_it() -> None:
    """Filters that many clips spell alike are written once; what was kept of one of them is its own."""
    odd = "<odd-thing>kept?</odd-thing>"
    filters = (
        "<filter><effect><name>Basic Motion</name><effectid>basic</effectid><effectcategory>motion"
        "</effectcategory><effecttype>motion</effecttype><mediatype>video</mediatype><parameter>"
        "<parameterid>scale</parameterid><name>Scale</name><value>60{}</value></parameter></effect></filter>"
    )
    items = "".join(
        f'<clipitem id="c{n}"><name>Kiln {n}</name><duration>500</duration><rate><timebase>25</timebase>'
        f"<ntsc>FALSE</ntsc></rate><start>{n * 50}</start><end>{n * 50 + 50}</end><in>0</in><out>50</out>"
        f'<file id="f{n}"><name>Kiln {n}.mov</name><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>'
        f"<duration>500</duration><media><video/></media></file>{filters.format(odd if n == 1 else '')}"
        "</clipitem>"
        for n in range(3)
    )
    document = read_bytes(
        f"""<?xml version="1.0"?><xmeml version="5"><sequence id="s"><name>Kiln</name><duration>150</duration>
        <rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><media><video><track>{items}</track></video>
        </media></sequence></xmeml>""".encode()
    )
    carried = carry_over(document, document.top_level[0], find_destination(EDITING["xmeml"]))
    clips = list(etree.fromstring(carried.data).iter("clipitem"))
    assert [[one.tag for one in clip.iter("odd-thing")] for clip in clips] == [[], ["odd-thing"], []]
    assert [clip.findtext("filter/effect/parameter/value") for clip in clips] == ["60", "60", "60"]
    assert carried.errors == 0


def test_links_and_keys_of_one_sequence_are_not_those_of_another_with_the_same_ids() -> None:
    """What is spelled alike is written once: a reel at another rate has its sound on another track, and its
    key, half a second in, at another frame."""
    level = Curve((0.0,), (Key(0, (0.0,)), Key(25, (-6.0,))), "gain")
    take = Media("m", "Kiln.mov", "/k/Kiln.mov", duration=500, rate=Rate(100), video=True, audio=True)
    picture = Item("p", "Kiln", 0, 50, MediaUse("m"), F(1, 100), motion=Motion(), link="g")
    sound = Item("a", "Kiln", 0, 50, MediaUse("m"), F(1, 100), sound=Sound((1,), level), link="g")
    other = Track("audio", (Item("z", "Ash", 0, 10, MediaUse("m"), sound=Sound((1,))),))
    first = Sequence("s1", "One", Rate(25), tracks=(Track("video", (picture,)), Track("audio", (sound,))))
    second = Sequence(
        "s2", "Two", Rate(50), tracks=(Track("video", (picture,)), other, Track("audio", (sound,)))
    )
    root = etree.fromstring(
        write_several(Document("xmeml", "5", (first, second), (take,)), ("s1", "s2"), "5")
    )
    found = []
    for one in root.findall("sequence"):
        clip = next(clip for clip in one.iter("clipitem") if clip.get("id") == "a")
        places = [link.findtext("trackindex") for link in clip.findall("link")]
        found.append((places, [when.text for when in clip.iter("when")]))
    # Counted in the medium's hundredths from its second frame: 25 frames are 100 or 50 of them.
    assert found == [(["1", "1"], ["1", "101"]), (["1", "2"], ["1", "51"])]


@pytest.mark.parametrize(
    ("tag", "unknown"),
    [
        ("value", False),
        ("valuemax", False),
        ("valu", True),
        ("valuemaxi", True),
        ("value-x", True),
        ("value.x", True),
        ("Value", True),
        ("écart", True),
    ],
)
def test_a_name_that_only_begins_like_a_known_one_is_unknown(tag: str, unknown: bool) -> None:
    known = frozenset({"value", "valuemin", "valuemax", "when"})
    said = f'<?xml version="1.0"?><!DOCTYPE x><when>1</when><{tag} a="b">2</{tag}><value/><!-- ten <-->'
    assert unknown_tags(said.encode(), known) is unknown


def test_unknown_elements_are_found_in_utf_16_too() -> None:
    root = copy.deepcopy(ROOTS["xmeml"])
    etree.SubElement(next(root.iter("reel")), "odd-thing").text = "kept?"
    document = read_bytes(etree.tostring(root, encoding="UTF-16", xml_declaration=True))
    assert any("reel/odd-thing" in note.where for note in document.notes)


def _outside(element: etree._Element, dialect: str) -> bool:
    """Whether an element stands outside the cut that is carried over: another sequence, a clip that no cut
    uses."""
    around = [element, *element.iterancestors()]
    if dialect == "xmeml":
        return any(
            one.tag in ("clip", "multiclip") or one.get("id") in ("sequence-3", "o1", "o2", "v6")
            for one in around
        ) or any(
            one.tag == "generatoritem"
            and one.getparent() is not None
            and one.getparent().tag in ("children", "xmeml")
            for one in around
        )
    if not any(one.tag == "resources" or one.get("name") == "Everything" for one in around):
        return True
    # The sound does not touch the cut that the transition with a name of its own sits on.
    return any(one.tag in ("multicam", "audition", "sync-clip", "clip", "filter-audio") for one in around)
