"""Write clips: media, nested sequences, titles and generators with their adjustments, in the order receivers
insist on."""

from __future__ import annotations

from wexodos.formats.build_xml import clean
from wexodos.formats.errors import WriteError
from wexodos.formats.fcpxml.lexical import time_of
from wexodos.formats.fcpxml.units import number
from wexodos.formats.fcpxml.write_adjusts import AdjustWriter
from wexodos.formats.fcpxml.write_kept import KeptWriter, Placed
from wexodos.formats.fcpxml.write_markers import marker_element
from wexodos.formats.fcpxml.write_resources import (
    BASIC_TITLE,
    SOLID,
    ResourceWriter,
    metadata_element,
    template,
)
from wexodos.formats.fcpxml.write_words import color_channels, put_params, template_of, write_style
from wexodos.formats.tree import Node, add, node, parsed
from wexodos.model import (
    Angles,
    Document,
    Generator,
    Item,
    MediaUse,
    NestedUse,
    Raw,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
)
from wexodos.timing import Exact, exact

_RATE_LABELS = {
    "23.976": "23.98",
    "24": "24",
    "25": "25",
    "29.97": "29.97",
    "30": "30",
    "47.952": "47.95",
    "48": "48",
    "50": "50",
    "59.94": "59.94",
    "60": "60",
    "119.88": "119.88",
    "120": "120",
}


