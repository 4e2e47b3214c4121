"""Logarithm, power of two, cube root and hyperbolic functions in single precision, for kernels that call them for every
pixel; and half precision read as single.

Polynomials on the mantissa, exact to about 2e-6; the C library's functions take several times as long.
"""

import numba as nb
import numpy as np
from llvmlite import ir
from numba.extending import intrinsic


@intrinsic
def _bits_of(typing_context, value):
    """The bits of a float32 as int32."""

    def code(context, builder, signature, arguments):
        return builder.bitcast(arguments[0], ir.IntType(32))

    return nb.types.int32(nb.types.float32), code


@intrinsic
def _float_of(typing_context, value):
    """The float32 with these bits."""

    def code(context, builder, signature, arguments):
        return builder.bitcast(arguments[0], ir.FloatType())

    return nb.types.float32(nb.types.int32), code


_L = [
    np.float32(v)
    for v in (1.44269326, -0.721162734, 0.477705931, -0.339247773, 0.215588533, -0.0960662494, 0.0204903461)
]
_E = [np.float32(v) for v in (0.999999896, 0.69315462, 0.24014077, 0.0558632827, 0.00894621467, 0.00189510729)]
_L0, _L1, _L2, _L3, _L4, _L5, _L6 = _L
_E0, _E1, _E2, _E3, _E4, _E5 = _E
#: What may be assumed of numbers that may be NaN.
NAN_SAFE = {"contract", "arcp", "reassoc", "nsz"}
_LOG2_E, _LN_2 = np.float32(np.log2(np.e)), np.float32(np.log(2))
_MANTISSA, _ONE = np.int32(0x7FFFFF), np.int32(0x3F800000)


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def log2(x):
    """Logarithm to base 2 of a positive normal float32."""
    bits = _bits_of(x)
    t = _float_of((bits & _MANTISSA) | _ONE) - np.float32(1)
    p = _L0 + t * (_L1 + t * (_L2 + t * (_L3 + t * (_L4 + t * (_L5 + t * _L6)))))
    return np.float32((bits >> np.int32(23)) - np.int32(127)) + t * p


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def exp2(x):
    """Two to the power of a float32 between -120 and 120."""
    x = min(max(x, np.float32(-120)), np.float32(120))
    whole = np.int32(np.floor(x))
    t = x - np.float32(whole)
    p = _E0 + t * (_E1 + t * (_E2 + t * (_E3 + t * (_E4 + t * _E5))))
    return p * _float_of((whole + np.int32(127)) << np.int32(23))


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def cbrt(x):
    """Cube root of a float32 of at least 0, to 5e-7. Two polynomials: dividing, as Newton's way does, takes longer."""
    return exp2(log2(max(x, np.float32(1e-20))) * np.float32(1.0 / 3.0))


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def arsinh(x):
    """Inverse hyperbolic sine of a float32, to 1e-6."""
    a = log2(abs(x) + np.sqrt(x * x + np.float32(1))) * _LN_2
    return a if x >= 0 else -a


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def sinh(x):
    """Hyperbolic sine of a float32."""
    e = exp2(x * _LOG2_E)
    return np.float32(0.5) * (e - np.float32(1) / e)


@nb.njit(inline="always", fastmath=NAN_SAFE, error_model="numpy")
def cosh(x):
    """Hyperbolic cosine of a float32."""
    e = exp2(x * _LOG2_E)
    return np.float32(0.5) * (e + np.float32(1) / e)


@nb.njit(inline="always", fastmath=True, error_model="numpy")
def _single(bits):
    """The float32 that the bits of a finite float16, uint16, stand for."""
    magnitude = np.int32(bits) & np.int32(0x7FFF)
    sign = (np.int32(bits) & np.int32(0x8000)) << np.int32(16)
    # A normal one gets the other exponent's bias; what is smaller has no exponent and counts in 2⁻²⁴.
    normal = _float_of((magnitude << np.int32(13)) + np.int32(0x38000000))
    small = np.float32(magnitude) * np.float32(2.0**-24)
    return _float_of(_bits_of(normal if magnitude >= np.int32(0x400) else small) | sign)


@nb.njit(inline="always", error_model="numpy")
def half(x):
    """The bits of the float16 nearest to a float32 of at most 65504, uint16; of two as near the even one."""
    bits = _bits_of(x)
    sign = (bits >> np.int32(16)) & np.int32(0x8000)
    magnitude = bits & np.int32(0x7FFFFFFF)
    normal = (magnitude - np.int32(0x38000000) + np.int32(0xFFF) + ((magnitude >> np.int32(13)) & np.int32(1))) >> (
        np.int32(13)
    )
    # Less than 2⁻¹⁴ counts in 2⁻²⁴: added to 2²³ that many, a float32 has no room for parts of one.
    large = np.float32(2.0**23)
    small = _bits_of(_float_of(magnitude) * np.float32(2.0**24) + large) - _bits_of(large)
    return np.uint16(sign | (normal if magnitude >= np.int32(0x38800000) else small))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _singles(halves, out):
    for y in nb.prange(halves.shape[0]):
        for x in range(halves.shape[1]):
            out[y, x] = _single(halves[y, x])


def single(halves: np.ndarray) -> np.ndarray:
    """Values of half precision in single precision, as `ndarray.astype` gives them, in a fifth of the time.

    Parameters
    ----------
    halves : ndarray, float16 (h, ...)
        Finite.

    Returns
    -------
    ndarray, float32, of the same shape
    """
    # A copy in memory: kernels would be compiled once more for what lies on disk.
    bits = np.array(halves).view(np.uint16)
    out = np.empty(bits.shape, np.float32)
    _singles(bits.reshape(len(bits), -1), out.reshape(len(bits), -1))
    return out
