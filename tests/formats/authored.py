"""Files of two hundred items and more as strangers write them, put together from text by a seed; nothing of our
writers is in them."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction as F
from html import escape

WORDS = (
    "kiln", "glaze", "ember", "door", "yard", "wheel", "clay", "shelf", "fire", "bowl", "Größe", "rør", "窯",
    "O'Brien", "A&B",
)  # fmt: skip


def tag(name: str, /, *inside: object, **said: object) -> str:
    """An element of text; ``_`` before a name that is a word of the language."""
    words = "".join(
        f' {key.strip("_")}="{escape(str(value))}"' for key, value in said.items() if value is not None
    )
    return f"<{name}{words}>{''.join(map(str, inside))}</{name}>"


def text(name: str, value: object) -> str:
    return tag(name, escape(str(value)))


class Author:
    """Chance, and what every kind of file needs of it."""

    def __init__(self, seed: int) -> None:
        self.random = random.Random(seed)
        self.whole, self.among, self.between = self.random.randint, self.random.choice, self.random.uniform

    def some(self, share: float) -> bool:
        return self.random.random() < share

    def name(self) -> str:
        return " ".join(self.among(WORDS) for _ in range(self.whole(1, 3)))

    def times(self, low: int, high: int, most: int) -> list[int]:
        return sorted(self.random.sample(range(low, high), min(self.whole(1, most), high - low)))


# ---- Track XML


@dataclass
class Medium:
    key: str
    name: str
    kind: str
    length: int
    channels: int
    text: str
    told: bool = False

    def __str__(self) -> str:
        if self.told:
            return tag("file", id=self.key)
        self.told = True
        return tag("file", self.text, id=self.key)


class TrackXml(Author):
    def __init__(self, seed: int) -> None:
        super().__init__(seed)
        self.base, self.ntsc = self.among([(25, 0), (24, 0), (24, 1), (30, 1), (50, 0), (60, 1)])
        self.rate = self.rated(self.base, self.ntsc)
        self.count = 0
        self.media = [self.medium(number) for number in range(30)]

    def rated(self, base: int, ntsc: int) -> str:
        return tag("rate", text("timebase", base), text("ntsc", "TRUE" if ntsc else "FALSE"))

    def medium(self, number: int) -> Medium:
        kind = self.among(["av", "av", "a", "v", "still"])
        own = self.among([(self.base, self.ntsc)] * 3 + [(25, 0), (24, 1), (30, 0)])
        length = 1 if kind == "still" else self.whole(2000, 9000)
        channels = self.among([1, 2, 2, 4])
        suffix = {"a": ".wav", "still": ".png"}.get(kind, ".mov")
        name = f"{self.name()} {number}{suffix}"
        shapes = []
        if kind != "a":
            size = (
                text("width", self.among([1920, 1280, 3840])),
                text("height", self.among([1080, 720, 2160])),
            )
            shapes.append(tag("video", tag("samplecharacteristics", *size)))
        if "a" in kind:
            sound = text("depth", self.among([16, 24])), text("samplerate", self.among([48000, 44100]))
            shapes.append(tag("audio", tag("samplecharacteristics", *sound), text("channelcount", channels)))
        reel = tag("reel", text("name", f"A{number:03d}")) if self.some(0.6) else ""
        code = tag(
            "timecode",
            self.rated(*own),
            text("string", "01:00:00:00"),
            text("frame", 3600 * own[0]),
            text("displayformat", "NDF"),
            reel,
        )
        told = (
            text("name", name)
            + text("pathurl", f"file://localhost/K/{number}{suffix}")
            + self.rated(*own)
            + (text("duration", length) if self.some(0.92) else "")
            + (code if self.some(0.8) else "")
            + tag("media", *shapes)
        )
        return Medium(f"file-{number}", name, kind, length, channels, told)

    def parameter(self, key: str, value: object, keys: str = "") -> str:
        return tag("parameter", text("parameterid", key), text("name", key), tag("value", value), keys)

    def effect(self, key: str, kind: str, medium: str, *parameters: str) -> str:
        told = text("name", key), text("effectid", key), text("effecttype", kind), text("mediatype", medium)
        return tag("effect", *told, *parameters)

    def keys(self, begin: int, length: int, value: Callable[[], object]) -> str:
        if self.some(0.5):
            return ""
        return "".join(
            tag("keyframe", text("when", begin + time), tag("value", value()))
            for time in self.times(-5, length + 5, 5)
        )

    def dressing(self, kind: str, begin: int, length: int, still: bool) -> str:
        made = []
        if not still and self.some(0.12):
            pace = self.among([50, 200, -100, 75, 33.333, 120])
            made.append(
                self.effect(
                    "timeremap",
                    "motion",
                    "video",
                    self.parameter("variablespeed", 0),
                    self.parameter("speed", abs(pace)),
                    self.parameter("reverse", "TRUE" if pace < 0 else "FALSE"),
                )
            )
        if kind == "audio":
            if self.some(0.4):
                level = self.keys(begin, length, lambda: f"{self.between(0, 2):.5f}")
                level = self.parameter("level", f"{self.between(0.05, 3.9):.5f}", level)
                made.append(self.effect("audiolevels", "audiolevels", "audio", level))
            if self.some(0.2):
                pan = self.parameter("pan", f"{self.between(-1, 1):.3f}")
                made.append(self.effect("audiopan", "audiopan", "audio", pan))
        else:
            if self.some(0.3):
                place = text("horiz", f"{self.between(-0.5, 0.5):.4f}") + text("vert", "0.125")
                made.append(
                    self.effect(
                        "basic",
                        "motion",
                        "video",
                        self.parameter("scale", 80, self.keys(begin, length, lambda: self.whole(20, 200))),
                        self.parameter("rotation", self.whole(-90, 90)),
                        self.parameter("center", place),
                    )
                )
            if self.some(0.15):
                made.append(self.effect("crop", "motion", "video", self.parameter("left", self.whole(0, 40))))
            if self.some(0.2):
                shown = self.keys(begin, length, lambda: self.whole(0, 100))
                made.append(self.effect("opacity", "motion", "video", self.parameter("opacity", 100, shown)))
            if self.some(0.1):
                radius = self.parameter("radius", self.whole(1, 50))
                made.append(self.effect(f"soft{self.whole(1, 9)}", "filter", "video", radius))
        return "".join(tag("filter", one) for one in made)

    def words(self, start: int, length: int) -> str:
        kind = self.among(["Text", "Outline Text", "Lower 3rd"])
        said = self.parameter("str", escape(self.name())), self.parameter("fontsize", self.whole(12, 90))
        return tag(
            "generatoritem",
            text("name", self.name()), text("duration", 5000), self.rate,
            text("start", start), text("end", start + length), text("in", 0), text("out", length),
            self.effect(kind, "generator", "video", *said),
            id=f"c{self.count}",
        )  # fmt: skip

    def clip(self, kind: str, start: int, length: int) -> str:
        fits = ("a", "av") if kind == "audio" else ("v", "av", "still")
        medium = self.among([one for one in self.media if one.kind in fits])
        begin = self.whole(100, 800)
        markers = [
            tag(
                "marker",
                text("name", self.name()), text("comment", self.among(["", "see"])),
                text("in", begin + self.whole(-3, length)), text("out", -1),
            )
            for _ in range(2)
            if self.some(0.1)
        ]  # fmt: skip
        logged = text("scene", self.whole(1, 99)), text("shottake", self.whole(1, 9))
        source = text("mediatype", "audio"), text("trackindex", self.whole(1, medium.channels))
        blend = self.among(["normal", "screen", "multiply"])
        return tag(
            "clipitem",
            text("name", medium.name),
            text("enabled", "FALSE" if self.some(0.05) else "TRUE"),
            text("duration", medium.length), self.rate,
            text("start", start), text("end", start + length), text("in", begin), text("out", begin + length),
            text("compositemode", blend) if kind == "video" and self.some(0.1) else "",
            medium,
            tag("sourcetrack", *source) if kind == "audio" else "",
            self.dressing(kind, begin, length, medium.kind == "still"),
            *markers,
            tag("logginginfo", *logged) if self.some(0.2) else "",
            tag("labels", text("label2", self.among(["Rose", "Iris", "Mango"]))) if self.some(0.2) else "",
            id=f"c{self.count}",
        )  # fmt: skip

    def join(self, kind: str, cut: int, half: int) -> str:
        key = self.among(
            ["Cross Dissolve", "Dip to Color Dissolve", "Edge Wipe", "Page Turn"]
            if kind == "video"
            else ["KGAudioTransCrossFade0dB", "KGAudioTransCrossFade3dB"]
        )
        place = text("start", cut - half), text("end", cut + half), text("alignment", "center")
        return tag("transitionitem", *place, self.rate, self.effect(key, "transition", kind))

    def track(self, kind: str, items: int) -> str:
        at, last, made = 0, 0, []
        for _ in range(items):
            self.count += 1
            if self.some(0.15):
                at, last = at + self.whole(1, 60), 0
            length = self.whole(8, 120)
            if kind == "video" and self.some(0.08):
                made.append(self.words(at, length))
                at, last = at + length, 0
                continue
            half = min(self.whole(2, 8), last // 3, length // 3)
            if half > 1 and self.some(0.2):
                made.append(self.join(kind, at, half))
            made.append(self.clip(kind, at, length))
            at, last = at + length, length
        return tag("track", *made, text("enabled", "FALSE" if self.some(0.05) else "TRUE"))

    def whole_file(self) -> bytes:
        video = [self.track("video", self.whole(30, 50)) for _ in range(3)]
        audio = [self.track("audio", self.whole(30, 45)) for _ in range(4)]
        marks = [
            tag(
                "marker",
                text("name", self.name()), text("comment", self.name()),
                text("in", self.whole(0, 3000)), text("out", self.among([-1, 3100])),
            )
            for _ in range(12)
        ]  # fmt: skip
        code = text("string", "01:00:00:00") + text("frame", 3600 * self.base) + text("displayformat", "NDF")
        frame = tag("samplecharacteristics", self.rate, text("width", 1920), text("height", 1080))
        sound = tag("samplecharacteristics", text("depth", 16), text("samplerate", 48000))
        cut = tag(
            "sequence",
            text("name", "Kiln Night"), text("duration", 99), self.rate, tag("timecode", self.rate, code),
            tag("media", tag("video", tag("format", frame), *video), tag("audio", tag("format", sound), *audio)),
            *marks,
            id="s",
        )  # fmt: skip
        return ('<?xml version="1.0"?><!DOCTYPE xmeml>' + tag("xmeml", cut, version=4)).encode()


# ---- Lane XML


@dataclass
class Asset:
    key: str
    name: str
    start: int
    kinds: str


class LaneXml(Author):
    def __init__(self, seed: int) -> None:
        super().__init__(seed)
        self.frame = F(*self.among([(1, 25), (1001, 24000), (1001, 30000), (1, 24), (1, 50)]))
        self.titles = 0
        self.assets = [
            Asset(f"as{number}", f"{self.name()} {number}", self.among([0, 86400, 90000]), self.among(["av", "av", "v", "a"]))
            for number in range(25)
        ]  # fmt: skip

    def time(self, frames: object) -> str:
        value = F(frames) * self.frame  # type: ignore[arg-type]
        return f"{value.numerator}/{value.denominator}s" if value.denominator > 1 else f"{value.numerator}s"

    def resources(self) -> str:
        made = [tag("format", id="fA", frameDuration=self.time(1), width=1920, height=1080)]
        for number, one in enumerate(self.assets):
            place = tag("media-rep", kind="original-media", src=f"file:///K/{number}.mov")
            sound = {
                "hasAudio": 1,
                "audioSources": 1,
                "audioChannels": self.among([1, 2, 4]),
                "audioRate": 48000,
            }
            picture = {"hasVideo": 1, "format": "fA"}
            made.append(
                tag(
                    "asset",
                    place,
                    id=one.key,
                    name=one.name,
                    start=self.time(one.start),
                    duration=self.time(self.whole(3000, 9000)),
                    **(picture if "v" in one.kinds else {}),
                    **(sound if "a" in one.kinds else {}),
                )
            )
        template = ".../Titles.localized/Bumper:Opener.localized/Basic Title.localized/Basic Title.moti"
        solid = ".../Generators.localized/Solids.localized/Custom.localized/Custom.motn"
        for key, name, uid in (
            ("fxA", "Soft Glow", "made/up/glow"),
            ("fxB", "Cross Dissolve", "FxPlug:4731E73A-8DAC-4113-9A30-AE85B1761265"),
            ("fxT", "Basic Title", template),
            ("fxO", "Odd Title", "made/up/title"),
            ("fxG", "Custom", solid),
        ):
            made.append(tag("effect", id=key, name=name, uid=uid))
        return tag("resources", *made)

    def adjusted(self, kinds: str, start: int, length: int) -> str:
        made = [text("note", self.name())] if self.some(0.1) else []
        if self.some(0.12):
            pace = self.among([F(1, 2), F(2), F(-1)])
            edges = (start, start + abs(pace) * length)
            first, last = edges if pace > 0 else edges[::-1]
            points = (
                tag("timept", time=self.time(start), value=self.time(first), interp="linear"),
                tag("timept", time=self.time(start + length), value=self.time(last), interp="linear"),
            )
            made.append(tag("timeMap", *points))

        def moving(name: str, value: Callable[[], str], *before: str) -> str:
            keys = [
                tag(
                    "keyframe",
                    time=self.time(start + at),
                    value=value(),
                    curve=self.among(["linear", "smooth"]),
                )
                for at in self.times(0, length, 4)
            ]
            return tag("param", *before, tag("keyframeAnimation", *keys), name=name)

        if "v" in kinds:
            if self.some(0.1):
                made.append(tag("adjust-crop", tag("trim-rect", left=self.whole(0, 30)), mode="trim"))
            if self.some(0.25):
                scale = moving("scale", lambda: f"{self.between(0.3, 2):.3f} {self.between(0.3, 2):.3f}")
                place = f"{self.between(-40, 40):.2f} {self.between(-30, 30):.2f}"
                inside = scale if self.some(0.5) else ""
                made.append(tag("adjust-transform", inside, position=place, rotation=self.whole(-30, 30)))
            if self.some(0.1):
                made.append(
                    tag("adjust-blend", amount=f"{self.between(0.2, 1):.2f}", mode=self.among([0, 10, 4]))
                )
        if "a" in kinds and self.some(0.3):
            fade = tag("fadeIn", type="linear", duration=self.time(min(3, length // 3)))
            level = moving("amount", lambda: f"{self.between(-30, 6):.1f}dB", fade if self.some(0.5) else "")
            inside = level if self.some(0.6) else ""
            made.append(tag("adjust-volume", inside, amount=f"{self.between(-20, 6):.1f}dB"))
        return "".join(made)

    def noted(self, kinds: str, start: int, length: int) -> str:
        made = []
        if self.some(0.3):
            kind, more = self.among([("marker", {}), ("marker", {"completed": 0}), ("chapter-marker", {})])
            at = self.time(start + self.whole(0, length - 1))
            made.append(tag(kind, start=at, duration=self.time(1), value=self.name(), **more))
        if self.some(0.1):
            made.append(tag("keyword", start=self.time(start), duration=self.time(length), value=self.name()))
        if "v" in kinds and self.some(0.1):
            radius = tag("param", name="Radius", key=1, value=self.whole(1, 30))
            made.append(tag("filter-video", radius, ref="fxA", name="Soft Glow"))
        return "".join(made)

    def clip(self, length: int, only: str, connected: bool, **place: object) -> str:
        asset = self.among([one for one in self.assets if only in one.kinds])
        start = asset.start + self.whole(0, 1500)
        beside = []
        for _ in range(0 if connected else 2):
            if self.some(0.25):
                at = {"offset": self.time(start + self.whole(0, length - 1))}
                kind = self.among(["v", "v", "a", "title"])
                if kind == "title":
                    beside.append(self.words(self.whole(5, 60), lane=1, **at))
                else:
                    lane = self.among([1, 2] if kind == "v" else [-1, -2])
                    beside.append(self.clip(self.whole(5, 60), kind, True, lane=lane, **at))
        role = self.among([None, "dialogue", "music", "effects"]) if "a" in asset.kinds else None
        return tag(
            "asset-clip",
            self.adjusted(asset.kinds, start, length), *beside, self.noted(asset.kinds, start, length),
            ref=asset.key, name=asset.name, start=self.time(start), duration=self.time(length), audioRole=role,
            enabled=0 if self.some(0.05) else None, **place,
        )  # fmt: skip

    def words(self, length: int, **place: object) -> str:
        self.titles += 1
        key = f"ts{self.titles}"
        style = tag("text-style", font="Noto Sans", fontSize=self.whole(20, 90), fontColor="1 0.9 0.8 1", alignment="center")  # fmt: skip
        return tag(
            "title",
            tag("param", name="Position", key=1, value=f"{self.whole(-300, 300)} {self.whole(-300, 300)}"),
            tag("text", tag("text-style", escape(self.name()), ref=key)),
            tag("text-style-def", style, id=key),
            ref=self.among(["fxT", "fxT", "fxO"]), name=self.name(), start=self.time(90000),
            duration=self.time(length), **place,
        )  # fmt: skip

    def whole_file(self) -> bytes:
        at, last, spine = 0, 0, []
        for _ in range(150):
            length, kind = self.whole(12, 120), self.random.random()
            place = {"offset": self.time(at)}
            if kind < 0.06:
                spine.append(
                    tag("gap", name="Gap", start=self.time(90000), duration=self.time(length), **place)
                )
            elif kind < 0.1:
                spine.append(self.words(length, **place))
            elif kind < 0.13:
                color = tag("param", name="Color", value="0.2 0.4 0.1")
                told = {
                    "ref": "fxG",
                    "name": "Solid",
                    "start": self.time(90000),
                    "duration": self.time(length),
                }
                spine.append(tag("video", color, **told, **place))
            else:
                half = min(self.whole(1, 4), last // 8, length // 8)
                if half and self.some(0.15):
                    known = tag("filter-video", ref="fxB", name="Cross Dissolve")
                    told = {"offset": self.time(at - half), "duration": self.time(2 * half)}
                    spine.append(tag("transition", known, name="Cross Dissolve", **told))
                spine.append(self.clip(length, "v", False, **place))
            at, last = at + length, 0 if kind < 0.13 else length
        cut = tag(
            "sequence", tag("spine", *spine), format="fA", duration=self.time(at), tcStart=self.time(90000),
            tcFormat="NDF", audioLayout="stereo", audioRate="48k",
        )  # fmt: skip
        event = tag("event", tag("project", cut, name="Kiln Night"), name="Kiln")
        whole = tag("fcpxml", self.resources(), tag("library", event), version="1.10")
        return f'<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE fcpxml>{whole}'.encode()


# ---- cut lists


class CutList(Author):
    def whole_file(self) -> bytes:
        fps = self.among([25, 24, 30])

        def code(frame: int) -> str:
            seconds = frame // fps
            return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{frame % fps:02d}"

        lines = ["TITLE: KILN NIGHT", "FCM: NON-DROP FRAME", ""]
        at, before = 3600 * fps, ("", 0, "", "")
        for number in range(1, 221):
            length, source = self.whole(10, 200), self.whole(0, 7200 * fps)
            reel, channel = f"A{self.whole(1, 20):03d}", self.among(["V", "V", "V", "AA/V", "A", "A2"])
            name, head = self.name(), f"{number:03d}  "
            codes = f"{code(source)} {code(source + length)} {code(at)} {code(at + length)}"
            if channel == before[2] == "V" and self.some(0.12):
                old, end, _, shown = before
                lines.append(f"{head}{old:<8} V     C        {code(end)} {code(end)} {code(at)} {code(at)}")
                kind = self.among(["D   ", "W001"])
                lines.append(f"{head}{reel:<8} V     {kind} {self.whole(4, min(30, length)):03d} {codes}")
                lines += [f"* FROM CLIP NAME: {shown}", f"* TO CLIP NAME: {name}"]
            else:
                lines += [f"{head}{reel:<8} {channel:<5} C        {codes}", f"* FROM CLIP NAME: {name}"]
                if channel == "V" and self.some(0.05):
                    lines.append(f"M2   {reel:<8} {self.among([12.5, 50, -25]):05.1f}  {code(source)}")
            if self.some(0.1):
                lines.append(f"* LOC: {code(at + 1)} RED     {self.name()}")
            if self.some(0.1):
                lines.append(f"* COMMENT: {self.name()}")
            before = (reel, source + length, channel, name)
            at += length + (self.whole(1, 40) if self.some(0.1) else 0)
        return ("\r\n".join(lines) + "\r\n").encode()


AUTHORS = {"Track XML": TrackXml, "Lane XML": LaneXml, "cut list": CutList}
