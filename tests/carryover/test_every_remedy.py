"""Every remedy that is offered does what it says: for one finding, and for all of a kind."""

from __future__ import annotations

from pathlib import Path

import pytest

from wexodos.carryover import Choices, Finding, Remedy, carry_over
from wexodos.destinations import load_all
from wexodos.formats import read_file
from wexodos.model import Document

HERE = Path(__file__).parent.parent / "formats"
ONE_A_FORMAT = list({one.format: one.id for one in load_all()[0]}.values())
FATES = {Remedy.NOTE: "noted", Remedy.LEAVE: "left behind", Remedy.BAKE: "baked"}
FILES = ("demo", "everything.xml", "everything.fcpxml")


def offered(findings: list[Finding]) -> dict[tuple[str, str], Finding]:
    """The first finding of each kind of thing that can be decided."""
    found: dict[tuple[str, str], Finding] = {}
    for one in findings:
        if len(one.remedies) > 1:
            found.setdefault((one.kind, one.what), one)
    return found


@pytest.mark.parametrize(
    ("destination_id", "name"),
    [
        *((one, "demo") for one in ONE_A_FORMAT),
        *((one, name) for name in FILES[1:] for one in ("grading-lane-xml", "grading-track-xml")),
        ("grading-aaf", "everything.xml"),
    ],
)
@pytest.mark.sampled(6)
def test_each_remedy_is_taken_for_one_and_for_all_of_a_kind(
    kiln_night: Document, destination_id: str, name: str
) -> None:
    document = kiln_night if name == "demo" else read_file(HERE / name)
    destination = next(one for one in load_all()[0] if one.id == destination_id)
    sequence = document.top_level[0]
    base = carry_over(document, sequence, destination)
    kinds = offered(base.findings)
    most = max((len(one.remedies) for one in kinds.values()), default=1) if name == "demo" else 2
    for number in range(1, most):
        wanted = {
            key: one.remedies[(one.remedies.index(one.remedy) + number) % len(one.remedies)]
            for key, one in kinds.items()
        }
        for alike in (False, True):
            single = {one.key: wanted[key] for key, one in kinds.items()}
            kind = {"|".join(key): remedy for key, remedy in wanted.items()}
            made = carry_over(
                document, sequence, destination, Choices({} if alike else single, kind if alike else {})
            )
            assert made.errors == 0
            after = {one.key: one for one in made.findings}
            for key, one in kinds.items():
                others = [it for it in base.findings if (it.kind, it.what) == key and it.key != one.key]
                changed = [one, *others] if alike else [one]
                for it in changed:
                    # Nothing more is said of what is rendered for another finding of the same thing.
                    if it.key not in after:
                        # Nor of what hangs on another decision for it.
                        baked = it.item_id in {render.item for render in made.renders}
                        assert baked or sum(other.item_id == it.item_id for other in kinds.values()) > 1
                        continue
                    # What hangs on another thing that is left has nothing to be decided any more.
                    if it is not one and after[it.key].remedy is None:
                        continue
                    assert after[it.key].remedy is wanted[key], (it.key, wanted[key])
                    if wanted[key] in FATES:
                        assert after[it.key].fate.value == FATES[wanted[key]], (it.key, after[it.key].fate)
                if not alike:
                    # The others of the kind stay as they were, but for what hung on the one.
                    assert all(after[it.key].remedy in (it.remedy, None) for it in others if it.key in after)
