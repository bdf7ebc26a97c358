"""Spell the cut as Track XML the way some other program would: not with our own writer, and with its habits.

Habits on purpose: version 4, ``ntsc`` before ``timebase``, numbers with a trailing point, booleans in two
spellings, empty ``labels`` and ``logginginfo``, stereo as two tracks, -1 beside transitions, a sequence
duration that is too short, private attributes.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote
from xml.sax.saxutils import escape

from wexodos.demo.cut import NEST, Clip, Cut, Join, Lane
from wexodos.demo.sources import ALL, Source
from wexodos.timing import Rate, Timecode

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE xmeml>\n<xmeml version="4">\n'
_RATE = "<rate><ntsc>FALSE</ntsc><timebase>25</timebase></rate>"
_JOINS = {
    "dissolve": ("Cross Dissolve", "Dissolve", 0),
    "wipe": ("Edge Wipe", "Wipe", 1),
    "clock": ("Clock Wipe", "Wipe", 201),
    "dip": ("Dip to Color Dissolve", "Dissolve", 0),
    "sound-power": ("Equal-power crossfade", "KGAudioTransCrossFade3dB", 0),
    "sound-linear": ("Linear crossfade", "KGAudioTransCrossFade0dB", 0),
}


@dataclass(slots=True)
class Exporter:
    """Writes one cut; files are spelled in full at their first use."""

    media: Path
    prefix: str = "clipitem-"
    written: set[str] = field(default_factory=set)
    counter: int = 0
    ids: dict[tuple[int, int], str] = field(default_factory=dict)
    places: dict[str, tuple[str, int, int]] = field(default_factory=dict)
    partners: dict[tuple[str, int], Clip] = field(default_factory=dict)
    main: dict[tuple[str, int], Clip] = field(default_factory=dict)
    nested_written: bool = False
    angles_written: bool = False

    def document(self, cut: Cut) -> str:
        return _HEAD + self._sequence(cut, 1) + "</xmeml>\n"

    def project(self, name: str, cuts: list[Cut]) -> str:
        """Several cuts in one file."""
        told = "".join(self._sequence(cut, number) for number, cut in enumerate(cuts, 1))
        return (
            f"{_HEAD}<project><name>{escape(name)}</name><children>\n{told}</children></project>\n</xmeml>\n"
        )

    def _sequence(self, cut: Cut, number: int) -> str:
        self._number(cut)
        pictures = "".join(self._picture_track(lane) for lane in cut.pictures)
        sounds, out = "", 0
        for lane in cut.sounds:
            for channel in range(lane.channels):
                out += 1
                sounds += self._sound_track(lane, channel, out)
        markers = "".join(
            f"<marker><comment></comment><name>{escape(name)}</name><in>{start}</in><out>{start + length if length else -1}</out>"
            + (
                f"<color><red>{int(color[:2], 16)}</red><green>{int(color[2:4], 16)}</green><blue>{int(color[4:], 16)}</blue></color>"
                if color
                else ""
            )
            + "</marker>"
            for name, start, length, color in cut.markers
        )
        return f"""<sequence id="sequence-{number if number == 1 else number + 1}" explodedTracks="true" privateWindowState="120,40,1">
