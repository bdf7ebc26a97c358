"""A tree of mobs as an OMF file of revision 2."""

from __future__ import annotations

import io
import struct
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

from wexodos import __version__
from wexodos.formats.ascii_names import plain
from wexodos.formats.errors import WriteError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import rational
from wexodos.formats.mobs.writing import mobs_of
from wexodos.formats.omf import constants as c
from wexodos.formats.omf.filling import filled
from wexodos.formats.omf.write_container import Target
from wexodos.formats.paths import locator_of
from wexodos.formats.spelling import Content, Sounding, Spelling
from wexodos.model import Document
from wexodos.timing import Exact, Rate, ceil

EFFECTS = {
    "gain": ("omfi:effect:MonoAudioGain", "Mono Audio Gain"),
    "pan": ("omfi:effect:MonoAudioPan", "Mono Audio Pan"),
    "crossfade": ("omfi:effect:MonoAudioDissolve", "Mono Audio Dissolve"),
    "crossfade-curves": ("omfi:effect:TwoParameterMonoAudioDissolve", "Two-Parameter Mono Audio Dissolve"),
    "speed": ("omfi:effect:VideoSpeedControl", "Video Speed Control"),
    "dissolve": ("omfi:effect:VideoDissolve", "Video Dissolve"),
}
_ARGUMENTS = {
    "amplitude": 2,
    "pan": 2,
    "speed-ratio": 2,
    "level": c.LEVEL_ARGUMENT,
    "level-out": c.OUT_ARGUMENT,
    "level-in": c.IN_ARGUMENT,
}
_DATA = {
    "sound": "omfi:data:Sound",
    "picture": "omfi:data:Picture",
    "timecode": "omfi:data:Timecode",
    "rational": "omfi:data:Rational",
}
_CLASSES = {"composition": "CMOB", "master": "MMOB", "source": "SMOB"}
OVERHEAD = 4096
"""Bytes a clip takes besides its sound, generously."""


def write(document: Document, sequence_id: str, version: str, how: Spelling | None = None) -> bytes:
    """The structure of one sequence's sound as an OMF file; sound that is to be embedded is described, its
    samples are left out."""
    how = how or Spelling()
    clips = sum(len(track.items) for track in document.sequences_by_id[sequence_id].tracks)
    if expected_size(how, clips) > c.MOST_BYTES:
        raise WriteError(
            f"the OMF would be {expected_size(how, clips) >> 20} MiB; none can be larger than 2 GiB"
        )
    target = io.BytesIO()
    made = mobs_of(document, sequence_id, how, pictures=False)
    _Maker(Target(target, how.container), made, how).file()
    return target.getvalue()


def write_to(path: Path, document: Document, sequence_id: str, version: str, how: Spelling) -> dict[str, str]:
    """Write one sequence with its embedded sound into a new file; return the names of the sounds by their
    keys. Raises ``WriteError``, before anything is written where the file would pass 2 GiB."""
    structure = how.structure or write(document, sequence_id, version, how)
    sounds = {
        plain(one.name, c.NAME_LENGTH): one
        for channels in how.sounds.values()
        for one in channels.values()
        if one.path is None
    }
    total, done = sum(one.size for one in sounds.values()) or 1, 0

    def told(count: int) -> None:
        nonlocal done
        done += count
        if how.progress is not None:
            how.progress("writing sound", done / total)

    try:
        names = filled(path, structure, {name: _content(one) for name, one in sounds.items()}, told)
    except OSError as error:
        raise WriteError(f"{path}: cannot be written: {(error.strerror or str(error)).lower()}") from None
    return {key: sounds[name].name for key, name in names.items()}


def _content(sound: Sounding) -> Content:
    return Content(sound.size, lambda: _whole(sound))


def expected_size(how: Spelling, clips: int) -> int:
    """About how large a file will be: its sound, and what describes it."""
    return (
        sum(
            one.size + OVERHEAD
            for channels in how.sounds.values()
            for one in channels.values()
            if one.path is None
        )
        + clips * OVERHEAD
    )


