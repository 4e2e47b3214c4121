"""The program of a treatment, and how kernels read it."""

import threading

import cachetools
import numpy as np

from crenn.core.areas.area import Area
from crenn.core.light.ends import neutral_display
from crenn.core.pipeline.colours import SPAN
from crenn.core.pipeline.compile import compiled
from crenn.core.pipeline.program import TABLE_SIZE, Program
from crenn.core.pipeline.scene import SceneLight
from crenn.core.render.lift import KEPT
from crenn.core.treatment import STEPS, Treatment

#: Programs that are kept: of one picture the same are asked for several times over.
_KEPT = 12
#: What of an area makes its mask.
_MASK = {"name", "opacity", "parts"}


def _key(treatment: Treatment, light: SceneLight, display: bool = True) -> tuple[str, SceneLight, bool]:
    # What masks are made of is none of a program's business, and can be long.
    return treatment.model_dump_json(exclude={"areas": {"__all__": _MASK}}), light, display


@cachetools.cached(cachetools.LRUCache(_KEPT), key=_key, lock=threading.Lock())
def program_of(treatment: Treatment, light: SceneLight, display: bool = True) -> Program:
    """The program of a treatment for a scene; to be read alone, for it is kept.

    ``display`` tells whether the display transform takes part.
    """
    steps = [(step, treatment.section(step)) for step in STEPS]
    program = compiled(steps, [area.by_step() for area in bending(treatment)], light, display)
    if display and program.display is None:
        program.show(neutral_display())
    return program


def bending(treatment: Treatment) -> list[Area]:
    """The areas that bend something, in the order in which programs count them."""
    return [area for area in treatment.areas if area.by_step()]


def instructions_of(program: Program) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """A program as the kernels read it: codes, constants, tables and colours (see `crenn.core.render.rows.run_row`)."""
    count = max(len(program.instructions), 1)
    codes, constants = np.zeros((count, 3), np.int32), np.zeros((count, 9), np.float32)
    tables: list[np.ndarray] = []
    colours: list[np.ndarray] = []
    grids = 0
    planes, mixes = [plane.key for plane in program.planes], [mix.key for mix in program.mixes]
    for i, one in enumerate(program.instructions):
        index, constants[i, 0] = 0, one.amount
        if one.table is not None:
            index = len(tables)
            tables.extend(np.atleast_2d(one.table))
        elif one.colours is not None:
            index, grids = (grids, grids + 1) if one.reads_grid else (-1, grids)
            first, step = SPAN[one.colours.by]
            kind = one.colours.by == "scene", bool(one.colours.instead)
            constants[i, :5] = len(colours), first, 1 / step, *kind
            colours.append(one.colours.table.ravel())
        elif one.reads_grid:
            index, grids = grids, grids + 1
        elif one.plane is not None:
            index = planes.index(one.plane.key)
        elif one.mix is not None:
            index, grids = (grids, grids + 1) if one.lifted else (-1, grids)
            first = len(planes) + 3 * mixes.index(one.mix.key)
            constants[i, 1:5] = first, first + 1, first + 2, KEPT
        codes[i] = one.operation, index, one.area
        for k, plane in enumerate(one.tinted):
            constants[i, 1 + k] = planes.index(plane.key)
        if one.matrix is not None:
            constants[i] = one.matrix.ravel()
    stacked = np.stack(tables).astype(np.float32) if tables else np.zeros((1, TABLE_SIZE), np.float32)
    recoloured = np.stack(colours) if colours else np.zeros((1, 4), np.float32)
    return codes[: len(program.instructions)], constants, stacked, recoloured