class ClipWriter:
    """Writes the clips of one sequence."""

    def __init__(self, document: Document, resources: ResourceWriter, sequence: Sequence) -> None:
        self.document = document
        self.resources = resources
        self.sequence = sequence
        self.media = document.media_by_id
        self.sequences = document.sequences_by_id
        self.adjusts = AdjustWriter(sequence, self.sequences)
        self.kept = KeptWriter(resources, sequence)
        self._styles = 0

    def clip(self, item: Item, track: Track, lane: int | None) -> Placed:
        """Spell one item without its offset."""
        content = item.content
        if isinstance(content, Title):
            placed = self._title(item, content)
        elif isinstance(content, Generator):
            placed = self._generator(item, content)
        elif isinstance(content, NestedUse):
            placed = self._nested(item, content, track)
        elif isinstance(content, MediaUse):
            placed = self._media_clip(item, content, track)
        elif isinstance(content, Angles):
            placed = self._multi_angle(item, content, track)
        else:
            raise WriteError(f"{item.name!r} is of a kind that Lane XML cannot hold here")
        if lane is not None:
            placed.element.set("lane", str(lane))
        self.kept.put_back(placed, item)
        for marker in item.markers:
            local = exact(placed.local + self.sequence.rate.seconds(marker.start))
            placed.markers.append((local, marker_element(marker, local, self.sequence.rate)))
        return placed

    # ---- the kinds of clips

    def _element(self, tag: str, item: Item, local: Exact, **attributes: str | None) -> Node:
        said = {"name": clean(item.name)}
        said.update((key, value) for key, value in attributes.items() if value is not None)
        said["start"] = time_of(local)
        said["duration"] = time_of(self.sequence.rate.seconds(item.duration))
        if not item.enabled:
            said["enabled"] = "0"
        return Node(tag, None, said)

    def _role(self, track: Track) -> str:
        return (track.stem or track.name or "dialogue").replace(",", " ")

    def _media_clip(self, item: Item, content: MediaUse, track: Track) -> Placed:
        media = self.media.get(content.media)
        if media is None:
            raise WriteError(f"{item.name!r} uses media that is not there")
        asset = self.resources.asset(media, self.sequence)
        sound = track.kind == "audio"
        if media.still and not sound:
            element = self._element("video", item, 3600, ref=asset)
            self._note(element, item, as_id=True)
            self.adjusts.picture(element, item, media, 3600)
            return Placed(element, 3600, rest=self.kept.effects(item, 3600))
        base = self.resources.start_of(media, self.sequence)
        local, points = self.adjusts.retimed(item, base, media)
        both = all(self.resources.kinds(media))
        element = self._element(
            "asset-clip",
            item,
            local,
            ref=asset,
            srcEnable=track.kind if both else None,
            audioRole=self._role(track) if sound else None,
        )
        drop = media.drop_frame if media.drop_frame is not None else item.drop_frame
        element.set("tcFormat", "DF" if drop else "NDF")
        self._note(element, item)
        if not sound and media.rate is not None and media.rate != self.sequence.rate:
            add(element, "conform-rate", scaleEnabled="0", srcFrameRate=_RATE_LABELS.get(media.rate.label()))
        self.adjusts.time_map(element, points)
        if sound:
            self.adjusts.sound(element, item.sound or Sound(), local)
        else:
            self.adjusts.picture(element, item, media, local)
        rest = self.adjusts.components(item.sound, media.channels or 1, self._role(track)) if sound else []
        return Placed(element, local, rest=[*rest, *self.kept.effects(item, local), *_metadata(item)])

    def _nested(self, item: Item, content: NestedUse, track: Track) -> Placed:
        nested = self.sequences.get(content.sequence)
        if nested is None:
            raise WriteError(f"{item.name!r} uses a nested sequence that is not there")
        key, _ = self.resources.definition(content.sequence)
        base = nested.rate.seconds(nested.start)
        element, local = self._referring("ref-clip", key, item, base, track)
        off = [node("audio-role-source", role=clean(role), active="0") for role in content.silent]
        return Placed(element, local, rest=[*off, *self.kept.effects(item, local), *_metadata(item)])

    def _referring(self, tag: str, key: str, item: Item, base: Exact, track: Track) -> tuple[Node, Exact]:
        """A clip that refers to a definition, with its speed and adjustments; and where its local time
        begins."""
        local, points = self.adjusts.retimed(item, base, None)
        element = self._element(tag, item, local, ref=key, srcEnable=track.kind)
        self._note(element, item)
        self.adjusts.time_map(element, points)
        if track.kind == "audio":
            self.adjusts.sound(element, item.sound or Sound(), local)
        else:
            self.adjusts.picture(element, item, None, local)
        return element, local

    def _multi_angle(self, item: Item, content: Angles, track: Track) -> Placed:
        key, _ = self.resources.multicam(content)
        element, local = self._referring("mc-clip", key, item, 0, track)
        if content.video is not None and content.video == content.audio:
            add(element, "mc-source", angleID=content.video, srcEnable="all")
        else:
            for angle, part in ((content.video, "video"), (content.audio, "audio")):
                if angle is not None:
                    add(element, "mc-source", angleID=angle, srcEnable=part)
        return Placed(element, local, rest=[*self.kept.effects(item, local), *_metadata(item)])

    def _generator(self, item: Item, generator: Generator) -> Placed:
        spelled = [raw for raw in generator.raw if raw.dialect == "fcpxml"]
        if spelled:
            element = self._element("video", item, 3600, ref=self.resources.effect(*template_of(spelled)))
            put_params(element, spelled)
        else:
            effect = (
                SOLID
                if generator.kind in ("colour", "black")
                else template("generator", _GENERATORS.get(generator.kind, generator.name or "Generator"))
            )
            element = self._element("video", item, 3600, ref=self.resources.effect(*effect))
            color = generator.color or ("#000000ff" if generator.kind in ("colour", "black") else None)
            if color:
                add(
                    element,
                    "param",
                    name="Color",
                    value=" ".join(number(part) for part in color_channels(color)[:3]),
                )
        self._note(element, item, as_id=True)
        self.adjusts.picture(element, item, None, 3600)
        return Placed(element, 3600, rest=self.kept.effects(item, 3600))

    def _title(self, item: Item, title: Title) -> Placed:
        spelled = [raw for raw in title.raw if raw.dialect == "fcpxml"]
        caption = next((raw for raw in spelled if raw.tag == "caption"), None)
        if caption is not None:
            return self._caption(item, caption)
        effect = BASIC_TITLE
        if spelled:
            effect = template_of(spelled)
        elif title.roll is not None:
            effect = template("title", "Scrolling Text" if title.roll.direction == "up" else "Crawl")
        element = self._element(
            "title", item, 3600, ref=self.resources.effect(*effect), role="titles.titles-1"
        )
        x = title.origin[0] * float(self.sequence.pixel_aspect)
        add(
            element,
            "param",
            name="Position",
            key="9999/999166631/999166633/1/100/101",
            value=f"{number(x)} {number(-title.origin[1] + 0.0)}",
        )
        if title.roll is not None and title.roll.gap is not None:
            add(element, "param", name="Gap", value=number(title.roll.gap))
        put_params(element, spelled)
        fields = int(next((raw.text for raw in spelled if raw.tag == "fields"), "1"))
        self._words(element, title, fields)
        self._note(element, item)
        self.adjusts.picture(element, item, None, 3600)
        return Placed(element, 3600, rest=[*self.kept.effects(item, 3600), *_metadata(item)])

    def _words(self, element: Node, title: Title, fields: int) -> None:
        """The text in as many fields as the template has, then the styles; a run that only parts two fields
        is none itself."""
        text = add(element, "text")
        styles = []
        for run in title.runs:
            if fields > 1 and run == TextRun("\n"):
                text, fields = add(element, "text"), fields - 1
                continue
            self._styles += 1
            key = f"ts-{self.sequence.id}-{self._styles}".translate(_NO_ID)
            add(text, "text-style", run.text, ref=key)
            styles.append((key, run))
        for key, run in styles:
            write_style(add(element, "text-style-def", id=key), run)

    def _caption(self, item: Item, raw: Raw) -> Placed:
        """A caption as it stood, at its place and with its length."""
        element = parsed(raw)
        if element is None:
            raise WriteError(f"{item.name!r} is a caption that cannot be written back")
        for name, value in (
            ("start", "3600s"),
            ("duration", time_of(self.sequence.rate.seconds(item.duration))),
            ("lane", None),
            ("offset", None),
            ("enabled", None if item.enabled else "0"),
        ):
            if value is not None:
                element.set(name, value)
            else:
                element.drop(name)
        element.set("name", clean(item.name))
        if (element.findtext("note") or "").strip() != item.note:
            element.children = [child for child in element if child.tag != "note"]
            self._note(element, item)
        self._styles += 1
        for style in element.within():
            name = {"text-style-def": "id", "text-style": "ref"}.get(style.tag, "")
            if style.get(name):
                style.set(name, f"c{self._styles}-{style.get(name)}")
        return Placed(element, 3600)

    # ---- notes and what is kept

    def _note(self, element: Node, item: Item, as_id: bool = False) -> None:
        """The note; elements without metadata carry our id there."""
        text = f"id:{item.id} {item.note}".strip() if as_id else item.note
        if text:
            add(element, "note", text)


_NO_ID = str.maketrans(dict.fromkeys(" /:@~#'\"&<>", "-"))
_GENERATORS = {
    "bars": "Bars",
    "gradient": "Gradient",
    "noise": "Noise",
    "leader": "Counting Leader",
    "timecode": "Timecode",
    "slate": "Slate",
    "tone": "Tone",
    "transparent": "Transparent",
}


def _metadata(item: Item) -> list[Node]:
    pairs = {key: value for key, value in item.metadata if not value.startswith("STEM: ")}
    return [metadata_element({**pairs, "wexodos.id": item.id})]
