"""What of an .otio the reader does not ask for: fields it does not know, metadata of others, objects of other
kinds."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from wexodos.formats.taken import Left

OURS = "wexodos"
_ITEM = {"name", "source_range", "effects", "markers", "enabled", "metadata"}
TAKEN: dict[str, set[str]] = {
    "Timeline": {"name", "global_start_time", "tracks", "metadata"},
    "SerializableCollection": {"name", "children", "metadata"},
    "Stack": {*_ITEM, "children"},
    "Track": {*_ITEM, "children", "kind"},
    "Clip": {*_ITEM, "media_references", "media_reference", "active_media_reference_key"},
    "Gap": {*_ITEM},
    "Transition": {"name", "transition_type", "in_offset", "out_offset", "metadata"},
    "Marker": {"name", "marked_range", "color", "comment", "metadata"},
    "ExternalReference": {"name", "target_url", "available_range", "metadata"},
    "MissingReference": {"name", "available_range", "metadata"},
    "GeneratorReference": {"name", "generator_kind", "parameters", "available_range", "metadata"},
    "ImageSequenceReference": {
        "name",
        "target_url_base",
        "name_prefix",
        "name_suffix",
        "start_frame",
        "frame_step",
        "rate",
        "frame_zero_padding",
        "available_range",
        "metadata",
    },
    "Effect": {"name", "effect_name", "metadata"},
    "LinearTimeWarp": {"name", "effect_name", "time_scalar", "metadata"},
    "FreezeFrame": {"name", "effect_name", "time_scalar", "metadata"},
    "TimeEffect": {"name", "effect_name", "metadata"},
    "RationalTime": {"rate", "value"},
    "TimeRange": {"start_time", "duration"},
}
"""The fields of every kind of object that the reader asks for. ``enabled`` of effects is always written and
says nothing where it is true."""
_NOTHING: tuple[Any, ...] = (None, "", [], {}, True)


def untaken(text: str) -> Iterator[Left]:
    """All that stands in a file and is not asked for, with its place."""
    yield from _walk(json.loads(text), "")


def _walk(value: Any, where: str) -> Iterator[Left]:
    if isinstance(value, list):
        for number, one in enumerate(value, 1):
            yield from _walk(one, f"{where}/{number}")
    elif isinstance(value, dict):
        kind = str(value.get("OTIO_SCHEMA", "")).partition(".")[0]
        name = str(value.get("name") or kind)
        taken = TAKEN.get(kind)
        if taken is None and kind:
            yield Left(where or name, f"object {kind}", json.dumps(value)[:2000])
            return
        for key, inner in value.items():
            here = f"{where}/{name}" if where else name
            if key == "OTIO_SCHEMA":
                continue
            if key == "metadata":
                for owner, told in (inner or {}).items():
                    if owner != OURS and told not in _NOTHING:
                        yield Left(here, f"metadata {owner}", json.dumps(told)[:2000])
            elif taken is not None and key not in taken:
                if inner not in _NOTHING:
                    yield Left(here, f"{kind} {key}", json.dumps(inner)[:2000])
            elif not (kind == "GeneratorReference" and key == "parameters"):
                yield from _walk(inner, here)
