"""Write formats, assets and effects, each once (16)."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

from wexodos.formats.fcpxml.lexical import time_of
from wexodos.formats.fcpxml.write_words import put_back
from wexodos.formats.paths import locator_of, url_of
from wexodos.formats.tree import Node, add, node
from wexodos.model import Angles, Constant, Document, Media, MediaUse, Sequence
from wexodos.model.raw import EFFECT, FORMAT
from wexodos.timing import Exact, Rate, ceil

DISSOLVE = ("Cross Dissolve", "FxPlug:4731E73A-8DAC-4113-9A30-AE85B1761265")
CROSSFADE = ("Audio Crossfade", "FFAudioTransition")
BASIC_TITLE = (
    "Basic Title",
    ".../Titles.localized/Bumper:Opener.localized/Basic Title.localized/Basic Title.moti",
)
_FAMILIES = {
    "title": ("Titles", "moti"),
    "generator": ("Generators", "motn"),
    "transition": ("Transitions", "motr"),
}
SOLID = ("Custom", ".../Generators.localized/Solids.localized/Custom.localized/Custom.motn")

_NAMED = {
    (1920, 1080): "1080",
    (1280, 720): "720",
    (3840, 2160): "3840x2160",
}
_RATE_NAMES = {
    Rate(24000, 1001): "2398",
    Rate(24): "24",
    Rate(25): "25",
    Rate(30000, 1001): "2997",
    Rate(30): "30",
    Rate(50): "50",
    Rate(60000, 1001): "5994",
    Rate(60): "60",
}


def template(family: str, name: str) -> tuple[str, str]:
    """(name, uid) of a template of ours: receivers that do not know the path go by the name, as our own
    reader does."""
    folder, suffix = _FAMILIES[family]
    return name, f".../{folder}.localized/{name}.localized/{name}.{suffix}"


def frame_duration(rate: Rate) -> str:
    """``100/2500s``, ``1001/30000s``: the spelling receivers know."""
    return f"1001/{rate.numerator}s" if rate.ntsc else f"{100 * rate.denominator}/{100 * rate.numerator}s"


class ResourceWriter:
    """Hands out resource ids and spells each resource when it is first asked for."""

    def __init__(self, block: Node, document: Document, version: str, uses: dict[str, set[str]]) -> None:
        self.block = block
        self.document = document
        self._reached: dict[str, Exact] | None = None
        self.version = version
        self.media = document.media_by_id
        self.uses = uses
        self._ids: dict[object, str] = {}
        # Spells the definition that stood under an id in the old file, where it is there, and returns its new
        # id.
        self.spell: Callable[[str], str | None] = lambda _old: None

    def _id(self, key: object) -> tuple[str, bool]:
        known = self._ids.get(key)
        if known is not None:
            return known, False
        self._ids[key] = f"r{len(self._ids) + 1}"
        return self._ids[key], True

    def format(
        self,
        rate: Rate | None,
        width: int | None,
        height: int | None,
        aspect: Exact = 1,
        fields: str = "progressive",
    ) -> str:
        """The id of a format, spelled on first use."""
        key, new = self._id(("format", rate, width, height, aspect, fields))
        if new:
            name = None
            size = _NAMED.get((width or 0, height or 0))
            if rate is None:
                name = "FFVideoFormatRateUndefined"
            elif size is not None and rate in _RATE_NAMES and aspect == 1 and fields == "progressive":
                name = f"FFVideoFormat{size}p{_RATE_NAMES[rate]}"
            pasp = (None, None) if aspect == 1 else (aspect.numerator, aspect.denominator)
            add(
                self.block,
                "format",
                id=key,
                name=name,
                frameDuration=frame_duration(rate) if rate is not None else None,
                fieldOrder=None if fields == "progressive" else f"{fields} first",
                width=width,
                height=height,
                paspH=pasp[0],
                paspV=pasp[1],
            )
        return key

    def effect(self, name: str, uid: str) -> str:
        key, new = self._id(("effect", name, uid))
        if new:
            add(self.block, "effect", id=key, name=name, uid=uid)
        return key

    def known_effect(self, old: str) -> str | None:
        """The id of an effect that stood under ``old`` in the file the document came from; None where none
        did."""
        found = next((raw.text for raw in self.document.raw if raw.tag == f"{EFFECT}{old}"), None)
        if found is None:
            return None
        uid, _, name = found.partition("\n")
        return self.effect(name, uid)

    def known_format(self, old: str | None) -> str | None:
        """The id of a format that stood under ``old`` in the file the document came from, as it was there."""
        told = next((raw.text for raw in self.document.raw if raw.tag == f"{FORMAT}{old}"), None)
        if told is None:
            return None
        key, new = self._id(("format as it stood", told))
        if new:
            words = dict(line.split("=", 1) for line in told.split("\n") if "=" in line)
            add(self.block, "format", id=key, **words)
        return key

    def relinked(self, piece: Node, sequence: Sequence) -> bool:
        """Let a kept piece refer to the resources of this file instead of its old one's; False where one is
        not there."""
        for element in piece.within():
            old = element.get("ref")
            if old is not None and element.tag != "text-style":
                new = self.known_effect(old)
                if new is None and old in self.media:
                    new = self.asset(self.media[old], sequence)
                if new is None:
                    new = self.spell(old)
                if new is None:
                    return False
                element.set("ref", new)
            shape = self.known_format(element.get("format"))
            if shape is not None:
                element.set("format", shape)
            else:
                element.drop("format")
        return True

    def multicam(self, angles: Angles) -> tuple[str, bool]:
        """The id of a multi-angle definition, and whether it has yet to be spelled."""
        return self._id(("multicam", angles.id, angles.angles))

    def definition(self, sequence_id: str) -> tuple[str, bool]:
        """The id of a nested sequence's definition, and whether it has yet to be spelled."""
        return self._id(("media", sequence_id))

    def start_of(self, media: Media, sequence: Sequence) -> Exact:
        """A medium's start in seconds."""
        return (media.rate or sequence.rate).seconds(media.start or 0)

    def kinds(self, media: Media) -> tuple[bool, bool]:
        """Whether a medium has picture and sound: as it says itself, and as it is used."""
        uses = self.uses.get(media.id, set())
        return media.video or "video" in uses or media.still, media.audio or "audio" in uses

    def asset(self, media: Media, sequence: Sequence) -> str:
        """The id of an asset, spelled on first use."""
        key, new = self._id(("asset", media.id))
        if not new:
            return key
        video, audio = self.kinds(media)
        rate = media.rate or sequence.rate
        shape = None
        if video:
            width, height = (
                (media.width, media.height) if media.width and media.height else sequence.frame_size
            )
            shape = self.format(
                None if media.still else rate, width, height, media.pixel_aspect, media.field_order
            )
        start = self.start_of(media, sequence)
        length = self.length(media, sequence)
        source = locator_of(media.path) if media.path else f"file:///{media.file_name}"
        uid = (
            media.uid
            or hashlib.sha1((media.path or media.name).encode("utf-8", "replace")).hexdigest()[:32].upper()
        )
        old = self.version in ("1.8", "1.7", "1.6", "1.5")
        element = add(
            self.block,
            "asset",
            id=key,
            name=media.name,
            uid=uid,
            src=source if old else None,
            start=time_of(start),
            duration=time_of(length),
            hasVideo="1" if video else None,
            format=shape,
            hasAudio="1" if audio else None,
            audioSources="1" if audio else None,
            audioChannels=(media.channels or 1) if audio else None,
            audioRate=media.sample_rate if audio else None,
        )
        if not old:
            add(element, "media-rep", kind="original-media", src=source)
            if media.proxy_path:
                add(element, "media-rep", kind="proxy-media", src=url_of(media.proxy_path))
        pairs = {key: value for key, value in media.metadata if key != "mediaSource"}
        for name in [name for name in pairs if name.startswith("asset.")]:
            element.set(name.removeprefix("asset."), pairs.pop(name))
        if media.reel:
            pairs = {k: v for k, v in pairs.items() if not k.endswith("studio.reel")}
            pairs["com.apple.proapps.studio.reel"] = media.reel
        write_metadata(element, pairs)
        for raw in media.raw:
            if raw.dialect == "fcpxml":
                put_back(element, raw)
        return key

    def length(self, media: Media, sequence: Sequence) -> Exact:
        """A medium's length in seconds; as far as it is used where the file does not say, 0 for pictures."""
        if media.still:
            return 0
        return (
            (media.rate or sequence.rate).seconds(media.duration)
            if media.duration
            else self._reach(media, sequence)
        )

    def _reach(self, media: Media, sequence: Sequence) -> Exact:
        """The furthest source time used of a medium whose length is not known."""
        if self._reached is None:
            self._reached = {}
            for one in self.document.sequences:
                for item in one.items():
                    if isinstance(item.content, MediaUse):
                        speed = item.speed.rate if isinstance(item.speed, Constant) else 1
                        reach = ceil(item.source_in + one.rate.seconds(item.duration) * max(speed, 0) + 1)
                        key = item.content.media
                        self._reached[key] = max(self._reached.get(key, 1), reach)
        return self._reached.get(media.id, 1)


def write_metadata(element: Node, pairs: dict[str, str]) -> None:
    if pairs:
        element.append(metadata_element(pairs))


def metadata_element(pairs: dict[str, str]) -> Node:
    return Node("metadata", children=[node("md", key=key, value=value) for key, value in pairs.items()])
