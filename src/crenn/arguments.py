"""Types of the arguments of the command line: what is typed, checked."""

import argparse
import ipaddress
import re
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from crenn.camera.flaws import Flaws

#: What the option of the same name is, wherever it is.
NOISE_MODEL = "noise of the camera, as fitted by noise-model, in place of what the files tell"


def size(text: str) -> tuple[int, int]:
    """Width and height, like 3000x2000."""
    try:
        width, height = (int(v) for v in text.lower().split("x"))
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is no size; write it like 3000x2000") from None
    return width, height


def host(text: str) -> str:
    """The name of a host, with its port or without."""
    if not re.fullmatch(r"[A-Za-z0-9.-]{1,253}(:\d{1,5})?", text):
        raise argparse.ArgumentTypeError(f"{text!r} is no name of a host; write it like pictures.example")
    return text


def address(text: str) -> str:
    """An IP address."""
    try:
        return str(ipaddress.ip_address(text))
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is no address; write it like 192.0.2.7") from None


def positive(text: str) -> int:
    """A number of pixels above 0."""
    try:
        value = int(text)
    except ValueError:
        value = 0
    if value < 1:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of pixels above 0")
    return value


def key(text: str) -> tuple[int, Path]:
    """The number of a scene, and a treatment's file, like 12=night.json."""
    number, _, name = text.partition("=")
    if not (name and number.isdecimal() and int(number) > 0):
        raise argparse.ArgumentTypeError(f"{text!r} is no key; write it like 12=night.json")
    return int(number), Path(name)


def preset(text: str) -> tuple[Path, float]:
    """A preset's file and its strength in %, like night.json@60."""
    name, _, strength = text.rpartition("@")
    if not name:
        return Path(text), 100.0
    try:
        value = float(strength)
    except ValueError:
        value = -1.0
    if not 0 <= value <= 150:
        raise argparse.ArgumentTypeError(f"{text!r} tells no strength of 0 to 150 %; write it like night.json@60")
    return Path(name), value


def above_nothing(text: str) -> float:
    """A number above 0."""
    try:
        value = float(text)
    except ValueError:
        value = 0.0
    if not 0 < value < 100_000:
        raise argparse.ArgumentTypeError(f"{text!r} is no number above 0")
    return value


def box(text: str) -> tuple[float, ...]:
    """A box of the picture in shares of its longer side: x, y, width and height."""
    try:
        x, y, width, height = (float(v) for v in text.split(","))
    except ValueError:
        x = y = width = height = -1.0
    if not (0 <= x <= 1 and 0 <= y <= 1 and 0 < width <= 1 and 0 < height <= 1):
        raise argparse.ArgumentTypeError(f"{text!r} is no box; write it like 0.4,0.1,0.05,0.05")
    return x, y, width, height


def place(text: str) -> tuple[float, float]:
    """A place of the scene in shares of its longer side: x and y."""
    try:
        x, y = (float(v) for v in text.split(","))
    except ValueError:
        x = y = -1.0
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise argparse.ArgumentTypeError(f"{text!r} is no place; write it like 0.4,0.1")
    return x, y


def tone(text: str) -> float:
    """A tone in EV relative to white."""
    try:
        value = float(text)
    except ValueError:
        value = 99.0
    if not -16 <= value <= 4:
        raise argparse.ArgumentTypeError(f"{text!r} is no tone from -16 to 4 EV")
    return value


def flaws(text: str) -> "Flaws":
    """Flaws of the simulated camera: a number for all, or some by their names."""
    from crenn.camera.flaws import Flaws

    try:
        return Flaws.parse(text)
    except ValueError as fault:
        raise argparse.ArgumentTypeError(str(fault)) from None
