"""What scenes are called: by the name of their shoot, or by their files where that says nothing."""

import re
from collections.abc import Sequence
from datetime import datetime

_NUMBER = re.compile(r"(\d{2,})\D*$")
#: Letters that cameras begin the names of files with; others, however few, may name a place.
_CAMERAS = {"dsc", "dscf", "dscn", "img", "mg", "pxl", "p", "dji", "gopr", "cimg", "imgp", "pict", "sam", "crw"}


def says_nothing(name: str) -> bool:
    """Whether a name is one that a camera gives: letters that cameras use, and numbers, or numbers alone."""
    letters = re.sub(r"[\W\d_]", "", name).lower()
    return not letters or letters in _CAMERAS


def scene_title(shoot: str, names: Sequence[str], taken: datetime | None, number: int | None) -> str:
    """What a scene is called.

    Parameters
    ----------
    shoot : str
        The name of its shoot.
    names : sequence of str
        Of its files, the first one first.
    taken : datetime or None
        When the first was.
    number : int or None
        Which of several scenes of the shoot it is, from 1; None if it is the only one.

    Returns
    -------
    str
        The shoot's name, with its number if there are several; where that is a camera's, the numbers of its files, or
        the time.
    """
    if not says_nothing(shoot):
        return shoot if number is None else f"{shoot} {number}"
    found = [m.group(1) for name in names if (m := _NUMBER.search(name.rsplit(".", 1)[0]))]
    if found:
        first, last = min(found, key=int), max(found, key=int)
        return first if int(first) == int(last) else f"{first}–{last}"
    if taken is not None:
        return f"{taken:%H:%M}"
    return shoot if number is None else f"{shoot} {number}"