<uuid>6d3f8a70-0000-4000-8000-kilnnight{number:03d}</uuid><duration>{cut.length - 40}</duration>{_RATE}<name>{escape(cut.name)}</name>
<media><video><format><samplecharacteristics>{_RATE}<width>640</width><height>360</height><anamorphic>FALSE</anamorphic>
<pixelaspectratio>square</pixelaspectratio><fielddominance>none</fielddominance><colordepth>24</colordepth></samplecharacteristics></format>
{pictures}</video>
<audio><numOutputChannels>2</numOutputChannels><format><samplecharacteristics><depth>16</depth><samplerate>48000</samplerate>
</samplecharacteristics></format><outputs><group><index>1</index><numchannels>1</numchannels><downmix>0</downmix><channel><index>1</index>
</channel></group><group><index>2</index><numchannels>1</numchannels><downmix>0</downmix><channel><index>2</index></channel></group></outputs>
{sounds}</audio></media>
<timecode>{_RATE}<string>{cut.hour:02d}:00:00:00</string><frame>{cut.hour * 90000}</frame><displayformat>NDF</displayformat></timecode>
{markers}<labels/><logginginfo><scene></scene><lognote/></logginginfo></sequence>
"""

    def _number(self, cut: Cut) -> None:
        for lane in [*cut.pictures, *cut.sounds]:
            for clip in lane.clips:
                for channel in range(lane.channels):
                    self.counter += 1
                    self.ids[(id(clip), channel)] = f"{self.prefix}{self.counter}"
        self.partners = {
            (clip.name, clip.start): clip for lane in cut.sounds for clip in lane.clips if clip.with_picture
        }
        self.main = {(clip.name, clip.start): clip for clip in cut.pictures[0].clips}
        out = 0
        for number, lane in enumerate(cut.pictures, 1):
            self._places(lane, 0, "video", number)
        for lane in cut.sounds:
            for channel in range(lane.channels):
                out += 1
                self._places(lane, channel, "audio", out)

    def _places(self, lane: Lane, channel: int, medium: str, number: int) -> None:
        for index, thing in enumerate(_in_order(lane), 1):
            if isinstance(thing, Clip):
                self.places[self.ids[(id(thing), channel)]] = (medium, number, index)

    # ---- tracks

    def _picture_track(self, lane: Lane) -> str:
        body = "".join(
            self._join(thing, "video") if isinstance(thing, Join) else self._clip(thing, lane, 0)
            for thing in _in_order(lane)
        )
        return f'<track privateHeight="41">{body}<enabled>TRUE</enabled><locked>FALSE</locked></track>\n'

    def _sound_track(self, lane: Lane, channel: int, out: int) -> str:
        kind = "Stereo" if lane.channels == 2 else "Mono"
        body = "".join(
            self._join(thing, "audio") if isinstance(thing, Join) else self._clip(thing, lane, channel)
            for thing in _in_order(lane)
        )
        return (
            f'<track privateTrackName="{escape(lane.name)}" privateTrackType="{kind}" '
            f'currentExplodedTrackIndex="{channel}" '
            f'totalExplodedTrackCount="{lane.channels}">{body}<enabled>true</enabled><locked>false</locked>'
            f"<outputchannelindex>{1 + (out - 1) % 2}</outputchannelindex></track>\n"
        )

    def _join(self, join: Join, medium: str) -> str:
        name, category, code = _JOINS[join.kind]
        start = {"center": join.cut - join.length // 2, "end-black": join.cut - join.length}[join.alignment]
        identifier = category if medium == "audio" else name
        extra = ""
        if join.kind == "dip":
            extra = (
                "<parameter><parameterid>color</parameterid><name>Color</name><value><alpha>255</alpha><red>255</red>"
                "<green>255</green><blue>255</blue></value></parameter>"
            )
        elif code:
            extra = (
                "<parameter><parameterid>border</parameterid><name>Border</name><value>0.</value></parameter>"
            )
        return (
            f"<transitionitem><start>{start}</start><end>{start + join.length}</end><alignment>{join.alignment}</alignment>{_RATE}"
            f"<effect><name>{name}</name><effectid>{identifier}</effectid><effectcategory>"
            f"{category if medium == 'video' else ''}</effectcategory><effecttype>transition</effecttype>"
            f"<mediatype>{medium}</mediatype><wipecode>{code}</wipecode><wipeaccuracy>100</wipeaccuracy>"
            f"<startratio>0</startratio><endratio>1</endratio><reverse>FALSE</reverse>{extra}</effect></transitionitem>\n"
        )

    # ---- items

    def _clip(self, clip: Clip, lane: Lane, channel: int) -> str:
        start, end, into = clip.start, clip.end, clip.into
        out = into + clip.duration
        for join in lane.joins:
            half = join.length // 2 if join.alignment == "center" else join.length
            if join.cut == clip.end:
                end, out = -1, out + (join.length - half if join.alignment == "center" else 0)
            if join.cut == clip.start and join.alignment == "center":
                start, into = -1, into - half
        key = self.ids[(id(clip), channel)]
        source = ALL.get(clip.source)
        sound = lane.channels == 2 or (source is not None and not source.video)
        length = clip.length or (
            source.frames if source is not None and not source.still else clip.duration + 250
        )
        if source is not None and source.rate != (25, 1):
            length = source.frames * source.rate[1] * 25 // source.rate[0]
        enabled = "FALSE" if not clip.enabled or (channel + 1) in clip.muted else "TRUE"
        tag = "generatoritem" if clip.kind in ("title", "colour") else "clipitem"
        if tag == "generatoritem":
            into, out, length = 90000, 90000 + clip.duration, 1080000
        body = (
            f"<masterclipid>masterclip-{clip.source or clip.name}</masterclipid>" if tag == "clipitem" else ""
        )
        body = body.replace("&", "&amp;")
        body += (
            f"<name>{escape(clip.name)}</name><enabled>{enabled}</enabled><duration>{length}</duration>{_RATE}"
            f"<start>{start}</start><end>{end}</end><in>{into}</in><out>{out}</out>"
        )
        if clip.still_frame is not None:
            body += f"<stillframe>TRUE</stillframe><stillframeoffset>{clip.still_frame}</stillframeoffset>"
        if clip.alpha:
            body += f"<alphatype>{clip.alpha}</alphatype>"
        if clip.blend:
            body += f"<compositemode>{clip.blend}</compositemode>"
        if clip.kind == "title":
            body += self._title(clip)
        elif clip.kind == "colour":
            body += _generator(
                "Color",
                "Matte",
                "<parameter><parameterid>fillcolor</parameterid><name>Color</name><value>"
                "<alpha>0</alpha><red>224</red><green>120</green><blue>60</blue></value></parameter>",
            )
        elif clip.kind == "nested":
            body += self._nested()
        elif clip.kind == "angles":
            body += self._angles()
        elif source is not None:
            body += self._file(source)
        if sound:
            body += f"<sourcetrack><mediatype>audio</mediatype><trackindex>{channel + 1}</trackindex></sourcetrack>"
        body += "".join(
            _filter(one, clip, into if tag == "generatoritem" else clip.into) for one in clip.filters
        )
        body += "".join(
            f"<marker><name>{escape(name)}</name><comment/><in>{clip.into + at}</in><out>-1</out></marker>"
            for name, at in clip.markers
        )
        body += self._links(clip)
        body += "<logginginfo><scene></scene><shottake/></logginginfo>"
        body += f"<labels><label2>{clip.label}</label2></labels>" if clip.label else "<labels/>"
        return f'<{tag} id="{key}">{body}</{tag}>\n'

    def _links(self, clip: Clip) -> str:
        partner = self.partners.get((clip.name, clip.start))
        picture = self.main.get((clip.name, clip.start))
        members: list[str] = []
        if partner is not None and picture is not None and (clip is partner or clip is picture):
            members = [self.ids[(id(picture), 0)], self.ids[(id(partner), 0)], self.ids[(id(partner), 1)]]
        elif (id(clip), 1) in self.ids:
            members = [self.ids[(id(clip), 0)], self.ids[(id(clip), 1)]]
        text = ""
        for member in members:
            medium, track, index = self.places[member]
            group = "<groupindex>1</groupindex>" if medium == "audio" else ""
            text += (
                f"<link><linkclipref>{member}</linkclipref><mediatype>{medium}</mediatype><trackindex>{track}</trackindex>"
                f"<clipindex>{index}</clipindex>{group}</link>"
            )
        return text

    def _file(self, source: Source) -> str:
        if source.id in self.written:
            return f'<file id="{source.id}"/>'
        self.written.add(source.id)
        ntsc = source.rate[1] == 1001
        base = 30 if ntsc else 25
        rate = f"<rate><timebase>{base}</timebase><ntsc>{str(ntsc).upper()}</ntsc></rate>"
        url = "file://localhost" + quote(str((self.media / source.file).resolve()))
        parts = ""
        if source.video:
            parts += (
                f"<video><samplecharacteristics>{rate}<width>{source.width}</width><height>{source.height}</height>"
                "<anamorphic>FALSE</anamorphic><pixelaspectratio>square</pixelaspectratio><fielddominance>none</fielddominance>"
                "</samplecharacteristics></video>"
            )
        if source.channels:
            depth = source.depth
            parts += (
                f"<audio><samplecharacteristics><depth>{depth}</depth><samplerate>48000</samplerate></samplecharacteristics>"
                f"<channelcount>{source.channels}</channelcount></audio>"
            )
        code = ""
        if not source.still:
            label = Timecode(source.start, Rate(*source.rate))
            code = (
                f"<timecode>{rate}<string>{label}</string><frame>{source.start}</frame><displayformat>NDF</displayformat>"
                f"<reel><name>{source.reel}</name></reel></timecode>"
            )
        return (
            "<file "
            f'id="{source.id}"><name>{source.file}</name><pathurl>{url}</pathurl>{rate}<duration>{source.frames}</duration>'
            f"{code}<media>{parts}</media></file>"
        )

    def _nested(self) -> str:
        if self.nested_written:
            return '<sequence id="sequence-2"/>'
        self.nested_written = True
        inner = ""
        for place, clip in enumerate(NEST, 1):
            inner += (
                "<clipitem "
                f'id="inner-{place}"><name>{escape(clip.name)}</name><enabled>TRUE</enabled><duration>600</duration>'
                f"{_RATE}<start>{clip.start}</start><end>{clip.end}</end><in>{clip.into}</in>"
                f"<out>{clip.into + clip.duration}</out>{self._file(ALL[clip.source])}<labels/></clipitem>"
            )
        return (
            '<sequence id="sequence-2"><name>Three '
            f"fires</name><duration>150</duration>{_RATE}<media><video><format>"
            f"<samplecharacteristics>{_RATE}<width>640</width><height>360</height><pixelaspectratio>square</pixelaspectratio>"
            f"</samplecharacteristics></format><track>{inner}<enabled>TRUE</enabled></track></video></media></sequence>"
        )

    def _angles(self) -> str:
        if self.angles_written:
            return '<multiclip id="multiclip-1"/>'
        self.angles_written = True
        angles = ""
        for place, name in enumerate(("Quill, wide", "Quill, close"), 1):
            active = (
                "<activevideoangle>TRUE</activevideoangle><activeaudioangle>TRUE</activeaudioangle>"
                if place == 2
                else ""
            )
            angles += (
                f"<angle>{active}<clip "
                f'id="angle-clip-{place}"><name>{name}</name><duration>600</duration>{_RATE}<in>0</in>'
                f"<out>600</out>{self._file(ALL[name])}</clip></angle>"
            )
        return (
            '<multiclip id="multiclip-1"><name>Quill '
            "interview</name><collapsed>FALSE</collapsed><synctype>inpoint</synctype>"
            f"{angles}</multiclip>"
        )

    def _title(self, clip: Clip) -> str:
        told = clip.title
        words = escape(str(told["words"])).replace("\r", "&#13;")
        origin = told.get("origin", (0.0, 0.0))
        assert isinstance(origin, tuple)
        if told.get("lower"):
            first, _, second = words.partition("&#13;")
            parameters = (
                _parameter("text1", "Text 1", first)
                + _parameter("font1", "Font", "Barlow Semi Condensed")
                + _parameter("size1", "Size", "24")
                + _parameter("text2", "Text 2", second)
                + _parameter("font2", "Font", "Barlow Semi Condensed")
                + _parameter("size2", "Size", "17")
                + _parameter("background", "Background", "Bar")
                + _parameter("opacity", "Opacity", "70")
                + "<parameter><parameterid>color</parameterid><name>Color</name><value><alpha>255</alpha><red>20</red><green>30</green>"
                "<blue>34</blue></value></parameter>"
            )
            return _generator("Lower 3rd", "Text", parameters + _origin(origin))
        kind = "Scrolling Text" if told.get("roll") else "Text"
        parameters = (
            _parameter("str", "Text", words)
            + _parameter("fontname", "Font", "Barlow Semi Condensed")
            + _parameter("fontsize", "Size", f"{told.get('size', 30)}.")
            + _parameter("fontstyle", "Style", str(told.get("style", 2)))
            + _parameter("fontalign", "Alignment", str(told.get("align", 1)))
            + "<parameter><parameterid>fontcolor</parameterid><name>Font "
            "Color</name><value><alpha>255</alpha><red>250</red>"
            "<green>245</green><blue>230</blue></value></parameter>"
        )
        return _generator(kind, "Text", parameters + _origin(origin))


def _in_order(lane: Lane) -> list[Clip | Join]:
    things: list[tuple[int, int, Clip | Join]] = [(clip.start, 1, clip) for clip in lane.clips]
    things += [(join.cut, 0, join) for join in lane.joins]
    return [thing for _, _, thing in sorted(things, key=lambda one: one[:2])]


def _parameter(key: str, name: str, value: str) -> str:
    return f"<parameter><parameterid>{key}</parameterid><name>{name}</name><value>{value}</value></parameter>"


def _origin(origin: tuple[float, float]) -> str:
    return (
        "<parameter><parameterid>origin</parameterid><name>Origin</name><value>"
        f"<horiz>{origin[0]}</horiz><vert>{origin[1]}</vert></value></parameter>"
    )


def _generator(name: str, category: str, parameters: str) -> str:
    return (
        f"<effect><name>{name}</name><effectid>{name}</effectid><effectcategory>{category}</effectcategory>"
        f"<effecttype>generator</effecttype><mediatype>video</mediatype>{parameters}</effect>"
    )


def _effect(name: str, key: str, medium: str, parameters: str, category: str = "motion") -> str:
    return (
        f"<filter><effect><name>{name}</name><effectid>{key}</effectid><effectcategory>{category}</effectcategory>"
        f"<effecttype>{category}</effecttype><mediatype>{medium}</mediatype>{parameters}</effect></filter>"
    )


def _keyed(key: str, name: str, keys: list[tuple[int, str]]) -> str:
    frames = "".join(
        f"<keyframe><when>{when}</when><value>{value}</value></keyframe>" for when, value in keys
    )
    return (
        f"<parameter><parameterid>{key}</parameterid><name>{name}</name><value>{keys[0][1]}</value>{frames}"
        "<interpolation><name>linear</name></interpolation></parameter>"
    )


def _filter(word: str, clip: Clip, into: int) -> str:
    kind, _, value = word.partition(" ")
    last = into + clip.duration
    if kind == "speed":
        percent = float(value)
        return _effect("Time Remap", "timeremap", "video", _remap(percent, clip))
    if kind == "ramp":
        keys = [
            (into, "100"),
            (into + 40, "140"),
            (into + 70, "160"),
            (last, f"{160 + (clip.duration - 70) * 0.35:g}"),
        ]
        return _effect(
            "Time Remap",
            "timeremap",
            "video",
            _parameter("variablespeed", "variablespeed", "1")
            + _parameter("speed", "speed", "61")
            + _parameter("reverse", "reverse", "FALSE")
            + _parameter("frameblending", "frameblending", "FALSE")
            + _keyed("graphdict", "graphdict", keys).replace("linear", "FCPCurve"),
        )
    if kind == "zoom":
        low, high = value.split()
        return _effect(
            "Basic Motion", "basic", "video", _keyed("scale", "Scale", [(into, low), (last, high)])
        )
    if kind == "scale-to-zero":
        return _effect(
            "Basic Motion", "basic", "video", _keyed("scale", "Scale", [(last - 30, "100"), (last - 2, "0")])
        )
    if kind == "push-in":
        return _effect(
            "Basic Motion",
            "basic",
            "video",
            _keyed("scale", "Scale", [(into, "100"), (last, "112.5")])
            + _keyed("rotation", "Rotation", [(into, "0"), (last, "-1.5")]),
        )
    if kind == "inset":
        return _effect(
            "Basic Motion",
            "basic",
            "video",
            _parameter("scale", "Scale", "30.") + "<parameter><parameterid>center"
            "</parameterid><name>Center</name><value><horiz>0.3</horiz><vert>-0.3</vert></value></parameter>",
        )
    if kind == "inset-move":
        first, second = "<horiz>-0.3</horiz><vert>-0.3</vert>", "<horiz>0.28</horiz><vert>-0.3</vert>"
        return _effect(
            "Basic Motion",
            "basic",
            "video",
            _parameter("scale", "Scale", "33.")
            + _keyed("center", "Center", [(into, first), (into + 60, second)]),
        ) + _effect(
            "Crop", "crop", "video", _parameter("left", "left", "5") + _parameter("right", "right", "5")
        )
    if kind == "opacity":
        return _effect("Opacity", "opacity", "video", _parameter("opacity", "opacity", value))
    if kind == "glow":
        return _effect(
            "Soft glow",
            "softglow",
            "video",
            _parameter("radius", "Radius", "12.5")
            + _parameter("amount", "Amount", "0.6")
            + _keyed("threshold", "Threshold", [(into, "0.2"), (last, "0.8")]),
            "Stylize",
        )
    if kind == "level":
        return _effect("Audio Levels", "audiolevels", "audio", _level(value, into, last), "audiolevels")
    if kind == "pan":
        return _effect("Audio Pan", "audiopan", "audio", _parameter("pan", "Pan", "0.25"), "audiopan")
    raise AssertionError(word)


def _level(value: str, into: int, last: int) -> str:
    if value == "fade":
        return _keyed(
            "level", "Level", [(into, "0.0"), (into + 8, "1"), (last - 20, "1"), (last, "0.251189")]
        )
    if value == "swell":
        return _keyed(
            "level", "Level", [(into, "0.1"), (into + 120, "0.8"), (last - 60, "0.8"), (last, "0.0")]
        )
    if value == "duck":
        return _keyed(
            "level",
            "Level",
            [(into, "0.6"), (into + 300, "0.6"), (into + 320, "0.2"), (last - 200, "0.2"), (last, "0.6")],
        )
    return _parameter("level", "Level", f"{10 ** (float(value) / 20):.6g}")


def _remap(percent: float, clip: Clip) -> str:
    length = clip.length or 600
    into, last = clip.into, clip.into + clip.duration
    media = 600.0

    def source(when: float) -> str:
        at = when * percent / 100 if percent > 0 else media + when * percent / 100
        return f"{max(at, 1.0 if percent < 0 else 0.0):g}"

    keys = "".join(
        f"<keyframe><when>{when}</when><value>{source(when)}</value><speedvirtualkf>TRUE</speedvirtualkf><{flag}>TRUE</{flag}></keyframe>"
        for when, flag in (
            (0, "speedkfstart"),
            (into, "speedkfin"),
            (last, "speedkfout"),
            (length, "speedkfend"),
        )
    )
    return (
        _parameter("variablespeed", "variablespeed", "0")
        + _parameter("speed", "speed", f"{abs(percent):g}")
        + _parameter("reverse", "reverse", "TRUE" if percent < 0 else "FALSE")
        + _parameter("frameblending", "frameblending", "FALSE")
        + f"<parameter><parameterid>graphdict</parameterid><name>graphdict</name><value>0</value>{keys}"
        "<interpolation><name>FCPCurve</name></interpolation></parameter>"
    )
