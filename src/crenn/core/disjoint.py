"""Loads and stores of arrays of which a kernel knows that they share no memory.

Compilers that take several places at a time must know that what is stored is not loaded again beside it. For every pair
of arrays they look, each time that a loop is entered, and take one place at a time where loops are short. Arrays with
different numbers are told apart by that (alias scopes of the LLVM Language Reference Manual).

What is stored under a number may be loaded under the same one, or plainly; under another one it may be what it was.
"""

from collections.abc import Callable
from typing import Any

import numba as nb
from llvmlite import ir
from numba.core.errors import NumbaTypeError
from numba.extending import intrinsic

#: Arrays of one kernel that are told apart.
_NUMBERS = 8


def _told_apart(builder: Any, instruction: Any, number: int) -> None:
    module = builder.module
    domain = module.add_metadata(["disjoint"])
    scopes = [module.add_metadata([f"disjoint {n}", domain]) for n in range(_NUMBERS)]
    instruction.set_metadata("alias.scope", module.add_metadata([scopes[number]]))
    instruction.set_metadata("noalias", module.add_metadata([s for n, s in enumerate(scopes) if n != number]))


def _known(array: Any, number: Any) -> int:
    """The number; it is written where it is used, and the array lies in one piece."""
    if not isinstance(number, nb.types.IntegerLiteral) or not 0 <= number.literal_value < _NUMBERS:
        raise NumbaTypeError(f"number must be written out, and be from 0 to {_NUMBERS - 1}: {number}")
    if not isinstance(array, nb.types.Array) or array.layout != "C":
        raise NumbaTypeError(f"array must lie in one piece: {array}")
    return int(number.literal_value)


def _pointer(context: Any, builder: Any, kind: Any, array: Any, index: Any) -> ir.Value:
    return builder.gep(context.make_array(kind)(context, builder, value=array).data, [index])


@intrinsic
def load(typing_context: Any, array: Any, index: Any, number: Any) -> tuple[Any, Callable[..., ir.Value]]:
    """What lies at an index, uint64, of an array as if it had one axis."""
    own = _known(array, number)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> ir.Value:
        value = builder.load(_pointer(context, builder, array, *arguments[:2]))
        _told_apart(builder, value, own)
        return value

    return array.dtype(array, nb.types.uint64, number), code


@intrinsic
def store(typing_context: Any, array: Any, index: Any, value: Any, number: Any) -> tuple[Any, Callable[..., ir.Value]]:
    """Put a value at an index, uint64, of an array as if it had one axis."""
    own = _known(array, number)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> ir.Value:
        done = builder.store(arguments[2], _pointer(context, builder, array, *arguments[:2]))
        _told_apart(builder, done, own)
        return context.get_dummy_value()

    return nb.types.void(array, nb.types.uint64, array.dtype, number), code
