"""Folders of a file, and the media that stand in them without being used in a cut (1.4)."""

from __future__ import annotations

from wexodos.formats.xmeml.lexical import Element, text_of
from wexodos.model import Folder


def folders_of(root: Element, sequence_ids: dict[Element, str]) -> tuple[tuple[Folder, ...], dict[str, str]]:
    """Return the folders in document order and, by the id of a sequence or medium, the folder it stands in.

    A folder's path joins the names of those around it by ``/``; members are ids of sequences and media.
    """
    found: list[Folder] = []
    where: dict[str, str] = {}
    for bin_element in root.iter("bin"):
        children = bin_element.find("children")
        path = "/".join(reversed([_name(one) for one in (bin_element, *bin_element.iterancestors("bin"))]))
        members: list[str] = []
        for child in children if children is not None else ():
            key = None
            if child.tag == "sequence":
                key = sequence_ids.get(child) or child.get("id")
            elif child.tag == "clip":
                key = next((one.get("id") for one in child.iter("file") if one.get("id")), None)
            if key:
                members.append(key)
                where.setdefault(key, path)
        found.append(Folder(path, tuple(dict.fromkeys(members))))
    return tuple(found), where


def _name(element: Element) -> str:
    return text_of(element, "name").replace("/", "∕") or "folder"
