"""Elements as they are written, held against a parser that is not ours and by hand."""

from __future__ import annotations

import random

import pytest
from lxml import etree

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_bytes
from wexodos.formats.tree import Node, add, document_bytes, node, parsed, put_back, shared
from wexodos.model import Raw


def key_of(element: Node) -> str:
    return element.get("name") or ""


def piece(text: str, path: str = "") -> Raw:
    return Raw("fcpxml", etree.fromstring(text).tag, text, path)


def canonical(text: str | bytes) -> bytes:
    """What a document says, whatever its spelling; indentation between elements set aside."""
    root = etree.fromstring(text)
    etree.indent(root, "")
    return etree.tostring(root, method="c14n")


def test_indentation_attributes_and_texts_by_hand() -> None:
    root = node("clips", version="1", left_out=None)
    add(root, "name", "a < b & c")
    add(add(root, "holder", quoted='say "so"\n'), "empty")
    assert document_bytes(root, "<!DOCTYPE clips>").decode() == (
        "<?xml version='1.0' encoding='UTF-8'?>\n<!DOCTYPE clips>\n"
        '<clips version="1">\n'
        "  <name>a &lt; b &amp; c</name>\n"
        '  <holder quoted="say &quot;so&quot;&#10;">\n'
        "    <empty/>\n"
        "  </holder>\n"
        "</clips>"
    )


def test_what_many_share_is_spelled_for_the_place_it_stands_at() -> None:
    (one,) = shared(node("in"))
    add(one, "deep")
    root = Node("root", children=[Node("a", "text", children=[one]), Node("a", children=[one])])
    assert document_bytes(root, "").decode().partition("\n")[2] == (
        "\n<root>\n  <a>text<in>\n      <deep/>\n    </in>\n  </a>\n"
        "  <a>\n    <in>\n      <deep/>\n    </in>\n  </a>\n</root>"
    )


@pytest.mark.parametrize(
    "text",
    [
        "<text>before<style>in</style>between<style/> behind</text>",
        "<text>\n  <style>one</style>\n  <style> </style>\n</text>",
        "<param value='1'><!-- said --><param name='x &lt; y'>\n<a/>tail<b><c/></b></param></param>",
        "<a>only text &amp; signs &#13;</a>",
    ],
)
def test_a_kept_piece_is_written_as_it_was_read(text: str) -> None:
    made = parsed(piece(text))
    assert made is not None
    root = Node("root", children=[made])
    assert canonical(document_bytes(root, "")) == canonical(f"<root>{text}</root>")


def test_many_trees_are_read_again_as_they_were_made() -> None:
    dice = random.Random(11)
    signs = "abc <>&\"'\n\t\r\u00e9\u20ac"

    def grown(depth: int) -> tuple[Node, etree._Element]:
        tag = dice.choice("abc")
        said = {
            name: "".join(dice.choices(signs, k=4)) for name in dice.sample("xyz", dice.randrange(3))
        } or None
        ours, theirs = Node(tag, attributes=said), etree.Element(tag, said or {})
        count = dice.randrange(4) if depth < 4 else 0
        if not count and dice.random() < 0.7:
            ours.text = theirs.text = "x" + "".join(dice.choices(signs, k=3))
        for _ in range(count):
            mine, yours = grown(depth + 1)
            if dice.random() < 0.2:
                mine.tail = yours.tail = "y" + "".join(dice.choices(signs, k=3))
            if dice.random() < 0.3 and mine.tail is None:
                shared(mine)
            ours.append(mine)
            theirs.append(yours)
        return ours, theirs

    for _ in range(200):
        ours, theirs = grown(0)
        assert canonical(document_bytes(ours, "")) == canonical(etree.tostring(theirs))


def test_a_piece_goes_back_to_its_place_and_not_into_what_others_share() -> None:
    (channel,) = shared(node("channel", name="1"))
    owners = [node("clip"), node("clip")]
    beside = [[channel], [channel]]
    put_back(owners[0], piece("<odd/>", "channel[1]"), key_of, beside[0])
    for owner, rest in zip(owners, beside):
        for one in rest:
            owner.append(one)
    said = [canonical(document_bytes(owner, "")) for owner in owners]
    assert said == [
        canonical('<clip><channel name="1"><odd/></channel></clip>'),
        canonical('<clip><channel name="1"/></clip>'),
    ]


def test_where_a_place_is_not_there_a_piece_stands_as_near_as_can_be_and_never_twice() -> None:
    owner = node("clip")
    add(add(owner, "param", name="one"), "value", "1")
    put_back(owner, piece("<odd/>", "param[one]/gone#2"), key_of)
    put_back(owner, piece("<note>n</note>"), key_of, first="note")
    # It stands there already; and what it stood in went out whole, with it.
    put_back(owner, piece("<odd/>", "param[one]"), key_of)
    owner.append(Node("kept", word_for_word="<kept><odd2/></kept>"))
    put_back(owner, piece("<odd2/>", "kept"), key_of)
    put_back(owner, Raw("fcpxml", "broken", "<broken>"), key_of)
    assert canonical(document_bytes(owner, "")) == canonical(
        '<clip><note>n</note><param name="one"><value>1</value><odd/></param><kept><odd2/></kept></clip>'
    )


def test_what_one_channel_keeps_does_not_come_to_a_channel_that_is_spelled_like_it() -> None:
    clip = (
        '<asset-clip name="{0}" ref="r2" srcEnable="audio" audioRole="dialogue" offset="{1}s" start="0s" '
        'duration="2s">{2}<audio-channel-source srcCh="1" role="dialogue">{3}</audio-channel-source>'
        "</asset-clip>"
    )
    hall = '<adjust-EQ><param name="{0}" value="1"/></adjust-EQ>'
    text = f"""<?xml version="1.0"?><!DOCTYPE fcpxml><fcpxml version="1.10"><resources>
      <format id="r1" frameDuration="100/2500s" width="1920" height="1080"/>
      <asset id="r2" name="Night" start="0s" duration="60s" hasAudio="1" audioSources="1" audioChannels="2"
        audioRate="48000"><media-rep kind="original-media" src="file:///Kiln/night.wav"/></asset>
      </resources><library><event name="Kiln"><project name="Night"><sequence format="r1" duration="4s"
      tcStart="0s"><spine>{clip.format("one", 0, hall.format("outer"), hall.format("inner"))}
      {clip.format("two", 2, "", "")}</spine></sequence></project></event></library></fcpxml>"""
    document = read_bytes(text.encode())
    carried = carry_over(document, document.top_level[0], find_destination("editing-lane-xml"))
    assert carried.errors == 0
    there = {
        one.get("name"): [param.get("name") for param in one.iterfind("audio-channel-source//param")]
        for one in etree.fromstring(carried.data).iter("asset-clip")
        if one.get("audioRole")
    }
    assert there == {"one": ["inner"], "two": []}
