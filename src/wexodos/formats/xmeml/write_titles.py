"""Write titles, generators and transitions: everything whose picture is made by an effect of the dialect (4,
10, 11)."""

from __future__ import annotations

from wexodos.formats.tree import Node, add, kept, put_back
from wexodos.formats.xmeml.coverage import key_of
from wexodos.formats.xmeml.units import number
from wexodos.formats.xmeml.write_parts import (
    boolean,
    color_parameter,
    effect_element,
    parameter,
    value_element,
    write_rate,
)
from wexodos.model import Generator, Raw, Shadow, TextRun, Title, Transition
from wexodos.timing import Rate

_EFFECTS = {
    "dissolve": ("Cross Dissolve", "Dissolve"),
    "additive": ("Additive Dissolve", "Dissolve"),
    "dip": ("Dip to Color Dissolve", "Dissolve"),
    "wipe": ("Edge Wipe", "Wipe"),
    "iris": ("Oval Iris", "Iris"),
    "push": ("Push Slide", "Slide"),
    "slide": ("Swap Slide", "Slide"),
    "audio-linear": ("KGAudioTransCrossFade0dB", ""),
    "audio-equal-power": ("KGAudioTransCrossFade3dB", ""),
}
_SOUND_NAMES = {"audio-linear": "Cross Fade ( 0dB)", "audio-equal-power": "Cross Fade (+3dB)"}
_GENERATORS = {
    "colour": ("Color", "Matte"),
    "black": ("Black", "Matte"),
    "bars": ("Bars", "Bars"),
    "tone": ("Tone", "Tone"),
    "gradient": ("Gradient", "Render"),
    "noise": ("Noise", "Render"),
    "leader": ("Counting Leader", "Render"),
    "transparent": ("Transparent", "Render"),
    "slate": ("Slate", "Render"),
    "timecode": ("Timecode", "Render"),
}
_BACKWARDS = frozenset(
    {
        "reverse",
        "right to left",
        "bottom to top",
        "anticlockwise",
        "sides to centre",
        "edges to centre",
        "top and bottom to centre",
        "from bottom right",
        "from bottom left",
    }
)


def own_spelling(raws: tuple[Raw, ...], tag: str) -> Node | None:
    """The kept spelling of an effect in this dialect, to be written word for word; None where there is
    none."""
    found = next((raw for raw in raws if raw.dialect == "xmeml" and raw.tag == tag), None)
    return kept(found) if found is not None else None


def write_title(parent: Node, title: Title, frame: tuple[int, int]) -> None:
    """Write a text generator: as it stood where it is one of this dialect, otherwise plainly (10.1)."""
    spelled = own_spelling(title.raw, "effect")
    if spelled is not None:
        parent.append(spelled)
        return
    if title.bar is not None:
        _lower_third(parent, title, frame)
        return
    run = title.runs[0] if title.runs else TextRun("")
    kind = "Text"
    if title.roll is not None:
        kind = "Scrolling Text" if title.roll.direction == "up" else "Crawl"
    elif run.outline_color or run.outline_width:
        kind = "Outline Text"
    effect = effect_element(parent, kind, kind, "Text", "generator", "video")
    parameter(effect, "str", "Text", title.words.replace("\n", "\r"))
    _style(effect, run, "")
    if kind == "Outline Text":
        if run.outline_width is not None:
            parameter(effect, "linewidth", "Line Width", number(run.outline_width), 0, 200)
        if run.outline_color:
            color_parameter(effect, "linecolor", "Line Color", run.outline_color)
    if title.roll is not None and title.roll.gap is not None:
        parameter(effect, "gap", "Gap Width", number(title.roll.gap), 0, 100)
    _origin(effect, title, frame)


def _lower_third(parent: Node, title: Title, frame: tuple[int, int]) -> None:
    """Two lines with a style each, and the bar behind them."""
    effect = effect_element(parent, "Lower 3rd", "Lower 3rd", "Text", "generator", "video")
    for index, line in enumerate(title.lines, 1):
        parameter(effect, f"str{index}", f"Text {index}", "".join(run.text for run in line))
        _style(effect, line[0] if line else TextRun(""), str(index))
    parameter(effect, "background", "Background", "Solid")
    color_parameter(effect, "backgroundcolor", "Background Color", title.bar or "#000000ff")
    _origin(effect, title, frame)


