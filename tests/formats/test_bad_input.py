"""Files from strangers: one plain sentence that names the file, exit status 3, nothing hangs, nothing is left
behind."""

from __future__ import annotations

import zipfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from generated import examples
from wexodos.carryover import carry_over
from wexodos.cli import main
from wexodos.cli.inspecting import document_data
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, WriteError, read_bytes
from wexodos.formats.opening import candidates, unpacked

HERE = Path(__file__).parent
RATE = "<rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>"


def cut(body: str, rate: str = RATE) -> str:
    return (
        '<xmeml version="5"><sequence '
        f'id="s"><name>S</name>{rate}<media><video><track>{body}</track></video></media></sequence>'
        "</xmeml>"
    )


def clip(start: int, end: int, inside: str = "", extra: str = "") -> str:
    return f'<clipitem id="c">{extra}<start>{start}</start><end>{end}</end><in>0</in><out>9</out>{inside}</clipitem>'


CYCLE = (
    '<xmeml version="5"><sequence id="a"><name>A</name>'
    + RATE
    + "<media><video><track>"
    + clip(0, 9, '<sequence id="b"/>')
    + '</track></video></media></sequence><sequence id="b"><name>B</name>'
    + RATE
    + "<media><video><track>"
    + clip(0, 9, '<sequence id="a"/>')
    + "</track></video></media></sequence></xmeml>"
)
BOMB = (
    '<!DOCTYPE xmeml [<!ENTITY a "lol">'
    + "".join(f'<!ENTITY {chr(98 + n)} "{("&" + chr(97 + n) + ";") * 10}">' for n in range(9))
    + "]><xmeml version='5'><sequence><name>&j;</name></sequence></xmeml>"
)
LANE = (
    '<fcpxml version="1.10"><resources><format id="r1" frameDuration="{frame}" width="16" '
    'height="9"/>{more}</resources><project>'
    '<sequence format="r1"><spine>{spine}</spine></sequence></project></fcpxml>'
)

BAD = {
    "empty": "",
    "blank": " \n ",
    "not XML": "TITLE: KILN NIGHT\nFCM: NON-DROP FRAME\n",
    "other XML": "<svg><g/></svg>",
    "cut short": (HERE / "same-cut.xml").read_text()[:3000],
    "entity bomb": BOMB,
    "outside entity": "<!DOCTYPE xmeml [<!ENTITY x SYSTEM "
    '"file:///etc/passwd">]><xmeml><sequence><name>&x;</name></sequence></xmeml>',
    "outside type": '<!DOCTYPE xmeml SYSTEM "http://example.invalid/x.dtd"><xmeml version="5"/>',
    "nest in itself": CYCLE,
    "ends before it begins": cut(clip(9, 3)),
    "rate of zero": cut(clip(0, 9), RATE.replace("25", "0")),
    "negative rate": cut(clip(0, 9), RATE.replace("25", "-25")),
    "item rate of zero": cut(clip(0, 9, extra=RATE.replace("25", "0"))),
    "no rate": cut(clip(0, 9), ""),
    "deep": "<xmeml>" + "<bin>" * 1_000_000,
    "lane zero rate": LANE.format(frame="0s", more="", spine=""),
    "lane negative rate": LANE.format(frame="-1/25s", more="", spine=""),
    "lane negative length": LANE.format(frame="1/25s", more="", spine='<gap offset="0s" duration="-3s"/>'),
    "lane cycle": LANE.format(
        frame="1/25s",
        spine='<ref-clip ref="r2" offset="0s" duration="1s"/>',
        more=(
            '<media id="r2" name="A"><sequence format="r1"><spine><ref-clip ref="r2" offset="0s" '
            'duration="1s"/></spine></sequence></media>'
        ),
    ),
    "endless": cut(clip(0, 99_999_999_999)),
    "nul bytes": "\x00" * 4096,
}


@pytest.mark.parametrize("name", BAD)
def test_one_sentence_and_status_3(name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / f"{name}.xml"
    path.write_text(BAD[name])
    for command in (
        ["inspect", str(path), "--json"],
        ["translate", str(path), "--to", "editing-lane-xml", "--out", str(tmp_path / "o")],
    ):
        assert main(command) == 3
        told = capsys.readouterr()
        assert told.out == ""
        assert str(path) in told.err
        assert "Traceback" not in told.err
        assert len(told.err.strip().splitlines()) == 1
    assert sorted(one.name for one in tmp_path.iterdir()) == [path.name]


def test_paths_that_cannot_be_read(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for path in (tmp_path / "nowhere.xml", tmp_path, Path("/dev/zero")):
        assert main(["inspect", str(path)]) == 3
        assert str(path) in capsys.readouterr().err


def test_missing_references_are_kept_as_offline_media_and_named() -> None:
    found = read_bytes(cut(clip(0, 9, '<file id="gone"/>')).encode())
    assert [(note.level, note.code, note.where) for note in found.notes] == [
        ("warning", "missing-reference", "s/V1/c")
    ]
    lane = read_bytes(
        LANE.format(
            frame="1/25s", more="", spine='<asset-clip ref="r7" name="x" offset="0s" duration="1s"/>'
        ).encode()
    )
    assert "missing-reference" in [note.code for note in lane.notes]
    assert [item.name for item in lane.sequences[0].items()] == ["x"]


@pytest.mark.loose
@settings(max_examples=examples(100), suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(st.sampled_from(["same-cut.xml", "same-cut.fcpxml"]), st.data())
def test_damaged_files_are_read_or_refused_but_never_crash(name: str, data: st.DataObject) -> None:
    whole = bytearray((HERE / name).read_bytes())
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(whole) - 1))
        kind = data.draw(st.sampled_from(["byte", "cut", "digit"]))
        if kind == "byte":
            whole[at] = data.draw(st.integers(0, 255))
        elif kind == "cut":
            del whole[at : at + data.draw(st.integers(1, 200))]
        else:
            spot = next((n for n in range(at, len(whole)) if 48 <= whole[n] <= 57), None)
            if spot is not None:
                whole[spot : spot + 1] = data.draw(
                    st.sampled_from([b"-", b"0", b"99999999999", b".", b"1e9"])
                )
        if not whole:
            return
    try:
        found = read_bytes(bytes(whole))
    except ReadError as error:
        assert str(error)
    else:
        assert found.format in ("xmeml", "fcpxml")
        document_data(found, "damaged")
        for sequence in found.sequences[:1]:
            for destination in ("editing-lane-xml", "grading-track-xml"):
                try:
                    carry_over(found, sequence, find_destination(destination))
                except WriteError as error:
                    assert str(error)


def test_zips_lead_nowhere_outside_and_folders_are_searched(tmp_path: Path) -> None:
    archive = tmp_path / "hand-over.zip"
    with zipfile.ZipFile(archive, "w") as opened:
        opened.write(HERE / "same-cut.xml", "deep/cut.xml")
        opened.writestr("../escape.xml", "<xmeml/>")
        opened.writestr("/absolute.xml", "<xmeml/>")
        opened.writestr("notes.txt", "hello")
        opened.writestr("other.xml", "<svg/>")
    found = candidates(unpacked(archive))
    assert [path.relative_to(unpacked(archive)).as_posix() for path in found] == ["deep/cut.xml"]
    assert not (tmp_path.parent / "escape.xml").exists()
    (tmp_path / "broken.zip").write_bytes(archive.read_bytes()[:100])
    with pytest.raises(ReadError):
        unpacked(tmp_path / "broken.zip")
