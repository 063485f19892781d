"""Sample words in files: 16 and 24 bit integers and 32-bit float, little-endian, interleaved."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]

BITS = (16, 24, 32)
"""32 is IEEE float."""


def pack(block: Floats, bits: int, dither: np.random.Generator | None = None) -> bytes:
    """Bytes of ``block``, shape (channels, samples), values -1 to 1.

    24 bit and float are exact for a 24-bit converter's words. 16 bit rounds, with triangular
    dither of two steps peak to peak when ``dither`` is given. Beyond full scale is clipped.
    """
    if bits == 32:
        return block.T.astype("<f4").tobytes()
    step = np.float32(2 ** (bits - 1))
    words = block.T * step
    if bits == 16 and dither is not None:
        words += dither.random(words.shape, np.float32) - dither.random(words.shape, np.float32)
    np.rint(words, out=words)
    np.maximum(words, -step, out=words)
    np.minimum(words, step - 1, out=words)
    if bits == 16:
        return words.astype("<i2").tobytes()
    wide = words.astype("<i4").reshape(-1).view(np.uint8).reshape(-1, 4)
    out = np.empty((len(wide), 3), np.uint8)
    for byte in range(3):
        out[:, byte] = wide[:, byte]
    return out.tobytes()


def unpack(data: bytes, channels: int, bits: int) -> Floats:
    """The samples in ``data`` as float32, shape (channels, samples); a cut last frame is dropped."""
    width = bits // 8 * channels
    data = data[: len(data) // width * width]
    if bits == 32:
        flat = np.frombuffer(data, "<f4").astype(np.float32)
    elif bits == 16:
        flat = np.frombuffer(data, "<i2").astype(np.float32) * np.float32(2.0**-15)
    else:
        wide = np.zeros((len(data) // 3, 4), np.uint8)
        wide[:, 1:] = np.frombuffer(data, np.uint8).reshape(-1, 3)
        flat = (wide.view("<i4")[:, 0] >> 8).astype(np.float32) * np.float32(2.0**-23)
    return np.ascontiguousarray(flat.reshape(-1, channels).T)