def _style(effect: Node, run: TextRun, index: str) -> None:
    if run.font:
        parameter(effect, f"fontname{index}", "Font", run.font)
    if run.size:
        parameter(effect, f"fontsize{index}", "Size", number(run.size), 0, 1000)
    parameter(effect, f"fontstyle{index}", "Style", 1 + run.bold + 2 * run.italic, 1, 4)
    if run.align in ("left", "center", "right"):
        parameter(
            effect, f"fontalign{index}", "Alignment", 1 + ("left", "center", "right").index(run.align), 1, 3
        )
    if run.color:
        color_parameter(effect, f"fontcolor{index}", "Font Color", run.color)
    if run.tracking is not None:
        parameter(effect, f"fonttrack{index}", "Tracking", number(run.tracking), -200, 200)
    if run.leading is not None:
        parameter(effect, f"leading{index}", "Leading", number(run.leading), -100, 100)


def _origin(effect: Node, title: Title, frame: tuple[int, int]) -> None:
    point = add(effect, "parameter")
    add(point, "parameterid", "origin")
    add(point, "name", "Origin")
    value_element(point, (title.origin[0] / frame[0], title.origin[1] / frame[1]))


def write_shadow(parent: Node, shadow: Shadow) -> None:
    """Write the shadow of a title as the filter that the dialect has for it."""
    effect = effect_element(add(parent, "filter"), "Drop Shadow", "dropshadow", "motion", "motion", "video")
    parameter(effect, "offset", "Offset", number(shadow.distance), -100, 100)
    parameter(effect, "angle", "Angle", number(-shadow.angle % 360.0), -720, 720)
    color_parameter(effect, "color", "Color", f"{shadow.color[:7]}ff")
    parameter(effect, "softness", "Softness", number(shadow.blur), 0, 100)
    parameter(effect, "opacity", "Opacity", number(round(int(shadow.color[7:9], 16) / 2.55, 3)), 0, 100)


def write_generator(parent: Node, generator: Generator) -> None:
    spelled = own_spelling(generator.raw, "effect")
    if spelled is not None:
        parent.append(spelled)
        return
    name, category = _GENERATORS.get(generator.kind, (generator.name or "Black", "Render"))
    effect = effect_element(parent, name, name, category, "generator", "video")
    if generator.color:
        color_parameter(effect, "fillcolor", "Color", generator.color)


def write_transition(
    parent: Node, transition: Transition, outgoing: bool, incoming: bool, kind: str, rate: Rate
) -> None:
    """Write a transition between its neighbours."""
    element = add(parent, "transitionitem")
    add(element, "start", transition.start)
    add(element, "end", transition.end)
    before, whole = transition.cut - transition.start, transition.duration
    if before == 0:
        alignment = "start" if outgoing else "start-black"
    elif before == whole:
        alignment = "end" if incoming else "end-black"
    else:
        alignment = "center"
    add(element, "alignment", alignment)
    write_rate(element, rate)
    spelled = own_spelling(transition.raw, "effect")
    if spelled is not None:
        element.append(spelled)
    else:
        _transition_effect(element, transition, kind)
    for raw in transition.raw:
        if raw.dialect == "xmeml" and raw.tag != "effect":
            put_back(element, raw, key_of)


def _transition_effect(element: Node, transition: Transition, kind: str) -> None:
    key, category = _EFFECTS.get(transition.type, (transition.name or "Cross Dissolve", "Dissolve"))
    if transition.type == "wipe" and transition.pattern != 1:
        key = "Clock Wipe" if transition.pattern is not None and transition.pattern >= 201 else "Wipe"
    name = _SOUND_NAMES.get(transition.type, key)
    effect = effect_element(element, name, key, category, "transition", kind)
    if kind == "video":
        add(effect, "wipecode", transition.pattern or 0 if transition.type in ("wipe", "iris") else 0)
        add(effect, "wipeaccuracy", 100)
        add(effect, "startratio", 0)
        add(effect, "endratio", 1)
        add(effect, "reverse", boolean((transition.direction or "") in _BACKWARDS))
    if transition.color:
        color_parameter(effect, "color", "Color", transition.color)
    if transition.border is not None:
        parameter(effect, "border", "Border", number(transition.border), 0, 100)
    if transition.border_color:
        color_parameter(effect, "bordercolor", "Border Color", transition.border_color)
    if transition.softness is not None:
        parameter(effect, "softness", "Softness", number(transition.softness), 0, 100)
    if transition.direction and transition.type in ("push", "slide"):
        parameter(effect, "direction", "Direction", transition.direction)
