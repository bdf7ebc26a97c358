"""A strict look at an OMF file of revision 2: its container, then what its objects owe each other. Takes the bytes
apart by itself and knows nothing of our reader."""

from __future__ import annotations

import struct
from collections import defaultdict
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

from .structure_aaf import head_faults, row_faults

MAGIC = b"\xa4CM\xa5Hdr\xd7"
REQUIRED = {
    "HEAD": ("OMFI:HEAD:ByteOrder", "OMFI:HEAD:LastModified", "OMFI:HEAD:Mobs", "OMFI:HEAD:PrimaryMobs",
             "OMFI:HEAD:DefinitionObjects", "OMFI:HEAD:Version"),
    "CMOB": ("OMFI:MOBJ:MobID", "OMFI:MOBJ:Slots", "OMFI:MOBJ:LastModified", "OMFI:MOBJ:CreationTime"),
    "MSLT": ("OMFI:MSLT:Segment", "OMFI:MSLT:EditRate", "OMFI:MSLT:TrackDesc"),
    "TRKD": ("OMFI:TRKD:TrackID", "OMFI:TRKD:Origin"),
    "SEQU": ("OMFI:SEQU:Components",),
    "SCLP": ("OMFI:SCLP:SourceID", "OMFI:SCLP:SourceTrackID", "OMFI:SCLP:StartTime"),
    "TRAN": ("OMFI:TRAN:Effect", "OMFI:TRAN:CutPoint"),
    "EFFE": ("OMFI:EFFE:EffectKind", "OMFI:EFFE:EffectSlots"),
    "ESLT": ("OMFI:ESLT:ArgID", "OMFI:ESLT:ArgValue"),
    "CVAL": ("OMFI:CVAL:Value",),
    "VVAL": ("OMFI:VVAL:Interpolation", "OMFI:VVAL:PointList"),
    "CTLP": ("OMFI:CTLP:Time", "OMFI:CTLP:Value", "OMFI:CTLP:DataKind"),
    "TCCP": ("OMFI:TCCP:Start", "OMFI:TCCP:FPS", "OMFI:TCCP:Drop"),
    "WAVD": ("OMFI:MDFL:IsOMFI", "OMFI:MDFL:SampleRate", "OMFI:MDFL:Length", "OMFI:WAVD:Summary"),
    "AIFD": ("OMFI:MDFL:IsOMFI", "OMFI:MDFL:SampleRate", "OMFI:MDFL:Length", "OMFI:AIFD:Summary"),
    "DDEF": ("OMFI:DDEF:DataKindID",),
    "EDEF": ("OMFI:EDEF:EffectID",),
}  # fmt: skip
REQUIRED["MMOB"] = REQUIRED["CMOB"]
REQUIRED["SMOB"] = (*REQUIRED["CMOB"], "OMFI:SMOB:MediaDescription")
COMPONENTS = ("SEQU", "SCLP", "FILL", "TRAN", "EFFE", "CVAL", "VVAL", "TCCP", "SLCT")
INPUTS = {"MonoAudioGain": 1, "MonoAudioPan": 1, "VideoSpeedControl": 1, "MonoAudioDissolve": 0}
NONE = bytes(12)


def faults_of_omf(data: bytes | Path, with_essence: bool = False) -> list[str]:
    """What is wrong with a file, a sentence each; ``with_essence``: sound that is to be inside must be there."""
    whole = data if isinstance(data, bytes) else data.read_bytes()
    try:
        return list(_Look(whole, with_essence).all())
    except (KeyError, IndexError, TypeError, struct.error, AssertionError) as error:
        return [f"it cannot be walked: {type(error).__name__} {error}"]


