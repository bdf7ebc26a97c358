"""Large sequence files as other programs write them, for the benchmarks."""

from __future__ import annotations

import gc

# As the program does when it starts.
gc.set_threshold(100_000, 50, 100)

RATE = "<rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>"


def _parameter(key: str, value: str) -> str:
    return (
        f"<parameter><parameterid>{key}</parameterid><name>{key}</name><valuemin>-8640</valuemin><valuemax>8640</valuemax>"
        f"<value>{value}</value></parameter>"
    )


def _filter(name: str, *parameters: tuple[str, str]) -> str:
    body = "".join(_parameter(*one) for one in parameters)
    return (
        f"<filter><effect><name>{name}</name><effectid>{name}</effectid><effectcategory>motion</effectcategory>"
        f"<effecttype>motion</effecttype><mediatype>video</mediatype>{body}</effect></filter>"
    )


def track_xml(clips: int) -> bytes:
    """A Track XML file of ``clips`` items: a third picture, two thirds sound, linked.

    Every item carries what the format reference calls usual: logging and colour blocks whose children are all
    empty, links to every member, and filters that mostly say nothing.
    """
    shots = clips // 3
    lanes: dict[str, list[str]] = {"V1": [], "A1": [], "A2": []}
    for n in range(shots):
        start, into = n * 60, 40 + n % 300
        names = [f"clipitem-{3 * n + k}" for k in (1, 2, 3)]
        links = "".join(
            f"<link><linkclipref>{name}</linkclipref><mediatype>{'video' if k == 0 else 'audio'}</mediatype><trackindex>{k or 1}"
            f"</trackindex><clipindex>{n + 1}</clipindex></link>"
            for k, name in enumerate(names)
        )
        file = f'<file id="file-{n % 200}"/>'
        if n < 200:
            file = (
                "<file "
                f'id="file-{n}"><name>A{n:03d}C001.mov</name><pathurl>file://localhost/Volumes/Kiln/A{n:03d}C001.mov</pathurl>'
                f"{RATE}<duration>2000</duration><timecode>{RATE}<string>10:00:00:00</string><frame>900000</frame>"
                "<displayformat>NDF</displayformat><reel><name>A</name></reel></timecode><media><video><samplecharacteristics>"
                "<width>1920</width><height>1080</height></samplecharacteristics></video><audio><samplecharacteristics>"
                "<depth>24</depth><samplerate>48000</samplerate></samplecharacteristics><channelcount>2</channelcount></audio>"
                "</media></file>"
            )
        motion = (
            _filter("basic", ("scale", str(50 + n % 7)), ("rotation", "0"), ("antiflicker", "0.0"))
            + _filter("crop", *((side, "0") for side in ("left", "right", "top", "bottom", "edgefeather")))
            + _filter("opacity", ("opacity", "80"))
        )
        tail = (
            "<logginginfo><description></description><scene></scene><shottake></shottake><lognote></lognote><good></good>"
            "<originalvideofilename></originalvideofilename><originalaudiofilename></originalaudiofilename></logginginfo>"
            "<colorinfo><lut></lut><lut1></lut1><asc_sop></asc_sop><asc_sat></asc_sat><lut2></lut2></colorinfo>"
            "<labels><label2>Iris</label2></labels>"
        )
        for k, lane in enumerate(lanes):
            head = (
                "<clipitem "
                f'id="{names[k]}"><masterclipid>masterclip-{n % 200}</masterclipid><name>Shot {n}</name>'
                f"<enabled>TRUE</enabled><duration>2000</duration>{RATE}<start>{start}</start><end>{start + 60}</end>"
                f"<in>{into}</in><out>{into + 60}</out>"
            )
            if k == 0:
                lanes[lane].append(
                    f"{head}<alphatype>none</alphatype><pixelaspectratio>square</pixelaspectratio>"
                    f"<anamorphic>FALSE</anamorphic>{file}{motion}{links}{tail}</clipitem>"
                )
            else:
                level = _filter("audiolevels", ("level", "0.5"))
                lanes[lane].append(
                    f"{head}<file "
                    f'id="file-{n % 200}"/><sourcetrack><mediatype>audio</mediatype><trackindex>{k}'
                    f"</trackindex></sourcetrack>{level}{links}{tail}</clipitem>"
                )
    tracks = {
        lane: f"<track>{''.join(items)}<enabled>TRUE</enabled><locked>FALSE</locked></track>"
        for lane, items in lanes.items()
    }
    return (
        '<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE xmeml><xmeml version="4"><sequence '
        'id="s"><name>Long</name>'
        f"<duration>{shots * 60}</duration>{RATE}<media><video><format><samplecharacteristics><width>1920</width><height>1080"
        f"</height></samplecharacteristics></format>{tracks['V1']}</video><audio>{tracks['A1']}{tracks['A2']}</audio></media>"
        "</sequence></xmeml>"
    ).encode()


def lane_xml(clips: int) -> bytes:
    """A Lane XML file of ``clips`` items: half on the main line, half connected, with transforms, levels and
    markers."""
    shots = clips // 2
    assets = "".join(
        f'<asset id="a{n}" name="A{n:03d}C001" uid="U{n}" src="file:///Volumes/Kiln/A{n:03d}C001.mov" '
        'start="36000s" duration="80s" '
        'hasVideo="1" format="r1" hasAudio="1" audioSources="1" audioChannels="2" '
        'audioRate="48000"><metadata>'
        '<md key="reel" value="A"/></metadata></asset>'
        for n in range(200)
    )
    body = []
    for n in range(shots):
        begin, into = 3600 * 25 + n * 60, 36000 * 25 + 40 + n % 300
        body.append(
            f'<asset-clip name="Shot {n}" ref="a{n % 200}" offset="{begin * 100}/2500s" '
            f'start="{into * 100}/2500s" duration="6000/2500s" '
            f'srcEnable="video" tcFormat="NDF"><note>take {n}</note><adjust-crop '
            'mode="trim"><trim-rect left="1" right="1"/></adjust-crop>'
            f'<adjust-transform position="1.5 -2" scale="0.5 0.5" rotation="3"/><adjust-blend amount="0.8"/>'
            f'<asset-clip name="Shot {n}" ref="a{n % 200}" lane="-1" offset="{into * 100}/2500s" '
            f'start="{into * 100}/2500s" '
            'duration="6000/2500s" srcEnable="audio" audioRole="dialogue" '
            'tcFormat="NDF"><adjust-volume amount="-6dB"><param name="amount">'
            f'<keyframeAnimation><keyframe time="{into * 100}/2500s" value="-6dB"/><keyframe '
            f'time="{(into + 50) * 100}/2500s" value="0dB"/>'
            "</keyframeAnimation></param></adjust-volume></asset-clip><marker "
            f'start="{(into + 5) * 100}/2500s" duration="100/2500s" '
            f'value="m{n}"/><metadata><md key="scene" value="{n}"/></metadata></asset-clip>'
        )
    return (
        '<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE fcpxml><fcpxml '
        'version="1.10"><resources><format id="r1" '
        'name="FFVideoFormat1080p25" frameDuration="100/2500s" width="1920" '
        f'height="1080"/>{assets}</resources><event name="E">'
        '<project name="Long"><sequence format="r1" tcStart="3600s" tcFormat="NDF" '
        f'duration="{shots * 60 * 100}/2500s"><spine>'
        f"{''.join(body)}</spine></sequence></project></event></fcpxml>"
    ).encode()
