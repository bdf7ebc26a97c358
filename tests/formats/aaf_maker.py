"""Hand-built AAF files, object by object, as exporters of either family build them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import aaf2
from aaf2.auid import AUID
from aaf2.mobid import MobID
from aaf2.rational import AAFRational

from wexodos.formats.aaf import ids
from wexodos.formats.aaf.write_objects import set_up

R = AAFRational
PAL = R(25, 1)


class Maker:
    """An open AAF file and short words for what goes into it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.file = aaf2.open(str(path), "w")
        set_up(self.file, set(ids.WRITTEN_OPERATIONS))

    def close(self) -> Path:
        self.file.close()
        return self.path

    def mob(self, kind: str, name: str, *slots: Any, descriptor: Any = None, usage: str | None = None) -> Any:
        made = getattr(self.file.create, kind)(name)
        if descriptor is not None:
            made.descriptor = descriptor
        if usage:
            made.usage = usage
        for slot in slots:
            made.slots.append(slot)
        self.file.content.mobs.append(made)
        return made

    def slot(self, number: int, rate: Any, segment: Any, track: int = 1, name: str = "") -> Any:
        made = self.file.create.TimelineMobSlot(number, edit_rate=rate)
        made["PhysicalTrackNumber"].value = track
        if name:
            made.name = name
        made.segment = segment
        return made

    def clip(self, kind: str, mob: Any, slot: int, start: int, length: int) -> Any:
        return self.file.create.SourceClip(
            start=start,
            length=length,
            mob_id=mob.mob_id if mob is not None else MobID(),
            slot_id=slot,
            media_kind=kind,
        )

    def filler(self, kind: str, length: int) -> Any:
        return self.file.create.Filler(kind, length)

    def row(self, kind: str, *parts: Any) -> Any:
        made = self.file.create.Sequence(media_kind=kind)
        made["Components"].value = list(parts)
        made.length = sum(-one.length if type(one).__name__ == "Transition" else one.length for one in parts)
        return made

    def code(self, start: int, fps: int, length: int, drop: bool = False) -> Any:
        made = self.file.create.Timecode(fps=fps, drop=drop, length=length)
        made.start = start
        return made

    def operation(self, word: str, length: int, inputs: list[Any], **settings: Any) -> Any:
        made = self.file.create.OperationGroup(
            AUID(ids.operation_id(word)), length=length, media_kind=ids.WRITTEN_OPERATIONS[word][1]
        )
        for name, value in settings.items():
            auid = AUID(ids.parameter_id(name.replace("_", "-")))
            made.parameters.append(
                self.varying(auid, value)
                if isinstance(value, list)
                else self.file.create.ConstantValue(auid, value)
            )
        for one in inputs:
            made.segments.append(one)
        return made

    def varying(self, auid: AUID, points: list[tuple[Any, Any]], hint: str = "Proportional") -> Any:
        made = self.file.create.VaryingValue(auid, AUID(ids.LINEAR))
        listed = []
        for time, value in points:
            control = self.file.create.ControlPoint()
            control["Time"].value = time
            control["Value"].add_pid_entry()
            control["Value"].data = control["Value"].typedef.encode(value, "Rational")
            control["Value"].mark_modified()
            control["EditHint"].value = hint
            listed.append(control)
        made["PointList"].value = listed
        return made

    def join(self, kind: str, word: str, length: int, cut: int) -> Any:
        made = self.file.create.Transition(media_kind=kind, length=length)
        made["OperationGroup"].value = self.operation(word, length, [])
        made.cutpoint = cut
        return made

    def picture(
        self, name: str, url: str | None, reel: str, start: int, length: int, rate: Any = PAL, fps: int = 25
    ) -> Any:
        """Reel, file and master of a picture medium; return the master."""
        tape = self.mob(
            "SourceMob",
            reel,
            self.slot(1, rate, self.clip("picture", None, 0, 0, length)),
            self.slot(2, rate, self.code(start, fps, length)),
            descriptor=self.file.create.TapeDescriptor(),
        )
        told = self.file.create.CDCIDescriptor()
        for key, value in (
            ("SampleRate", rate),
            ("Length", length),
            ("StoredWidth", 1920),
            ("StoredHeight", 1080),
            ("VideoLineMap", [42, 0]),
            ("FrameLayout", "FullFrame"),
            ("ImageAspectRatio", R(16, 9)),
            ("ComponentWidth", 8),
            ("HorizontalSubsampling", 2),
        ):
            told[key].value = value
        if url is not None:
            locator = self.file.create.NetworkLocator()
            locator["URLString"].value = url
            told["Locator"].append(locator)
        source = self.mob(
            "SourceMob", name, self.slot(1, rate, self.clip("picture", tape, 1, 0, length)), descriptor=told
        )
        return self.mob("MasterMob", name, self.slot(1, rate, self.clip("picture", source, 1, 0, length)))

    def sound(self, name: str, start: int, length: int, channels: int = 1) -> Any:
        """A recording at 48 kHz with a file for each channel; return the master."""
        rate = R(48000, 1)
        slots = []
        for channel in range(1, channels + 1):
            tape = self.mob(
                "SourceMob",
                f"{name} reel",
                self.slot(1, rate, self.clip("sound", None, 0, start, length)),
                self.slot(2, R(25, 1), self.code(start // 1920, 25, length // 1920 + 1)),
                descriptor=self.file.create.TapeDescriptor(),
            )
            told = self.file.create.PCMDescriptor()
            for key, value in (
                ("SampleRate", rate),
                ("Length", length),
                ("AudioSamplingRate", rate),
                ("Channels", 1),
                ("QuantizationBits", 24),
                ("BlockAlign", 3),
                ("AverageBPS", 144000),
                ("Locked", False),
            ):
                told[key].value = value
            source = self.mob(
                "SourceMob",
                f"{name}.A{channel}",
                self.slot(1, rate, self.clip("sound", tape, 1, 0, length)),
                descriptor=told,
            )
            slots.append(self.slot(channel, rate, self.clip("sound", source, 1, 0, length), channel))
        return self.mob("MasterMob", name, *slots)
