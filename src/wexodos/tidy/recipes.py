"""Recipes: saved lists of steps. Shipped ones stand beside this module, the user's in their settings, one
TOML file each."""

from __future__ import annotations

import json
import re
import tomllib
from importlib import resources
from pathlib import Path

import msgspec
import platformdirs

from wexodos.ground import read_text
from wexodos.ground.errors import ReadError, WexodosError
from wexodos.tidy.library import STEPS
from wexodos.tidy.step import TidyError

SUFFIX = ".toml"
MOST_STEPS = 200


class RecipeError(WexodosError):
    """A recipe that cannot be used or saved: one plain sentence."""


class Chosen(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A step in a recipe: which, whether it is switched on, and its options in words."""

    step: str
    on: bool = True
    options: dict[str, str] = msgspec.field(default_factory=dict)


class Recipe(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A recipe by its name. ``builtin`` ones are shipped."""

    name: str
    about: str = ""
    steps: tuple[Chosen, ...] = ()
    builtin: bool = False


def complete(steps: tuple[Chosen, ...]) -> tuple[Chosen, ...]:
    """The steps of a recipe, and after them those not in it, switched off."""
    there = {one.step for one in steps}
    return (*steps, *(Chosen(key, False) for key in STEPS if key not in there))


def user_folder() -> Path:
    """Where the user's recipes live."""
    return Path(platformdirs.user_config_dir("wexodos")) / "recipes"


def parse(text: str, name: str, builtin: bool = False) -> Recipe:
    """A recipe from its text. Raises ``RecipeError`` that names the file."""
    try:
        data = tomllib.loads(text)
        data["builtin"] = builtin
        found = msgspec.convert(data, Recipe)
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        raise RecipeError(f"{name}: this is no recipe ({error})") from None
    check(found, name)
    return found


def check(recipe: Recipe, name: str = "") -> None:
    """Raise ``RecipeError`` for steps or options there are not."""
    where = name or recipe.name
    if len(recipe.steps) > MOST_STEPS:
        raise RecipeError(f"{where}: more than {MOST_STEPS} steps are no recipe")
    for number, one in enumerate(recipe.steps, 1):
        if one.step not in STEPS:
            raise RecipeError(
                f"{where}, step {number}: there is no step {one.step!r}; there are {', '.join(STEPS)}"
            )
        try:
            STEPS[one.step].values(one.options)
        except TidyError as error:
            raise RecipeError(f"{where}, step {number}: {error}") from None


def load_file(path: Path, builtin: bool = False) -> Recipe:
    """Load one recipe. Raises ``RecipeError``."""
    try:
        return parse(read_text(path), str(path), builtin)
    except ReadError as error:
        raise RecipeError(str(error)) from None


def load_all() -> tuple[list[Recipe], list[str]]:
    """All recipes, the user's last, and what is wrong with files that are none."""
    found, problems = [], []
    for entry in sorted(resources.files("wexodos.tidy.shipped").iterdir(), key=lambda one: one.name):
        if entry.name.endswith(SUFFIX):
            found.append(parse(entry.read_text(encoding="utf-8"), entry.name, True))
    folder = user_folder()
    for path in sorted(folder.glob(f"*{SUFFIX}")) if folder.is_dir() else []:
        try:
            found.append(load_file(path))
        except RecipeError as error:
            problems.append(str(error))
    return found, problems


def find_recipe(name: str) -> Recipe:
    """The recipe of a name, or of a file. Raises ``RecipeError``."""
    if name.endswith(SUFFIX):
        return load_file(Path(name))
    known, _ = load_all()
    for one in reversed(known):
        if one.name.lower() == name.lower():
            return one
    raise RecipeError(f"there is no recipe {name!r}; there are {', '.join(repr(one.name) for one in known)}")


def as_text(recipe: Recipe) -> str:
    """A recipe as its file is written."""
    lines = [f"name = {_quoted(recipe.name)}"]
    if recipe.about:
        lines.append(f"about = {_quoted(recipe.about)}")
    for one in recipe.steps:
        lines += ["", "[[steps]]", f"step = {_quoted(one.step)}"]
        if not one.on:
            lines.append("on = false")
        if one.options:
            lines.append(
                "options = { "
                + ", ".join(f"{_quoted(key)} = {_quoted(value)}" for key, value in one.options.items())
                + " }"
            )
    return "\n".join(lines) + "\n"


def _quoted(words: str) -> str:
    # Strings of JSON are basic strings of TOML, but for one character.
    return json.dumps(words, ensure_ascii=False).replace("\x7f", "\\u007F")


def file_of(name: str) -> Path:
    """Where the user's recipe of a name is kept."""
    safe = re.sub(r"[^\w -]+", "-", name).strip()[:80]
    return user_folder() / f"{safe or 'recipe'}{SUFFIX}"
