"""The cosine transform of blocks of 8 × 8 pixels, a block's row in a register each.

Compilers go through a block number by number where its rows and columns change places; here eight rows are held in
registers throughout, as instructions that take eight numbers at a time (LLVM's vectors; other processors get as many
as they have).
"""

from collections.abc import Callable, Sequence
from typing import Any

import numba as nb
import numpy as np
from llvmlite import ir
from numba.core.errors import NumbaTypeError
from numba.extending import intrinsic

#: Side of a block.
SIDE = 8
_VECTOR, _FLAGS = ir.VectorType(ir.FloatType(), SIDE), ("contract", "reassoc", "nsz", "arcp")
_C = [np.sqrt(0.125) if k == 0 else 0.5 * np.cos(k * np.pi / 16) for k in range(8)]
#: What each odd coefficient takes from the differences of rows that mirror each other: sign and cosine.
_ODD = (
    ((1, 1), (1, 3), (1, 5), (1, 7)),
    ((1, 3), (-1, 7), (-1, 1), (-1, 5)),
    ((1, 5), (-1, 1), (1, 7), (1, 3)),
    ((1, 7), (-1, 5), (1, 3), (-1, 1)),
)


class _Rows:
    """Reckons with rows of eight numbers."""

    def __init__(self, builder: Any) -> None:
        self._builder = builder

    def plus(self, a: ir.Value, b: ir.Value) -> ir.Value:
        return self._builder.fadd(a, b, flags=_FLAGS)

    def minus(self, a: ir.Value, b: ir.Value) -> ir.Value:
        return self._builder.fsub(a, b, flags=_FLAGS)

    def times(self, a: ir.Value, b: ir.Value) -> ir.Value:
        return self._builder.fmul(a, b, flags=_FLAGS)

    def cosine(self, k: int, a: ir.Value, sign: int = 1) -> ir.Value:
        """A row times a cosine of the transform."""
        number = ir.Constant(ir.FloatType(), float(np.float32(sign * _C[k])))
        return self.times(ir.Constant(_VECTOR, [number] * SIDE), a)

    def total(self, terms: Sequence[ir.Value]) -> ir.Value:
        out = terms[0]
        for term in terms[1:]:
            out = self.plus(out, term)
        return out

    def _picked(self, a: ir.Value, b: ir.Value, which: Sequence[int]) -> ir.Value:
        return self._builder.shuffle_vector(a, b, ir.Constant(ir.VectorType(ir.IntType(32), SIDE), list(which)))

    def turned(self, rows: Sequence[ir.Value]) -> list[ir.Value]:
        """Rows and columns change places: numbers, then pairs, then halves."""
        one = [
            self._picked(rows[i], rows[i + 1], which)
            for i in range(0, SIDE, 2)
            for which in ((0, 8, 1, 9, 4, 12, 5, 13), (2, 10, 3, 11, 6, 14, 7, 15))
        ]
        two = [
            self._picked(one[i], one[i + 2], which)
            for i in (0, 1, 4, 5)
            for which in ((0, 1, 8, 9, 4, 5, 12, 13), (2, 3, 10, 11, 6, 7, 14, 15))
        ]
        return [
            self._picked(two[i], two[i + 4], which)
            for which in ((0, 1, 2, 3, 8, 9, 10, 11), (4, 5, 6, 7, 12, 13, 14, 15))
            for i in range(4)
        ]

    def cosines(self, x: Sequence[ir.Value]) -> list[ir.Value]:
        """Cosine transform of type 2 down the columns, orthonormal."""
        s = [self.plus(x[i], x[7 - i]) for i in range(4)]
        d = [self.minus(x[i], x[7 - i]) for i in range(4)]
        e0, e1, g0, g1 = self.plus(s[0], s[3]), self.plus(s[1], s[2]), self.minus(s[0], s[3]), self.minus(s[1], s[2])
        odd = [self.total([self.cosine(k, d[i], sign) for i, (sign, k) in enumerate(row)]) for row in _ODD]
        return [
            self.cosine(0, self.plus(e0, e1)),
            odd[0],
            self.plus(self.cosine(2, g0), self.cosine(6, g1)),
            odd[1],
            self.cosine(4, self.minus(e0, e1)),
            odd[2],
            self.minus(self.cosine(6, g0), self.cosine(2, g1)),
            odd[3],
        ]

    def cosines_back(self, y: Sequence[ir.Value]) -> list[ir.Value]:
        p, q = self.cosine(0, y[0]), self.cosine(4, y[4])
        p, q = self.plus(p, q), self.minus(p, q)
        u = self.plus(self.cosine(2, y[2]), self.cosine(6, y[6]))
        v = self.minus(self.cosine(6, y[2]), self.cosine(2, y[6]))
        even = [self.plus(p, u), self.plus(q, v), self.minus(q, v), self.minus(p, u)]
        # Its table is its own transpose but for signs: rows of the way there are columns here.
        odd = [
            self.total([self.cosine(_ODD[i][j][1], y[2 * i + 1], _ODD[i][j][0]) for i in range(4)]) for j in range(4)
        ]
        return [self.plus(e, o) for e, o in zip(even, odd)] + [
            self.minus(e, o) for e, o in zip(reversed(even), reversed(odd))
        ]