class _Look:
    def __init__(self, data: bytes, with_essence: bool) -> None:
        self.data, self.with_essence = data, with_essence
        label = data[-24:]
        assert label[:8] == MAGIC and label[8:10] == b"\x01\x01", "no label"
        buffer, self.version, _, offset, size = struct.unpack_from("<HHHII", label, 10)
        assert offset + size == len(data) - 24 < 1 << 31, "the table does not end where the label starts"
        table = data[offset : offset + size]
        self.order: list[tuple[int, int, int]] = []
        self.lists: dict[tuple[int, int], int] = {}
        values = self.first(table) if self.version == 1 else self.second(table, buffer * 1024)
        names = {
            key: value.rstrip(b"\0").decode("ascii")
            for (key, what), value in values.items()
            if what in (7, 8)
        }
        self.pairs = {key: value for (key, what), value in values.items() if what == 31}
        self.objects: dict[int, dict[str, bytes]] = defaultdict(dict)
        for (key, what), value in values.items():
            if key >= 1 << 16 and what >= 1 << 16:
                self.objects[key][names[what]] = value
        self.numbers = {name: key for key, name in names.items()}

    def first(self, table: bytes) -> dict[tuple[int, int], bytes]:
        found = {}
        for place in range(0, len(table), 24):
            key, what, kind, offset, length, _, flags = struct.unpack_from("<IIIIIHH", table, place)
            self.order.append((key, what, kind))
            held = (
                table[place + 12 : place + 12 + length] if flags & 2 else self.data[offset : offset + length]
            )
            assert len(held) == length, "a value outside the file"
            found[key, what] = held
        return found

    def second(self, table: bytes, buffer: int) -> dict[tuple[int, int], bytes]:
        found: dict[tuple[int, int], bytes] = {}
        place = key = what = kind = 0
        while place < len(table):
            code, left = table[place], buffer - place % buffer
            sizes = {1: 12, 2: 8, 3: 4, 5: 8, 13: 4, 15: 4, 24: 0, 255: 0}
            assert code in sizes and sizes[code] < left, f"code {code} crosses a buffer"
            assert place % buffer or code == 1, "a buffer does not begin with a whole entry"
            body = table[place + 1 : place + 1 + sizes[code]]
            place = place + left if code == 24 else place + 1 + sizes[code]
            if code == 1:
                key, what, kind = struct.unpack("<III", body)
            elif code == 2:
                what, kind = struct.unpack("<II", body)
            elif code == 3:
                (kind,) = struct.unpack("<I", body)
            elif code in (5, 13):
                self.order.append((key, what, kind))
                offset, length = struct.unpack("<II", body) if code == 5 else (0, 4)
                found[key, what] = body if code == 13 else self.data[offset : offset + length]
                assert len(found[key, what]) == length, "a value outside the file"
            elif code == 15:
                self.lists[key, what] = struct.unpack("<I", body)[0]
        return found

    def all(self) -> Iterator[str]:
        if self.order != sorted(self.order) or len(set(self.order)) != len(self.order):
            yield "the table is not sorted"
        heads = [key for key in self.objects if self.kind(key) == "HEAD"]
        if len(heads) != 1:
            yield f"{len(heads)} heads"
            return
        for key, held in self.objects.items():
            for name in REQUIRED.get(self.kind(key), ()):
                if name not in held:
                    yield f"{self.kind(key)}: no {name}"
            if self.kind(key) in COMPONENTS and not {"OMFI:CPNT:DataKind", "OMFI:CPNT:Length"} <= set(held):
                yield f"{self.kind(key)}: no kind, no length"
        yield from self.references()
        mobs = {
            self.objects[key]["OMFI:MOBJ:MobID"]: key for key in self.objects if self.kind(key)[1:] == "MOB"
        }
        head = heads[0]
        if sorted(mobs.values()) != sorted(self.many(head, "OMFI:HEAD:Mobs")):
            yield "the head does not name every mob, each by its own id"
        defined = [key for key in self.objects if self.kind(key) in ("DDEF", "EDEF")]
        if sorted(defined) != sorted(self.many(head, "OMFI:HEAD:DefinitionObjects")):
            yield "the head does not name every definition"
        primary = self.many(head, "OMFI:HEAD:PrimaryMobs")
        if [self.kind(key) for key in primary] != ["CMOB"]:
            yield "no one composition is the primary mob"
        self.mobs = mobs
        self.media = {
            self.objects[key]["OMFI:MDAT:MobID"]: key
            for key in self.objects
            if self.kind(key) in ("AIFC", "WAVE")
        }
        for key in mobs.values():
            where = f"{self.kind(key)} {self.objects[key].get('OMFI:MOBJ:Name', b'').rstrip(bytes(1))!r}"
            yield from (f"{where}: {one}" for one in self.mob(key))

    def references(self) -> Iterator[str]:
        for key, held in self.objects.items():
            for name, value in held.items():
                many = name.rpartition(":")[2] in _MANY
                if not many and name.rpartition(":")[2] not in _ONE:
                    continue
                targets = self.many(key, name) if many else [struct.unpack("<I", value)[0]]
                if any(target not in self.objects for target in targets):
                    yield f"{name} of an object that is not there"
                if self.version == 2 and targets:
                    listed = self.pairs.get(self.lists.get((key, self.numbers[name]), 0), b"")
                    keys = {one for one, _ in struct.iter_unpack("<II", listed)}
                    if keys != set(targets):
                        yield f"{name} without the list of its references"

    def mob(self, key: int) -> Iterator[str]:
        slots = self.many(key, "OMFI:MOBJ:Slots")
        tracks = [self.track(slot) for slot in slots]
        if len(set(tracks)) != len(tracks) or not tracks or min(tracks) < 1:
            yield f"tracks {tracks}"
        spans = []
        source = self.kind(key) == "SMOB"
        for slot in slots:
            rate, segment = self.rate(slot), self.one(slot, "OMFI:MSLT:Segment")
            if rate <= 0:
                yield f"edit rate {rate}"
                continue
            if self.kind(key) == "CMOB" or self.data_kind(segment) != "omfi:data:Timecode":
                spans.append(self.length(segment) / rate)
            yield from self.segment(segment, rate, source)
        if not source and spans and max(spans) - min(spans) > Fraction(1, 20):
            yield f"tracks of {float(min(spans))} to {float(max(spans))} s"
        if source:
            told = self.one(key, "OMFI:SMOB:MediaDescription")
            if self.kind(told) in ("WAVD", "AIFD"):
                yield from self.file(key, told, spans)

    def file(self, mob: int, told: int, spans: list[Fraction]) -> Iterator[str]:
        wave = self.kind(told) == "WAVD"
        held = self.objects[told]
        rate, length = self.rational(held["OMFI:MDFL:SampleRate"]), self.int(told, "OMFI:MDFL:Length")
        if rate < 4000 or length < 1:
            yield f"{length} samples at {rate}"
            return
        if any(abs(span - length / rate) > Fraction(1, 20) for span in spans):
            yield f"{float(length / rate)} s of media, slots of {[float(span) for span in spans]}"
        head = held["OMFI:WAVD:Summary" if wave else "OMFI:AIFD:Summary"]
        yield from (f"summary: {fault}" for fault in head_faults(head, wave, length))
        inside = held["OMFI:MDFL:IsOMFI"] != b"\0"
        media = self.media.get(self.objects[mob]["OMFI:MOBJ:MobID"])
        if inside and media is None and self.with_essence:
            yield "its sound is said to be inside and is not"
        if media is not None:
            name = "WAVE" if self.kind(media) == "WAVE" else "AIFC"
            if not inside or (name == "WAVE") is not wave:
                yield "its sound is inside and not as it is said"
            stream = self.objects[media][f"OMFI:{name}:AudioData"]
            if stream or self.with_essence:
                yield from (f"stream: {fault}" for fault in head_faults(stream, wave, length, True))

    # ---- segments

    def segment(self, key: int, rate: Fraction, source: bool) -> Iterator[str]:
        kind, length = self.kind(key), self.length(key)
        if length < 0:
            yield f"{kind}: length {length}"
        inside: list[int] = []
        if kind == "SEQU":
            inside = self.many(key, "OMFI:SEQU:Components")
            parts = [(self.kind(one) == "TRAN", self.length(one)) for one in inside]
            yield from row_faults(parts, length)
        elif kind == "TRAN":
            effect, cut = self.one(key, "OMFI:TRAN:Effect"), self.int(key, "OMFI:TRAN:CutPoint")
            if not 0 <= cut <= length or self.length(effect) != length:
                yield f"a transition of {length} cut at {cut} with an effect of {self.length(effect)}"
            inside = [effect]
        elif kind == "EFFE":
            yield from self.effect(key, length)
            inside = [value for _, value in self.arguments(key) if self.kind(value) not in ("CVAL", "VVAL")]
        elif kind == "SLCT":
            inside = [self.one(key, "OMFI:SLCT:Selected"), *self.many(key, "OMFI:SLCT:Alternates")]
            if any(self.length(one) != length for one in inside):
                yield f"a choice of {length} among others"
        elif kind == "TCCP":
            fps = struct.unpack("<H", self.objects[key]["OMFI:TCCP:FPS"])[0]
            if self.int(key, "OMFI:TCCP:Start") < 0 or not fps:
                yield "an impossible timecode"
        elif kind == "SCLP":
            yield from self.clip(key, rate, length, source)
        elif kind != "FILL":
            yield f"a {kind}"
        for one in inside:
            yield from self.segment(one, rate, source)

    def effect(self, key: int, length: int) -> Iterator[str]:
        told = self.one(key, "OMFI:EFFE:EffectKind")
        name = self.objects[told]["OMFI:EDEF:EffectID"].rstrip(b"\0").decode().rpartition(":")[2]
        warps = self.objects[told]["OMFI:EDEF:IsTimeWarp"] != b"\0"
        inputs = [value for _, value in self.arguments(key) if self.kind(value) not in ("CVAL", "VVAL")]
        if INPUTS.get(name, len(inputs)) != len(inputs):
            yield f"{name}: {len(inputs)} inputs"
        if not warps and any(self.length(one) != length for one in inputs):
            yield f"{name}: {length} over {[self.length(one) for one in inputs]}"
        for _, value in self.arguments(key):
            if self.kind(value) in ("CVAL", "VVAL") and self.length(value) != length:
                yield f"{name}: a control of {self.length(value)} on {length}"
            if self.kind(value) == "VVAL":
                points = self.many(value, "OMFI:VVAL:PointList")
                times = [self.rational(self.objects[one]["OMFI:CTLP:Time"]) for one in points]
                if (
                    not times
                    or times[0] < 0
                    or times[-1] > 1
                    or any(a >= b for a, b in zip(times, times[1:]))
                ):
                    yield f"{name}: control points at {[float(one) for one in times[:4]]} …"

    def clip(self, key: int, rate: Fraction, length: int, source: bool) -> Iterator[str]:
        uid, track, start = (
            self.objects[key]["OMFI:SCLP:SourceID"],
            self.int(key, "OMFI:SCLP:SourceTrackID"),
            self.int(key, "OMFI:SCLP:StartTime"),
        )
        fades = [self.int(key, f"OMFI:SCLP:Fade{side}Length", 0) for side in ("In", "Out")]
        if min(fades) < 0 or sum(fades) > length:
            yield f"fades of {fades} on a clip of {length}"
        if uid == NONE:
            if track or start or not source:
                yield f"a clip of nothing: track {track}, start {start}"
            return
        if uid not in self.mobs:
            yield "a clip of a mob that is not there"
            return
        slots = {self.track(slot): slot for slot in self.many(self.mobs[uid], "OMFI:MOBJ:Slots")}
        if track not in slots:
            yield f"a clip of track {track} among {sorted(slots)}"
            return
        segment, there = self.one(slots[track], "OMFI:MSLT:Segment"), self.rate(slots[track])
        if self.data_kind(segment) != self.data_kind(key):
            yield "a clip of another kind"
        first, last = start * there / rate, (start + length) * there / rate
        if first < 0 or last >= self.length(segment) + max(Fraction(1), there / rate):
            yield f"{float(first)} to {float(last)} of {self.length(segment)}"

    # ---- values

    def kind(self, key: int) -> str:
        return self.objects[key].get("OMFI:OOBJ:ObjClass", b"").decode("ascii")

    def one(self, key: int, name: str) -> int:
        return int(struct.unpack("<I", self.objects[key][name])[0])

    def many(self, key: int, name: str) -> list[int]:
        value = self.objects[key].get(name)
        if value is None:
            return []
        (count,) = struct.unpack_from("<H", value)
        assert len(value) == 2 + 4 * count, f"{name} of {count} in {len(value)} bytes"
        return list(struct.unpack_from(f"<{count}I", value, 2))

    def int(self, key: int, name: str, default: Any = None) -> int:
        value = self.objects[key].get(name)
        return default if value is None else struct.unpack("<i", value)[0]  # type: ignore[no-any-return]

    def rational(self, value: bytes) -> Fraction:
        return Fraction(*struct.unpack("<ii", value))

    def rate(self, slot: int) -> Fraction:
        return self.rational(self.objects[slot]["OMFI:MSLT:EditRate"])

    def track(self, slot: int) -> int:
        return self.int(self.one(slot, "OMFI:MSLT:TrackDesc"), "OMFI:TRKD:TrackID")

    def length(self, key: int) -> int:
        return self.int(key, "OMFI:CPNT:Length")

    def data_kind(self, key: int) -> str:
        return (
            self.objects[self.one(key, "OMFI:CPNT:DataKind")]["OMFI:DDEF:DataKindID"].rstrip(b"\0").decode()
        )

    def arguments(self, key: int) -> list[tuple[int, int]]:
        return [
            (self.int(one, "OMFI:ESLT:ArgID"), self.one(one, "OMFI:ESLT:ArgValue"))
            for one in self.many(key, "OMFI:EFFE:EffectSlots")
        ]


_ONE = (
    "Segment",
    "TrackDesc",
    "MediaDescription",
    "DataKind",
    "Effect",
    "EffectKind",
    "ArgValue",
    "Selected",
)
_MANY = ("Mobs", "PrimaryMobs", "MediaData", "DefinitionObjects", "IdentificationList", "Slots", "Components",
         "EffectSlots", "PointList", "Locator", "Alternates")  # fmt: skip
