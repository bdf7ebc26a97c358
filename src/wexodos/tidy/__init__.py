"""Tidy: making a cut ready before it leaves, in steps that say what they do and prove what they leave
alone."""

from wexodos.tidy.library import STEPS
from wexodos.tidy.recipes import Chosen, Recipe, RecipeError, find_recipe, load_all
from wexodos.tidy.run import Did, Tidied, tidy
from wexodos.tidy.step import Line, Option, Outcome, Render, Step, TidyError

__all__ = [
    "STEPS",
    "Chosen",
    "Did",
    "Line",
    "Option",
    "Outcome",
    "Recipe",
    "RecipeError",
    "Render",
    "Step",
    "Tidied",
    "TidyError",
    "find_recipe",
    "load_all",
    "tidy",
]
