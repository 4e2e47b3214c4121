"""Frames damaged by seed, and a reader for them: `python -m tests.core.frames.mutated FOLDER` prints a line a file.

Read in a process of its own, so that a decoder that crashes is seen as such.
"""

import resource
import struct
import sys
import time
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from tests.support import night, take

#: A reader of the small files may take this much memory, in bytes.
_MEMORY = 3 * 2**30


def originals(folder: Path) -> list[Path]:
    """One sound frame of every kind, small."""
    light = night(64, 96)
    codes = np.clip(light / light.max() * 255, 0, 255).astype(np.uint8)
    take(folder, light, name="raw")
    for path in folder.glob("raw-[234].dng"):
        path.unlink()
    tifffile.imwrite(folder / "deep.tif", codes.astype(np.uint16) * 257, photometric="rgb", compression="zlib")
    tifffile.imwrite(folder / "plain.tif", codes, photometric="rgb")
    tifffile.imwrite(folder / "float.tif", light, photometric="rgb")
    Image.fromarray(codes).save(folder / "picture.jpg", exif=b"Exif\0\0II*\0\x08\0\0\0\0\0\0\0\0\0")
    cv2.imwrite(str(folder / "deep.png"), codes.astype(np.uint16) * 257)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    channels = {n: np.ascontiguousarray(light[..., i]) for i, n in enumerate("RGB")}
    with OpenEXR.File(header, channels) as file:
        file.write(str(folder / "light.exr"))
    return sorted(folder.iterdir())


def mutate(data: bytes, rng: np.random.Generator) -> bytes:
    """A damaged copy: cut off, overwritten, or with numbers of its header made wild."""
    out = bytearray(data)
    way = rng.integers(5)
    head = min(len(out), 2048)
    if way == 0:
        return bytes(out[: rng.integers(0, len(out))])
    if way == 1:
        for at in rng.integers(0, len(out), rng.integers(1, 40)):
            out[at] = rng.integers(256)
    elif way == 2:
        for at in rng.integers(0, head - 4, rng.integers(1, 6)):
            wild = rng.choice([0, 1, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000, 65536, int(rng.integers(2**32))])
            out[at : at + 4] = struct.pack("<I", int(wild))
    elif way == 3:
        at, length = rng.integers(0, len(out)), rng.integers(1, 400)
        out[at : at + length] = rng.bytes(min(int(length), len(out) - int(at)))
    else:
        for at in rng.integers(0, head, rng.integers(1, 12)):
            out[at] ^= 1 << rng.integers(8)
    return bytes(out)


def make(folder: Path, each: int, seed: int) -> list[Path]:
    """Damaged copies of all kinds of frames, ``each`` of every kind."""
    sound = folder / "sound"
    sound.mkdir(parents=True)
    rng = np.random.default_rng(seed)
    out = []
    for path in originals(sound):
        data = path.read_bytes()
        for number in range(each):
            out.append(folder / f"{path.stem}-{number:03}{path.suffix}")
            out[-1].write_bytes(mutate(data, rng))
    return out


def read_all(folder: Path) -> None:
    """Read every frame as an import does; a line of its outcome each."""
    from crenn.core.errors import CrennError
    from crenn.core.frames.kinds import look_at
    from crenn.core.frames.preview import preview
    from crenn.core.frames.read import read_frame
    from crenn.log import log_nothing

    log_nothing()
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    for path in sorted(p for p in folder.iterdir() if p.is_file()):
        began = time.monotonic()
        print(f"{path.name}\t", end="", flush=True)
        try:
            frame = read_frame(path)
            look_at(frame.mosaic, frame.pattern, frame.black, frame.white)
            _picture, clipped = preview(frame)
            numbers = [
                *frame.black,
                frame.white,
                *frame.neutral_gains,
                *frame.to_rec2020.ravel(),
                *frame.as_shot,
                clipped,
                frame.metadata.sensitivity or 1.0,
            ]
            outcome = "read" if np.isfinite(numbers).all() else f"numbers: {numbers}"
        except CrennError as fault:
            outcome = "refused" if path.name in str(fault) and "\n" not in str(fault) else f"unnamed: {fault}"
        except Exception as fault:
            outcome = f"fault: {type(fault).__name__}: {fault}"
        print(f"{outcome}\t{time.monotonic() - began:.2f}", flush=True)


if __name__ == "__main__":
    read_all(Path(sys.argv[1]))