class _Maker:
    def __init__(self, target: Target, made: tree.File, how: Spelling) -> None:
        self.target, self.made, self.how = target, made, how
        self.kinds: dict[str, int] = {}
        self.effects: dict[str, int] = {}
        self.now = struct.pack("<IB", int(time.time()), 1)

    def file(self) -> None:
        media = self._media()
        order = {"source": 0, "master": 1, "composition": 2}
        mobs = [self._mob(one) for one in sorted(self.made.mobs.values(), key=lambda one: order[one.kind])]
        head = self._new("HEAD")
        put = self.target.put
        put(head, "OMFI:HEAD:ByteOrder", "OMFI:Int16", b"II")
        put(head, "OMFI:HEAD:LastModified", "OMFI:TimeStamp", self.now)
        put(head, "OMFI:HEAD:Version", "OMFI:VersionType", b"\x02\x01")
        self._references(head, "OMFI:HEAD:Mobs", mobs)
        self._references(head, "OMFI:HEAD:PrimaryMobs", mobs[-1:])
        self._references(head, "OMFI:HEAD:MediaData", media)
        self._references(head, "OMFI:HEAD:DefinitionObjects", [*self.kinds.values(), *self.effects.values()])
        identity = self._new("IDNT")
        for name, text in (
            ("CompanyName", "Wexodos"),
            ("ProductName", "Wexodos"),
            ("ProductVersionString", __version__),
        ):
            self._text(identity, f"OMFI:IDNT:{name}", text)
        put(identity, "OMFI:IDNT:Date", "OMFI:TimeStamp", self.now)
        self._references(head, "OMFI:HEAD:IdentificationList", [identity])
        self.target.finish()

    # ---- values

    def _new(self, kind: str) -> int:
        key = self.target.new()
        self.target.put(key, "OMFI:OOBJ:ObjClass", "OMFI:ClassID", kind.encode("ascii").ljust(4)[:4])
        return key

    def _text(self, owner: int, name: str, text: str, most: int = 255) -> None:
        self.target.put(owner, name, "OMFI:String", plain(text, most).encode("ascii") + b"\0")

    def _unique(self, owner: int, name: str, text: str) -> None:
        self.target.put(owner, name, "OMFI:UniqueName", text.encode("ascii") + b"\0")

    def _long(self, owner: int, name: str, value: Exact, kind: str = "OMFI:Int32") -> None:
        if not -(1 << 31) <= int(value) < 1 << 31:
            raise WriteError("a place in the cut does not fit into 32 bits; use picture frames as edit units")
        self.target.put(owner, name, kind, struct.pack("<i", int(value)))

    def _rational(self, owner: int, name: str, value: Any, kind: str = "OMFI:Rational") -> None:
        self.target.put(owner, name, kind, struct.pack("<ii", *rational(value)))

    def _reference(self, owner: int, name: str, target: int) -> None:
        self.target.put(owner, name, "OMFI:ObjRef", struct.pack("<I", target), (target,))

    def _references(self, owner: int, name: str, targets: list[int]) -> None:
        if len(targets) > 32767:
            raise WriteError(
                "an OMF holds no more than 32,767 clips on a track and sounds in all; split the turnover"
            )
        data = struct.pack(f"<H{len(targets)}I", len(targets), *targets)
        self.target.put(owner, name, "OMFI:ObjRefArray", data, tuple(targets))

    def _uid(self, owner: int, name: str, mob: str) -> None:
        self.target.put(owner, name, "OMFI:UID", uid(mob))

    def _data_kind(self, kind: str) -> int:
        if kind not in self.kinds:
            self.kinds[kind] = key = self._new("DDEF")
            self._unique(key, "OMFI:DDEF:DataKindID", _DATA[kind])
        return self.kinds[kind]

    def _effect_kind(self, op: str) -> int:
        if op not in self.effects:
            if op not in EFFECTS:
                raise WriteError(f"{op} has no form in OMF")
            self.effects[op] = key = self._new("EDEF")
            self._unique(key, "OMFI:EDEF:EffectID", EFFECTS[op][0])
            self._text(key, "OMFI:EDEF:EffectName", EFFECTS[op][1])
            self._text(key, "OMFI:EDEF:EffectDescription", EFFECTS[op][1])
            self.target.put(key, "OMFI:EDEF:IsTimeWarp", "OMFI:Boolean", bytes([op == "speed"]))
        return self.effects[op]

    # ---- mobs

    def _mob(self, mob: tree.Mob) -> int:
        key = self._new(_CLASSES[mob.kind])
        self._uid(key, "OMFI:MOBJ:MobID", mob.id)
        self._text(key, "OMFI:MOBJ:Name", mob.name, c.NAME_LENGTH)
        self.target.put(key, "OMFI:MOBJ:LastModified", "OMFI:TimeStamp", self.now)
        self.target.put(key, "OMFI:MOBJ:CreationTime", "OMFI:TimeStamp", self.now)
        slots = [
            self._slot(number, slot)
            for number, slot in enumerate(mob.slots, 1)
            if slot.segment.kind in ("sound", "timecode", "picture")
        ]
        self._references(key, "OMFI:MOBJ:Slots", slots)
        if mob.descriptor is not None:
            self._reference(key, "OMFI:SMOB:MediaDescription", self._descriptor(mob, mob.descriptor))
        return key

    def _slot(self, number: int, slot: tree.Slot) -> int:
        key, track = self._new("MSLT"), self._new("TRKD")
        self._rational(key, "OMFI:MSLT:EditRate", slot.rate.fps)
        self._reference(key, "OMFI:MSLT:Segment", self._segment(slot.segment))
        self._reference(key, "OMFI:MSLT:TrackDesc", track)
        self._long(track, "OMFI:TRKD:TrackID", slot.id)
        self._long(track, "OMFI:TRKD:Origin", 0, "OMFI:Position32")
        self._long(track, "OMFI:TRKD:PhysicalTrack", slot.number)
        if slot.name:
            self._text(track, "OMFI:TRKD:TrackName", slot.name, c.TRACK_LENGTH)
        return key

    def _component(self, kind: str, data: str, length: Exact) -> int:
        key = self._new(kind)
        self._reference(key, "OMFI:CPNT:DataKind", self._data_kind(data))
        self._long(key, "OMFI:CPNT:Length", length, "OMFI:Length32")
        return key

    def _segment(self, one: tree.Segment) -> int:
        if isinstance(one, tree.Filler):
            return self._component("FILL", one.kind, one.length)
        if isinstance(one, tree.SourceClip):
            key = self._component("SCLP", one.kind, one.length)
            self._uid(key, "OMFI:SCLP:SourceID", one.mob)
            self._long(key, "OMFI:SCLP:SourceTrackID", one.slot if one.mob else 0)
            self._long(key, "OMFI:SCLP:StartTime", one.start, "OMFI:Position32")
            for side, fade in (("In", one.fade_in), ("Out", one.fade_out)):
                if fade is not None:
                    self._long(key, f"OMFI:SCLP:Fade{side}Length", fade[0], "OMFI:Length32")
                    self._long(key, f"OMFI:SCLP:Fade{side}Type", c.FADES[fade[1]], "OMFI:FadeType")
            return key
        if isinstance(one, tree.Sequence):
            total = sum(
                -part.length if isinstance(part, tree.Transition) else part.length for part in one.parts
            )
            key = self._component("SEQU", one.kind, total)
            self._references(key, "OMFI:SEQU:Components", [self._segment(part) for part in one.parts])
            return key
        if isinstance(one, tree.Transition):
            key = self._component("TRAN", one.kind, one.length)
            self._reference(key, "OMFI:TRAN:Effect", self._segment(one.effect))
            self._long(key, "OMFI:TRAN:CutPoint", one.cut, "OMFI:Position32")
            return key
        if isinstance(one, tree.Operation):
            return self._effect(one)
        if isinstance(one, tree.TimecodeSegment):
            key = self._component("TCCP", "timecode", one.length)
            self._long(key, "OMFI:TCCP:Start", one.start, "OMFI:Position32")
            self.target.put(key, "OMFI:TCCP:FPS", "OMFI:UInt16", struct.pack("<H", one.fps))
            self.target.put(key, "OMFI:TCCP:Drop", "OMFI:Boolean", bytes([one.drop]))
            return key
        if isinstance(one, tree.Selector):
            key = self._component("SLCT", one.kind, one.length)
            self._reference(key, "OMFI:SLCT:Selected", self._segment(one.selected))
            self._references(key, "OMFI:SLCT:Alternates", [self._segment(part) for part in one.alternates])
            return key
        raise WriteError(f"{type(one).__name__} has no form in OMF")

    def _effect(self, one: tree.Operation) -> int:
        key = self._component("EFFE", one.kind, one.length)
        self._reference(key, "OMFI:EFFE:EffectKind", self._effect_kind(one.op))
        slots = []
        for place, part in enumerate(one.inputs, 1):
            slots.append(self._argument(place, self._segment(part)))
        for word, value in one.parameters.items():
            if word in _ARGUMENTS:
                slots.append(self._argument(_ARGUMENTS[word], self._control(value, one.length)))
        self._references(key, "OMFI:EFFE:EffectSlots", slots)
        return key

    def _argument(self, number: int, value: int) -> int:
        key = self._new("ESLT")
        self._long(key, "OMFI:ESLT:ArgID", number, "OMFI:ArgIDType")
        self._reference(key, "OMFI:ESLT:ArgValue", value)
        return key

    def _control(self, value: tree.Value, length: Exact) -> int:
        if not isinstance(value, tree.Varying):
            key = self._component("CVAL", "rational", length)
            self._rational(key, "OMFI:CVAL:Value", value, "OMFI:DataValue")
            return key
        key = self._component("VVAL", "rational", length)
        self._long(
            key,
            "OMFI:VVAL:Interpolation",
            c.CONSTANT if value.law == "constant" else c.LINEAR,
            "OMFI:InterpKind",
        )
        points = []
        for one in value.points:
            point = self._new("CTLP")
            self._rational(point, "OMFI:CTLP:Time", one.time)
            self._reference(point, "OMFI:CTLP:DataKind", self._data_kind("rational"))
            self._rational(
                point, "OMFI:CTLP:Value", one.exact if one.exact is not None else one.value, "OMFI:DataValue"
            )
            points.append(point)
        self._references(key, "OMFI:VVAL:PointList", points)
        return key

    # ---- media

    def _descriptor(self, mob: tree.Mob, told: tree.Descriptor) -> int:
        if told.role != "file":
            return self._new("MDTP")
        what = "AIFD" if told.what == "aiff" else "WAVD"
        key = self._new(what)
        embedded = mob.id in self.made.sounds
        self.target.put(key, "OMFI:MDFL:IsOMFI", "OMFI:Boolean", bytes([embedded]))
        told = _in_samples(told)
        if told.rate is not None:
            self._rational(key, "OMFI:MDFL:SampleRate", told.rate.fps)
        self._long(key, "OMFI:MDFL:Length", told.length or 0, "OMFI:Length32")
        self.target.put(key, f"OMFI:{what}:Summary", "OMFI:DataValue", told.summary or _bare_head(told))
        self._unique(key, "OMFI:MDES:CodecID", "omfi:codec:AIFC" if what == "AIFD" else "omfi:codec:WAVE")
        locators = []
        for place in told.locators:
            locator = self._new("NETL")
            self._text(locator, "OMFI:NETL:URLString", locator_of(place), 2000)
            locators.append(locator)
        if locators:
            self._references(key, "OMFI:MDES:Locator", locators)
        return key

    def _media(self) -> list[int]:
        """A place for each sound that is to stand inside, first of all in the file."""
        keys = []
        for mob, sound in self.made.sounds.items():
            what = "AIFC" if sound.form == "aiff" else "WAVE"
            key = self._new(what)
            self._uid(key, "OMFI:MDAT:MobID", mob)
            self.target.stream(key, f"OMFI:{what}:AudioData", "OMFI:DataValue")
            keys.append(key)
        return keys


