"""Long AAF, OMF and .otio files as strangers write them, object by object, by a seed."""

from __future__ import annotations

import struct
import tempfile
from pathlib import Path
from typing import Any

import opentimelineio as otio
from opentimelineio import opentime, schema

from .aaf_maker import PAL, Maker, R
from .authored import Author
from .test_omf import Box

SAMPLES = R(48000, 1)


class AafFile(Author):
    """Pictures in a stack of three tracks, sound on samples, all that is done to them as operations."""

    def whole_file(self) -> bytes:
        with tempfile.TemporaryDirectory() as folder:
            make = Maker(Path(folder) / "cut.aaf")
            self.fill(make)
            return make.close().read_bytes()

    def fill(self, make: Maker) -> None:
        shots = [
            make.picture(
                self.name(), f"file:///K/{number}.mov", f"A{number:03d}", self.whole(0, 2_000_000), 4000
            )
            for number in range(20)
        ]
        takes = [
            make.sound(
                f"{self.name()} {number}", 1920 * self.whole(0, 900_000), 9_600_000, self.among([1, 2])
            )
            for number in range(12)
        ]
        rows = [self.row(make, "picture", shots, 55, 1) for _ in range(3)]
        sounds = [self.row(make, "sound", takes, 40, 1920) for _ in range(4)]
        whole = max([row.length for row in rows] + [row.length // 1920 + 1 for row in sounds])
        for row, unit, kind in [
            *((row, 1, "picture") for row in rows),
            *((row, 1920, "sound") for row in sounds),
        ]:
            row["Components"].value = [*row.components, make.filler(kind, whole * unit - row.length + 1)]
            row.length = whole * unit + 1
        stack = make.file.create.NestedScope(media_kind="picture", length=whole + 1)
        stack["Slots"].value = rows
        slots = [make.slot(1, PAL, make.code(90_000, 25, whole)), make.slot(2, PAL, stack)]
        slots += [
            make.slot(3 + place, SAMPLES, row, 1 + place, self.name()) for place, row in enumerate(sounds)
        ]
        make.mob("CompositionMob", "Kiln Night", *slots, usage="Usage_TopLevel")

    def row(self, make: Maker, kind: str, masters: list[Any], count: int, unit: int) -> Any:
        parts: list[Any] = []
        last = 0
        for _ in range(count):
            if self.some(0.2):
                parts.append(
                    make.filler(kind, unit * self.whole(1, 50) + (self.whole(0, 900) if unit > 1 else 0))
                )
                last = 0
            length = unit * self.whole(20, 120) + (self.whole(0, 1900) if unit > 1 else 0)
            half = min(last, length) // 4
            if half > 1 and self.some(0.25):
                parts.append(
                    make.join(kind, "dissolve" if kind == "picture" else "crossfade", half, half // 2)
                )
            parts.append(self.clip(make, kind, self.among(masters), length, unit))
            last = length
        return make.row(kind, *parts)

    def clip(self, make: Maker, kind: str, master: Any, length: int, unit: int) -> Any:
        slot = self.among([one.slot_id for one in master.slots])
        start = unit * self.whole(100, 2000)
        made = make.clip(kind, master, slot, start, length)
        chance = self.random.random()
        if kind == "sound":
            if chance < 0.3:
                gain = R(self.whole(1, 3 << 28), 1 << 29)
                if self.some(0.5):
                    made = make.operation("gain", length, [made], amplitude=gain)
                else:
                    points = [(R(time, 8), R(self.whole(1, 1 << 30), 1 << 29)) for time in (0, 3, 8)]
                    made = make.operation("gain", length, [made], amplitude=points)
            elif chance < 0.4:
                made = make.operation("pan", length, [made], pan=R(self.whole(0, 100), 100))
        elif chance < 0.1:
            ratio = self.among([(2, 1), (1, 2), (-1, 1), (4, 3)])
            taken = max(1, (length - 1) * ratio[1] // abs(ratio[0]) + 1)
            made = make.clip(kind, master, slot, start, taken)
            made = make.operation("speed", length, [made], speed_ratio=R(*ratio))
        elif chance < 0.3:
            points = [(R(time, 5), R(self.whole(10, 200), 100)) for time in (0, 2, 5)]
            size = points if self.some(0.5) else R(self.whole(10, 200), 100)
            made = make.operation("scale", length, [made], scale_x=size, scale_y=size)
        elif chance < 0.4:
            made = make.operation("opacity", length, [made], opacity=[(R(0, 1), R(0, 1)), (R(1, 1), R(1, 1))])
        if self.some(0.05):
            switch = make.file.create.Selector(media_kind=kind, length=length)
            switch["Selected"].value = make.filler(kind, length)
            switch["Alternates"].append(made)
            notes = []
            for word, value in (("_DISABLE_CLIP_FLAG", 1), ("_AAF_SELECTED", 0)):
                note = make.file.create.TaggedValue()
                note["Name"].value, note["Value"].value = word, value
                notes.append(note)
            switch["ComponentAttributeList"].value = notes
            made = switch
        return made


class OmfFile(Author):
    """Sound of revision 2 in a container of version 1, in either byte order."""

    def whole_file(self) -> bytes:
        self.order = self.among("<>")
        self.box, self.made = Box(self.order), 0
        self.kinds = {name: self.definition(name) for name in ("Sound", "Timecode", "Rational")}
        self.effects = {name: self.effect_kind(name) for name in ("MonoAudioGain", "MonoAudioDissolve")}
        mobs: list[int] = []
        takes = [self.medium(mobs) for _ in range(12)]
        slots = [self.slot(1, 1, (25, 1), self.code(90_000, 60_000))]
        slots += [self.slot(2 + place, 1 + place, (48000, 1), self.row(takes)) for place in range(5)]
        cut = self.mob("CMOB", "Kiln Night", slots)
        head = self.thing("HEAD")
        self.box.put(head, "OMFI:HEAD:ByteOrder", "OMFI:Int16", b"II" if self.order == "<" else b"MM")
        self.box.put(head, "OMFI:HEAD:Version", "OMFI:VersionType", b"\x02\x01")
        self.box.refs(head, "OMFI:HEAD:Mobs", *mobs, cut)
        self.box.refs(head, "OMFI:HEAD:PrimaryMobs", cut)
        return self.box.done()

    def thing(self, kind: str) -> int:
        key = self.box.new()
        self.box.put(key, "OMFI:OOBJ:ObjClass", "OMFI:ClassID", kind.encode())
        return key

    def definition(self, name: str) -> int:
        key = self.thing("DDEF")
        self.box.put(key, "OMFI:DDEF:DataKindID", "OMFI:UniqueName", f"omfi:data:{name}".encode() + b"\0")
        return key

    def effect_kind(self, name: str) -> int:
        key = self.thing("EDEF")
        self.box.put(key, "OMFI:EDEF:EffectID", "OMFI:UniqueName", f"omfi:effect:{name}".encode() + b"\0")
        return key

    def part(self, kind: str, length: int, data: str = "Sound") -> int:
        key = self.thing(kind)
        self.box.ref(key, "OMFI:CPNT:DataKind", self.kinds[data])
        self.box.put(key, "OMFI:CPNT:Length", "OMFI:Length32", struct.pack(f"{self.order}i", length))
        return key

    def ratio(
        self, owner: int, name: str, numerator: int, denominator: int, kind: str = "OMFI:Rational"
    ) -> None:
        self.box.put(owner, name, kind, struct.pack(f"{self.order}ii", numerator, denominator))

    def code(self, start: int, length: int) -> int:
        key = self.part("TCCP", length, "Timecode")
        self.box.put(key, "OMFI:TCCP:Start", "OMFI:Position32", struct.pack(f"{self.order}i", start))
        self.box.put(key, "OMFI:TCCP:FPS", "OMFI:UInt16", struct.pack(f"{self.order}H", 25))
        self.box.put(key, "OMFI:TCCP:Drop", "OMFI:Boolean", b"\0")
        return key

    def slot(self, track: int, number: int, rate: tuple[int, int], segment: int) -> int:
        key, told = self.thing("MSLT"), self.thing("TRKD")
        self.ratio(key, "OMFI:MSLT:EditRate", *rate)
        self.box.ref(key, "OMFI:MSLT:Segment", segment)
        self.box.ref(key, "OMFI:MSLT:TrackDesc", told)
        self.box.long(told, "OMFI:TRKD:TrackID", track)
        self.box.long(told, "OMFI:TRKD:PhysicalTrack", number)
        return key

    def mob(self, kind: str, name: str, slots: list[int], media: int | None = None) -> int:
        self.made += 1
        key = self.thing(kind)
        self.box.put(key, "OMFI:MOBJ:MobID", "OMFI:UID", struct.pack(f"{self.order}III", 42, self.made, 7))
        letters = "mac_roman" if self.order == ">" else "cp1252"
        self.box.put(key, "OMFI:MOBJ:Name", "OMFI:String", name.encode(letters, "ignore") + b"\0")
        self.box.refs(key, "OMFI:MOBJ:Slots", *slots)
        if media is not None:
            self.box.ref(key, "OMFI:SMOB:MediaDescription", media)
        return key

    def clip(self, mob: int, start: int, length: int) -> int:
        key = self.part("SCLP", length)
        uid = (42, mob, 7) if mob else (0, 0, 0)
        self.box.put(key, "OMFI:SCLP:SourceID", "OMFI:UID", struct.pack(f"{self.order}III", *uid))
        self.box.long(key, "OMFI:SCLP:SourceTrackID", 1 if mob else 0)
        self.box.put(key, "OMFI:SCLP:StartTime", "OMFI:Position32", struct.pack(f"{self.order}i", start))
        return key

    def medium(self, mobs: list[int]) -> int:
        """Reel, file and master of a recording; the number of the master."""
        length, rate = 9_600_000, (48000, 1)
        codes = self.slot(2, 1, (25, 1), self.code(self.whole(0, 900_000), 5000))
        mobs.append(
            self.mob(
                "SMOB",
                self.name(),
                [self.slot(1, 1, rate, self.clip(0, 0, length)), codes],
                self.thing("MDTP"),
            )
        )
        told = self.thing("WAVD")
        self.ratio(told, "OMFI:MDFL:SampleRate", 48000, 1)
        self.box.put(told, "OMFI:MDFL:Length", "OMFI:Length32", struct.pack(f"{self.order}i", length))
        name = f"{self.name()} {self.made}.wav"
        mobs.append(self.mob("SMOB", name, [self.slot(1, 1, rate, self.clip(self.made, 0, length))], told))
        mobs.append(self.mob("MMOB", name, [self.slot(1, 1, rate, self.clip(self.made, 0, length))]))
        return self.made

    def row(self, takes: list[int]) -> int:
        parts, total, last = [], 0, 0
        for _ in range(45):
            if self.some(0.25):
                gap = self.whole(500, 90_000)
                parts.append(self.part("FILL", gap))
                total, last = total + gap, 0
            length = self.whole(20_000, 200_000)
            half = min(last, length) // 4
            if half and self.some(0.2):
                parts.append(self.join(half))
                total -= half
            parts.append(self.gained(self.clip(self.among(takes), self.whole(0, 4_000_000), length), length))
            total, last = total + length, length
        key = self.part("SEQU", total)
        self.box.refs(key, "OMFI:SEQU:Components", *parts)
        return key

    def effect(self, name: str, length: int, *arguments: tuple[int, int]) -> int:
        key = self.part("EFFE", length)
        self.box.ref(key, "OMFI:EFFE:EffectKind", self.effects[name])
        slots = []
        for number, value in arguments:
            slots.append(self.thing("ESLT"))
            self.box.long(slots[-1], "OMFI:ESLT:ArgID", number)
            self.box.ref(slots[-1], "OMFI:ESLT:ArgValue", value)
        self.box.refs(key, "OMFI:EFFE:EffectSlots", *slots)
        return key

    def curve(self, length: int, *points: tuple[int, int, int]) -> int:
        """Points in sixteenths of the length, values as fractions of 2 to the 29th."""
        key = self.part("VVAL", length, "Rational")
        self.box.long(key, "OMFI:VVAL:Interpolation", 2)
        made = []
        for time, numerator, denominator in points:
            made.append(self.thing("CTLP"))
            self.ratio(made[-1], "OMFI:CTLP:Time", time, 16)
            self.ratio(made[-1], "OMFI:CTLP:Value", numerator, denominator, "OMFI:DataValue")
            self.box.ref(made[-1], "OMFI:CTLP:DataKind", self.kinds["Rational"])
        self.box.refs(key, "OMFI:VVAL:PointList", *made)
        return key

    def join(self, length: int) -> int:
        key = self.part("TRAN", length)
        level = self.curve(length, (0, 0, 1), (16, 1, 1))
        self.box.ref(key, "OMFI:TRAN:Effect", self.effect("MonoAudioDissolve", length, (-3, level)))
        cut = struct.pack(f"{self.order}i", self.among([0, length // 2, length]))
        self.box.put(key, "OMFI:TRAN:CutPoint", "OMFI:Position32", cut)
        return key

    def gained(self, clip: int, length: int) -> int:
        chance = self.random.random()
        if chance < 0.6:
            return clip
        if chance < 0.8:
            value = self.part("CVAL", length, "Rational")
            self.ratio(value, "OMFI:CVAL:Value", self.whole(1, 1 << 30), 1 << 29, "OMFI:DataValue")
        else:
            points = ((time, self.whole(1, 1 << 30), 1 << 29) for time in (0, 5, 16))
            value = self.curve(length, *points)
        return self.effect("MonoAudioGain", length, (1, clip), (2, value))


class OtioFile(Author):
    def whole_file(self) -> bytes:
        rate = self.among([24.0, 25.0, 30000 / 1001])

        def span(start: int, length: int) -> Any:
            return opentime.TimeRange(opentime.RationalTime(start, rate), opentime.RationalTime(length, rate))

        media = [
            (f"file:///K/{number}.{self.among(['mov', 'wav'])}", self.whole(0, 200_000))
            for number in range(20)
        ]
        timeline = schema.Timeline("Kiln Night", global_start_time=opentime.RationalTime(90_000, rate))
        for kind in ("Video", "Video", "Audio", "Audio"):
            row, last = schema.Track(self.name(), kind=kind), 0
            for _ in range(60):
                if self.some(0.2):
                    row.append(schema.Gap(source_range=span(0, self.whole(1, 50))))
                    last = 0
                length = self.whole(20, 120)
                half = min(last, length) // 8
                if half and self.some(0.2):
                    edge = opentime.RationalTime(half, rate)
                    row.append(schema.Transition("", "SMPTE_Dissolve", edge, edge))
                url, zero = self.among(media)
                made = schema.Clip(self.name(), schema.ExternalReference(url, span(zero, 5000)))
                if self.some(0.1):
                    made.media_reference = schema.MissingReference()
                made.source_range = span(zero + self.whole(100, 3000), length)
                if self.some(0.1):
                    made.effects.append(schema.LinearTimeWarp("", self.among([0.5, 2.0, -1.0])))
                if self.some(0.1):
                    made.markers.append(schema.Marker(self.name(), span(self.whole(0, length), 1), "GREEN"))
                made.enabled = not self.some(0.05)
                row.append(made)
                last = length
            timeline.tracks.append(row)
        return str(otio.adapters.write_to_string(timeline, "otio_json")).encode()


AUTHORS_OF_MOBS = {"AAF": AafFile, "OMF": OmfFile, "OpenTimelineIO": OtioFile}
