"""The schemas of what is written, made from the reference pages, and what no schema says: numbers, ids, order in
time."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path

from lxml import etree

SCHEMAS = Path(__file__).parents[1] / "schemas"
YES_OR_NO = (
    "ntsc", "enabled", "locked", "anamorphic", "stillframe", "reverse", "ismasterclip", "good", "speedvirtualkf",
)  # fmt: skip
WHOLE = (
    "timebase", "duration", "frame", "in", "out", "start", "end", "width", "height", "depth", "samplerate",
    "channelcount", "index", "numchannels", "downmix", "trackindex", "clipindex", "groupindex", "outputchannelindex",
    "when", "wipecode",
)  # fmt: skip
SPELLED = (
    "basic", "crop", "distort", "opacity", "timeremap", "dropshadow", "audiolevels", "audiopan",
)  # fmt: skip
ITEMS = ("clipitem", "generatoritem", "transitionitem")


@cache
def _dtd(name: str) -> etree.DTD:
    with (SCHEMAS / f"{name}.dtd").open(encoding="utf-8") as file:
        return etree.DTD(file)


def faults(data: bytes) -> list[str]:
    """What of a Lane XML is not where its schema has it; empty where all is."""
    return _misplaced(etree.fromstring(data), "lane")


def faults_of_tracks(data: bytes) -> list[str]:
    """What of a Track XML is not as its page has it."""
    root = etree.fromstring(data)
    return [*_letters(root), *_named(root), *_in_time(root), *_misplaced(root, "track")]


def _misplaced(root: etree._Element, name: str) -> list[str]:
    """What is not where the schema has it. Elements that the schema does not know are somebody's own, read and
    given back as they stood: they are left out of it."""
    schema = _dtd(name)
    known = {one.name for one in schema.iterelements()}
    for one in [one for one in root.iter(etree.Element) if one.tag not in known or _kept(one)]:
        parent = one.getparent()
        if parent is not None:
            parent.remove(one)
    if schema.validate(root):
        return []
    return [f"line {one.line}: {one.message[-300:]}" for one in schema.error_log.filter_from_errors()]


def _kept(one: etree._Element) -> bool:
    """A filter of somebody else's, given back as it stood: not one of those that are spelled."""
    return one.tag == "filter" and one.findtext("effect/effectid") not in SPELLED


def _letters(root: etree._Element) -> Iterator[str]:
    for one in root.iter(*YES_OR_NO):
        if one.text not in ("TRUE", "FALSE"):
            yield f"line {one.sourceline}: {one.tag} {one.text!r}"
    for one in root.iter(*WHOLE):
        if re.fullmatch(r"-?\d+", one.text or "") is None:
            yield f"line {one.sourceline}: {one.tag} {one.text!r}"
    for one in root.iterfind(".//filter/effect"):
        if one.findtext("effectid") in SPELLED and not (
            one.findtext("effecttype") and one.findtext("mediatype")
        ):
            yield f"line {one.sourceline}: an effect of no type"
    for parameter in root.iter("parameter"):
        times = [float(one.text or 0) for one in parameter.iterfind("keyframe/when")]
        if any(a >= b for a, b in zip(times, times[1:])):
            yield f"line {parameter.sourceline}: keyframes at {times}"
        for one in parameter.iterfind(".//value"):
            if re.fullmatch(r"-?[\d.]+e[-+]?\d+", one.text or "", re.IGNORECASE):
                yield f"line {one.sourceline}: a value of {one.text}"


def _named(root: etree._Element) -> Iterator[str]:
    """Ids: full once and before they are referred to; links lead to what they say."""
    for tag in ("file", "sequence", "clipitem", "generatoritem", "clip"):
        whole: set[str] = set()
        for one in root.iter(tag):
            key = one.get("id", "")
            if len(one) and key in whole:
                yield f"line {one.sourceline}: {tag} {key} twice"
            if not len(one) and key not in whole:
                yield f"line {one.sourceline}: {tag} {key} before it is told"
            whole.add(key)
    for sequence in root.iter("sequence"):
        places = {}
        for kind in ("video", "audio"):
            for number, track in enumerate(sequence.findall(f"media/{kind}/track"), 1):
                items = [one for one in track if one.tag in ITEMS]
                for place, one in enumerate(items, 1):
                    places[one.get("id")] = (kind, number, place)
        for track in sequence.iterfind("media/*/track"):
            for link in track.iterfind("*/link"):
                told = [link.findtext(name, "") for name in ("mediatype", "trackindex", "clipindex")]
                there = places.get(link.findtext("linkclipref"))
                if there is None or told != [str(part) for part in there]:
                    yield f"line {link.sourceline}: a link to {told}, which is at {there}"


def _in_time(root: etree._Element) -> Iterator[str]:
    """The items of a track follow each other; -1 stands beside a transition and nowhere else."""
    for track in root.iterfind(".//sequence/media/*/track"):
        items = [one for one in track if one.tag in ITEMS]
        at = under = 0
        for place, one in enumerate(items):
            where = f"line {one.sourceline}: {one.tag}"
            start, end = (int(one.findtext(name) or 0) for name in ("start", "end"))
            before, after = items[max(0, place - 1) : place], items[place + 1 : place + 2]
            if one.tag == "transitionitem":
                if not 0 <= start < end:
                    yield f"{where} {start} to {end}"
                under = end
                continue
            if start == -1 and not (before and before[0].tag == "transitionitem"):
                yield f"{where} begins under no transition"
            if end == -1 and not (after and after[0].tag == "transitionitem"):
                yield f"{where} ends under no transition"
            if (start != -1 and start < at) or (end != -1 and end < (under if start == -1 else start + 1)):
                yield f"{where} {start} to {end}, where the track is at {at}"
            at = max(at, start, end)