def _whole(sound: Sounding) -> Iterator[bytes]:
    yield sound.head
    if sound.blocks is not None:
        yield from sound.blocks()
    yield sound.tail


def _in_samples(told: tree.Descriptor) -> tree.Descriptor:
    """What is said of the sound of a file that also has a picture: a WAVE counts samples."""
    if not told.picture or told.rate is None:
        return told
    samples = Rate(told.sample_rate or 48000)
    return replace(told, rate=samples, length=ceil(samples.frames(told.rate.seconds(told.length or 0))))


def _bare_head(told: tree.Descriptor) -> bytes:
    """The head of a WAVE file that is not there: what is known of its sound."""
    rate, bits, channels = told.sample_rate or 48000, told.bits or 24, told.channels or 1
    block = channels * bits // 8
    size = int(told.length or 0) * block
    body = struct.pack("<HHIIHH", 1, channels, rate, rate * block, block, bits)
    # A length of 32 bits ends at 4 GiB; what passes it is told by the samples of the descriptor.
    size = size if size < (1 << 32) - 36 else 0
    head = b"RIFF" + struct.pack("<I", 36 + size) + b"WAVEfmt " + struct.pack("<I", 16)
    return head + body + b"data" + struct.pack("<I", size)


def uid(mob: str) -> bytes:
    """Twelve bytes for a mob of ours, 32 hexadecimal digits; zeros for none."""
    if not mob:
        return bytes(12)
    return struct.pack("<III", c.UID_PREFIX, int(mob[:8], 16) or 1, int(mob[8:16], 16))