def _checked(*arrays: Any) -> None:
    for array in arrays:
        if not isinstance(array, nb.types.Array) or array.layout != "C" or array.dtype != nb.types.float32:
            raise NumbaTypeError(f"array must be of float32 and lie in one piece: {array}")


class _Memory:
    """Rows of an array as if it had one axis, each ``stride`` after the one before."""

    def __init__(self, context: Any, builder: Any, kind: Any, array: ir.Value) -> None:
        self._builder, self._data = builder, context.make_array(kind)(context, builder, value=array).data

    def _places(self, first: ir.Value, stride: ir.Value | None) -> list[ir.Value]:
        by = ir.Constant(ir.IntType(64), SIDE) if stride is None else stride
        at = [first]
        for _ in range(SIDE - 1):
            at.append(self._builder.add(at[-1], by))
        return [self._builder.bitcast(self._builder.gep(self._data, [i]), _VECTOR.as_pointer()) for i in at]

    def read(self, first: ir.Value, stride: ir.Value | None = None) -> list[ir.Value]:
        out = [self._builder.load(place) for place in self._places(first, stride)]
        for row in out:
            row.align = 4
        return out

    def write(self, rows: Sequence[ir.Value], first: ir.Value, stride: ir.Value | None = None) -> None:
        for row, place in zip(rows, self._places(first, stride)):
            self._builder.store(row, place).align = 4


@intrinsic
def forward(typing_context: Any, plane: Any, at: Any, stride: Any, out: Any, to: Any) -> tuple[Any, Callable[..., Any]]:
    """Cosine transform of a block of a plane, its rows and columns changed, into 64 numbers of ``out`` from ``to`` on.

    The block begins ``at`` an index of the plane as if it had one axis; its rows are ``stride`` apart.
    """
    _checked(plane, out)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> ir.Value:
        rows = _Rows(builder)
        block = _Memory(context, builder, plane, arguments[0]).read(*arguments[1:3])
        found = rows.cosines(rows.turned(rows.cosines(block)))
        _Memory(context, builder, out, arguments[3]).write(found, arguments[4])
        return context.get_dummy_value()

    return nb.types.void(plane, nb.types.uint64, nb.types.uint64, out, nb.types.uint64), code


@intrinsic
def add_back(
    typing_context: Any, group: Any, at: Any, taper: Any, plane: Any, to: Any, stride: Any
) -> tuple[Any, Callable[..., Any]]:
    """Transform 64 numbers of ``group`` from ``at`` on back, and add them to a plane, each times one of ``taper``.

    ``taper`` has 64 numbers. The block begins at an index ``to`` of the plane as if it had one axis; its rows are
    ``stride`` apart.
    """
    _checked(group, taper, plane)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> ir.Value:
        rows, by = _Rows(builder), _Memory(context, builder, taper, arguments[2]).read(ir.Constant(ir.IntType(64), 0))
        block = _Memory(context, builder, group, arguments[0]).read(arguments[1])
        found = rows.cosines_back(rows.turned(rows.cosines_back(block)))
        summed = _Memory(context, builder, plane, arguments[3])
        before = summed.read(*arguments[4:])
        summed.write([rows.plus(b, rows.times(f, t)) for b, f, t in zip(before, found, by)], *arguments[4:])
        return context.get_dummy_value()

    return nb.types.void(group, nb.types.uint64, taper, plane, nb.types.uint64, nb.types.uint64), code


@intrinsic
def add(typing_context: Any, block: Any, plane: Any, to: Any, stride: Any) -> tuple[Any, Callable[..., Any]]:
    """Add a block, (64,), to a plane; ``to`` and ``stride`` as of `add_back`."""
    _checked(block, plane)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> ir.Value:
        rows, summed = _Rows(builder), _Memory(context, builder, plane, arguments[1])
        what = _Memory(context, builder, block, arguments[0]).read(ir.Constant(ir.IntType(64), 0))
        before = summed.read(*arguments[2:])
        summed.write([rows.plus(b, w) for b, w in zip(before, what)], *arguments[2:])
        return context.get_dummy_value()

    return nb.types.void(block, plane, nb.types.uint64, nb.types.uint64), code
