"""Objects of the library, made with every property a strict reader wants."""

from __future__ import annotations

import datetime
import sys
import uuid
from typing import Any

from aaf2.auid import AUID
from aaf2.mobid import MobID
from aaf2.rational import AAFRational

from wexodos import __version__
from wexodos.formats.aaf import ids
from wexodos.formats.aaf.quick import Quick
from wexodos.formats.mobs.operations import rational
from wexodos.timing import Rate

PRODUCT, COMPANY = "Wexodos", "Wexodos"
PRODUCT_ID = "c1f7a6f2-5f0e-4a62-9b1b-6d0a6a3a7e51"


def now() -> datetime.datetime:
    """The time of writing, UTC as the format wants it."""
    return datetime.datetime.now(datetime.UTC).replace(tzinfo=None, microsecond=0)


def fraction(value: Any) -> AAFRational:
    numerator, denominator = rational(value)
    return AAFRational(numerator, denominator)


def rate_of(rate: Rate) -> AAFRational:
    return AAFRational(rate.numerator, rate.denominator)


def mob_id(key: str) -> MobID:
    """The id of a mob from our 32 hexadecimal digits."""
    made = MobID.new()
    made.material = AUID(str(uuid.UUID(key)))
    return made


def set_up(file: Any, used_operations: set[str]) -> None:
    """Identification, version and every definition that the file uses."""
    moment = now()
    identity = file.header["IdentificationList"].value[-1]
    for key, value in (
        ("ProductName", PRODUCT),
        ("CompanyName", COMPANY),
        ("ProductVersionString", __version__),
        ("ProductID", AUID(PRODUCT_ID)),
        ("Date", moment),
        ("Platform", sys.platform),
    ):
        identity[key].value = value
    file.header["LastModified"].value = moment
    file.header["Version"].value = {"major": 1, "minor": 1}
    parameters: dict[str, Any] = {}
    for word in sorted(used_operations):
        name, kind, inputs, warps, settings = ids.WRITTEN_OPERATIONS[word]
        for setting in settings:
            if setting not in parameters:
                made = file.create.ParameterDef(
                    AUID(ids.parameter_id(setting)), _title(setting), "", ids.parameter_type(setting)
                )
                file.dictionary.register_def(made)
                parameters[setting] = made
        operation = file.create.OperationDef(AUID(ids.operation_id(word)), name, "")
        operation.media_kind = kind
        operation["NumberInputs"].value = inputs
        operation["Bypass"].value = 1 if inputs else 0
        operation["IsTimeWarp"].value = warps
        operation["OperationCategory"].value = "OperationCategory_Effect"
        file.dictionary.register_def(operation)
        operation["ParametersDefined"].value = [parameters[one] for one in settings]
    for auid, name in ((ids.LINEAR, "LinearInterp"), (ids.CONSTANT, "ConstantInterp")):
        file.dictionary.register_def(file.create.InterpolationDef(AUID(auid), name, ""))


def _title(word: str) -> str:
    return "".join(part.capitalize() for part in word.split("-"))


def tagged(quick: Quick, name: str, value: str | int) -> Any:
    made = quick.new("TaggedValue")
    quick.put(made, "Name", name)
    quick.put(made, "Value", value)
    return made


def nearest_color(color: str) -> str:
    """The name of the marker colour nearest to one of ours."""

    def parts(text: str) -> list[int]:
        return [int(text[place : place + 2], 16) for place in (1, 3, 5)]

    mine = parts(color)
    return min(ids.COLORS, key=lambda name: sum((a - b) ** 2 for a, b in zip(mine, parts(ids.COLORS[name]))))
