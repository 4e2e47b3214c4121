"""How right files are that hold what is above white, and how long they take."""

import tempfile
import time
from pathlib import Path

import imagecodecs
import numpy as np
from PIL import Image

from crenn.bench.charts import shipped
from crenn.bench.table import Table
from crenn.core.colorimetry.spaces import (
    SRGB_TO_XYZ,
    XYZ_TO_REC2020,
    delta_e2000,
    srgb_encode,
    srgb_to_lab,
)
from crenn.core.deliver.files import deliver
from crenn.core.deliver.hdr import WHITE, delta_itp, nits_of
from crenn.core.deliver.output import Output
from crenn.core.deliver.spaces import SPACES
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

_SCENES = ("lock-basin", "kiln-yard", "dam-crest")
_STOPS = 2.0
_TO_WIDE = (XYZ_TO_REC2020 @ SRGB_TO_XYZ).T
#: Kinds of files, by name: what they are to be like.
_FILES = {
    "JPEG, gain map": Output(format="jpg", quality=95, hdr=_STOPS),
    "AVIF, PQ": Output(format="avif", quality=95, hdr=_STOPS),
    "PNG, PQ": Output(format="png", hdr=_STOPS),
}
#: A picture of 24 MP is one of these scenes, repeated.
_SIDE = (4000, 6000)


def _nits_in(path: Path) -> np.ndarray:
    """What a file shows on a screen that reaches as far, cd/m² of Rec. 2020 (h, w, 3), as others read it."""
    data = path.read_bytes()
    if path.suffix == ".avif":
        return nits_of(imagecodecs.avif_decode(data) / 1023)
    if path.suffix == ".png":
        return nits_of(imagecodecs.png_decode(data) / 65535)
    light = imagecodecs.ultrahdr_decode(data, dtype="float16", transfer=0, boost=2.0**_STOPS)[..., :3]
    return np.asarray(WHITE * np.maximum(light.astype(np.float64), 0) @ _TO_WIDE)


def bench() -> list[Table]:
    """ΔE of ITU-R BT.2124 of what is read back by other libraries, the plain picture's ΔE, and sizes of the files."""
    right = Table(
        "Above white: ΔE ITP as read back, median of all and of what is above white; plain picture, median ΔE 2000",
        ("all", "above", "plain", "MB"),
    )
    with tempfile.TemporaryDirectory() as folder:
        for scene in _SCENES:
            light = shipped(scene, 0)
            renderer = Renderer(PreparedScene.from_radiance(RadianceMap(light, None)))
            whole = Window.whole(renderer.scene.size)
            plain = renderer.shown(Treatment(), whole)[0]
            for name, output in _FILES.items():
                path = Path(folder) / f"file.{output.format}"
                deliver(renderer, Treatment(), path, output)
                space = SPACES["srgb" if output.format == "jpg" else "rec2020"]
                true = WHITE * renderer.shown(Treatment(), whole, space=space.shown, peak=2**_STOPS)[0]
                if output.format == "jpg":
                    true = np.maximum(true, 0) @ _TO_WIDE
                    with Image.open(path) as picture:
                        codes = np.asarray(picture) / 255
                    off = delta_e2000(srgb_to_lab(codes), srgb_to_lab(srgb_encode(plain)))
                    as_plain = float(np.median(off))
                else:
                    as_plain = float("nan")
                off = delta_itp(true, _nits_in(path))
                above = true.max(2) > 1.05 * WHITE
                at_lamps = float(np.median(off[above])) if above.any() else float("nan")
                size = path.stat().st_size / 1e6
                right.add(f"{scene}, {name}", float(np.median(off)), at_lamps, as_plain, size)
        return [right, _speed(Path(folder))]


def _speed(folder: Path) -> Table:
    table = Table("24 MP, seconds to deliver", ("beyond white", "plain"))
    light = shipped(_SCENES[0], 0)
    times = [-(-side // n) for side, n in zip(_SIDE, light.shape)]
    light = np.tile(light, (*times, 1))[: _SIDE[0], : _SIDE[1]]
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(np.ascontiguousarray(light), None)))
    for name, output in _FILES.items():
        took = []
        for one in (output, output.model_copy(update={"hdr": None})):
            began = time.perf_counter()
            deliver(renderer, Treatment(), folder / f"file.{output.format}", one)
            took.append(time.perf_counter() - began)
        table.add(name, *took)
    return table
