"""A contact sheet of a shoot as a file: PDF of A4 pages, or one JPEG."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from PIL import Image, ImageDraw

from crenn.core.deliver.letters import Font, letters
from crenn.core.deliver.spaces import SPACES
from crenn.core.errors import CrennError
from crenn.core.files import replacing

#: Pixels of an A4 page at 200 dpi, its margin, and the gap between pictures.
_PAGE, _DPI, _MARGIN, _GAP = (1654, 2339), 200, 110, 36
_COLUMNS = 3
#: Height of letters of the heading, a title and facts, in pixels, and of the room for a line.
_HEADING, _TITLE, _FACTS, _LINE = 40, 24, 20, 1.35
#: Height of a picture's place over its width: pictures that are taller stand within.
_RATIO = 2 / 3
_PAPER, _INK, _PALE = (255, 255, 255), (24, 24, 24), (110, 110, 110)
#: Pictures that one JPEG holds at most.
MOST_IN_ONE = 400


@dataclass(frozen=True)
class Cell:
    """A scene on the sheet: its small picture, if it has one, its title, and lines of facts."""

    picture: Path | None
    title: str
    facts: Sequence[str] = ()


def write_sheet(path: Path, heading: str, cells: Sequence[Cell], file_format: str) -> None:
    """Write a contact sheet.

    Parameters
    ----------
    path : Path
    heading : str
    cells : sequence of Cell
    file_format : str
        "pdf", of as many pages as it takes, or "jpg", of one.

    Raises
    ------
    CrennError
        If there is nothing on it, or more than one picture can hold.
    """
    if not cells:
        raise CrennError("There is no scene to put on the sheet.", remedy="Bring frames in first.")
    if file_format == "jpg" and len(cells) > MOST_IN_ONE:
        raise CrennError(f"{len(cells)} scenes are too many for one picture;", remedy="choose PDF.")
    with replacing(path) as temporary:
        if file_format == "pdf":
            # Pages are drawn as they are written: a night of thousands does not lie in memory.
            pages = _pages(heading, cells, _rows_of(cells))
            first = next(pages)
            first.save(temporary, "PDF", resolution=_DPI, save_all=True, append_images=pages, quality=90)
        else:
            page = next(_pages(heading, cells, None))
            page.save(temporary, "JPEG", quality=90, dpi=(_DPI, _DPI), icc_profile=SPACES["srgb"].profile)


def _cell_size(cells: Sequence[Cell]) -> tuple[int, int, int]:
    """Width of a cell, height of its picture, and height of all of it."""
    width = (_PAGE[0] - 2 * _MARGIN - (_COLUMNS - 1) * _GAP) // _COLUMNS
    picture = round(width * _RATIO)
    lines = _TITLE * _LINE + max(len(cell.facts) for cell in cells) * _FACTS * _LINE
    return width, picture, round(picture + 10 + lines)


def _rows_of(cells: Sequence[Cell]) -> int:
    room = _PAGE[1] - 2 * _MARGIN - 2 * _HEADING
    return max(int((room + _GAP) // (_cell_size(cells)[2] + _GAP)), 1)


def _pages(heading: str, cells: Sequence[Cell], rows: int | None) -> Iterator[Image.Image]:
    """Pages with so many rows, or one with all of them."""
    width, height, whole = _cell_size(cells)
    on_page = len(cells) if rows is None else rows * _COLUMNS
    count = -(-len(cells) // on_page)
    fonts = {size: letters(size) for size in (_HEADING, _TITLE, _FACTS)}
    for number in range(count):
        part = cells[number * on_page : (number + 1) * on_page]
        lines = -(-len(part) // _COLUMNS)
        tall = _PAGE[1] if rows is not None else 2 * _MARGIN + 2 * _HEADING + lines * (whole + _GAP) - _GAP
        page = Image.new("RGB", (_PAGE[0], tall), _PAPER)
        draw = ImageDraw.Draw(page)
        draw.text((_MARGIN, _MARGIN), _fitting(heading, fonts[_HEADING], _PAGE[0] - 4 * _MARGIN), _INK, fonts[_HEADING])
        if count > 1:
            told = f"{number + 1} of {count}"
            draw.text((_PAGE[0] - _MARGIN, _MARGIN + 12), told, _PALE, fonts[_FACTS], anchor="ra")
        for index, cell in enumerate(part):
            x = _MARGIN + index % _COLUMNS * (width + _GAP)
            y = _MARGIN + 2 * _HEADING + index // _COLUMNS * (whole + _GAP)
            _draw_picture(page, cell, (x, y, width, height))
            y += height + 10
            draw.text((x, y), _fitting(cell.title, fonts[_TITLE], width), _INK, fonts[_TITLE])
            for line, fact in enumerate(cell.facts):
                at = y + _TITLE * _LINE + line * _FACTS * _LINE
                draw.text((x, at), _fitting(fact, fonts[_FACTS], width), _PALE, fonts[_FACTS])
        yield page


def _draw_picture(page: Image.Image, cell: Cell, place: tuple[int, int, int, int]) -> None:
    """A cell's picture in the middle of its place; where there is none, or it cannot be read, the place is pale."""
    x, y, width, height = place
    try:
        if cell.picture is None:
            raise FileNotFoundError
        with Image.open(cell.picture) as picture:
            picture.draft("RGB", (2 * width, 2 * height))
            small = picture.convert("RGB")
            small.thumbnail((width, height), Image.Resampling.LANCZOS)
        page.paste(small, (x + (width - small.width) // 2, y + (height - small.height) // 2))
    except (OSError, SyntaxError):
        page.paste((236, 236, 236), (x, y, x + width, y + height))


def _fitting(text: str, font: Font, width: int) -> str:
    """A text, cut where it would be wider."""
    if font.getlength(text) <= width:
        return text
    while text and font.getlength(text + "…") > width:
        text = text[:-1]
    return text.rstrip() + "…"
