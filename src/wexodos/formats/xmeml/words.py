"""What is said about items and sequences: markers, labels, what was logged, how many channels the outputs
have (2.4, 13)."""

from __future__ import annotations

from fractions import Fraction

from wexodos.formats.xmeml.lexical import Element, color_of, decimal, integer, text_of
from wexodos.formats.xmeml.tables import MARKER_KINDS
from wexodos.formats.xmeml.tracks import Entry
from wexodos.model import Marker
from wexodos.timing import Exact, exact


def says(element: Element) -> bool:
    """Whether an element says anything: the -1 of a mark that is not set does not."""
    return "".join(element.itertext()).strip() not in ("", "-1", "FALSE")  # type: ignore[arg-type]


def layout_of(audio: Element | None) -> str | None:
    """The sequence's channels by its outputs: one, two, or more (2.4)."""
    groups = audio.findall("outputs/group") if audio is not None else []
    total = sum(integer(text_of(group, "numchannels") or None) or 1 for group in groups)
    return None if not total else "mono" if total == 1 else "stereo" if total == 2 else "surround"


def markers_of(elements: list[Element], begin: Exact, scale: Exact) -> list[Marker]:
    found = []
    for element in elements:
        at, out = decimal(element.findtext("in")), decimal(element.findtext("out"))
        if at is None or at < 0:
            continue
        comment = element.findtext("comment") or ""
        kind = next((word for tag, word in MARKER_KINDS.items() if tag in comment), "marker")
        color = element.find("color")
        length = out - at if out is not None and out > at else 0
        found.append(
            Marker(
                exact((at - begin) * Fraction(scale)) if scale != 1 else at - begin,
                exact(length * Fraction(scale)) if scale != 1 else length,
                (element.findtext("name") or "").strip(),
                comment.strip(),
                color_of(color) if color is not None else None,
                kind,
            )
        )
    return sorted(found, key=lambda marker: marker.start)


def words_of(element: Element) -> tuple[tuple[str, str], ...]:
    found: list[tuple[str, str]] = []
    for group in ("logginginfo", "comments"):
        parent = element.find(group)
        if parent is not None:
            found.extend(
                (str(child.tag), child.text.strip()) for child in parent if child.text and child.text.strip()
            )
    return tuple(found)


def entry_words(entry: Entry) -> tuple[tuple[str, str], ...]:
    found: list[tuple[str, str]] = []
    for group in ("logginginfo", "comments"):
        block = entry.parts.get(group)
        if block is None:
            continue
        for child in block:
            text = child.text
            if text and text.strip():
                found.append((str(child.tag), text.strip()))
    return tuple(found)


def label_of(entry: Entry) -> str | None:
    labels = entry.parts.get("labels")
    for child in labels if labels is not None else ():
        if child.tag == "label2":
            return (child.text or "").strip() or None
    return None
