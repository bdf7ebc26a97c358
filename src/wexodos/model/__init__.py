"""What an edited sequence is: the one meeting point of all formats.

Everything is a frozen value; an edit makes a new value with ``dataclasses.replace`` that shares what did not
change.

Units, once for the whole house:

========================  ===================================================================================
record time               exact frames of the sequence's rate from its first frame (start timecode not
                          included); sound may fall between frames
time within an item       the same frames, from the item's own start: keyframes, markers and speed points
source time               exact seconds from the medium's (or nested sequence's) first frame
position                  pixels of the sequence's frame from its centre, x right, y down; where the anchor
                          lands
anchor                    fractions of the source picture from its centre, x right, y down
scale                     factors on the size the source has after its fit mode; negative mirrors
rotation                  degrees, clockwise
crop                      fractions of the source: left, top, right, bottom
corners                   fractions of the source by which its corners are pulled away from their places,
                          x right, y down: top left, top right, bottom right, bottom left, two numbers each
opacity, mix              0 to 1
level                     dB; ``-inf`` is silence
pan                       -1 left to 1 right
colour                    ``#rrggbbaa``
========================  ===================================================================================
"""

from wexodos.model.content import (
    Adjustment,
    Angle,
    Angles,
    Content,
    Generator,
    MediaUse,
    NestedUse,
    Roll,
    Shadow,
    TextRun,
    Title,
)
from wexodos.model.curves import Curve, Ease, Key, constant, curve
from wexodos.model.items import Effect, Fade, Item, Marker, Motion, Sound, Transition, with_curves
from wexodos.model.media import Embedded, Media
from wexodos.model.raw import Parameter, Raw
from wexodos.model.sequences import Document, Folder, Note, Sequence, Track
from wexodos.model.speed import NORMAL, Constant, Speed, SpeedPoint, Variable

__all__ = [
    "NORMAL",
    "Adjustment",
    "Angle",
    "Angles",
    "Constant",
    "Content",
    "Curve",
    "Document",
    "Ease",
    "Effect",
    "Embedded",
    "Fade",
    "Folder",
    "Generator",
    "Item",
    "Key",
    "Marker",
    "Media",
    "MediaUse",
    "Motion",
    "NestedUse",
    "Note",
    "Parameter",
    "Raw",
    "Roll",
    "Sequence",
    "Shadow",
    "Sound",
    "Speed",
    "SpeedPoint",
    "TextRun",
    "Title",
    "Track",
    "Transition",
    "Variable",
    "constant",
    "curve",
    "with_curves",
]
