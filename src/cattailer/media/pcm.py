"""Sample words in files: 16 and 24 bit integers and 32-bit float, little-endian, interleaved."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]

BITS = (16, 24, 32)
"""32 is IEEE float."""


def words(
    block: Floats | NDArray[np.float64], bits: int, dither: np.random.Generator | None = None
) -> NDArray[np.uint8]:
    """The bytes of every sample of ``block``, shape (channels, samples), values -1 to 1.

    Shape (channels, samples, bytes a sample). A sample that is a word of that depth already stays what it is: silence,
    a converter's words, a file that nobody changed. What lies between two words is rounded, with triangular dither of
    two steps peak to peak when ``dither`` is given. Beyond full scale is clipped.
    """
    if bits == 32:
        return block.astype("<f4", order="C").view(np.uint8).reshape(*block.shape, 4)
    step = np.float32(2 ** (bits - 1))
    scaled = block * step if dither is None else block.astype(np.float64) * float(step)
    if dither is not None:
        between = scaled != np.rint(scaled)
        if between.any():
            scaled += (dither.random(scaled.shape) - dither.random(scaled.shape)) * between
    np.rint(scaled, out=scaled)
    np.clip(scaled, -step, step - 1, out=scaled)
    if bits == 16:
        return scaled.astype("<i2").view(np.uint8).reshape(*block.shape, 2)
    wide = scaled.astype("<i4").view(np.uint8).reshape(*block.shape, 4)
    out = np.empty((*block.shape, 3), np.uint8)
    for byte in range(3):
        out[..., byte] = wide[..., byte]
    return out


def interleaved(made: NDArray[np.uint8]) -> memoryview:
    """The bytes of some channels of ``words`` as a file holds them."""
    return np.ascontiguousarray(made.transpose(1, 0, 2)).reshape(-1).data


def pack(block: Floats | NDArray[np.float64], bits: int, dither: np.random.Generator | None = None) -> bytes:
    """``block`` as a file holds it; see ``words``."""
    return bytes(interleaved(words(block, bits, dither)))


def unpack(data: bytes, channels: int, bits: int) -> Floats:
    """The samples in ``data`` as float32, shape (channels, samples); a cut last frame is dropped."""
    width = bits // 8 * channels
    data = data[: len(data) // width * width]
    if bits == 32:
        flat = np.frombuffer(data, "<f4").astype(np.float32)
    elif bits == 16:
        flat = np.frombuffer(data, "<i2").astype(np.float32) * np.float32(2.0**-15)
    else:
        # Every word is the upper part of one of four bytes that begins a byte earlier.
        wide = np.ndarray((channels, len(data) // width), "<i4", b"\0" + data, 0, (3, width))
        rows = (wide >> 8).astype(np.float32, order="C")
        rows *= np.float32(2.0**-23)
        return rows
    return np.ascontiguousarray(flat.reshape(-1, channels).T)
