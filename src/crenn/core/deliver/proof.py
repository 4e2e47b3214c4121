"""Soft proof: a picture on screen as another device will show it."""

from functools import lru_cache
from typing import Annotated

import numpy as np
from PIL import Image, ImageFilter
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.colorimetry.profiles import IccProfile, Intent, brought
from crenn.core.deliver.spaces import SPACES
from crenn.core.deliver.writers import cut
from crenn.core.render.views import Device

#: By how many codes of 8 bits a colour must change for it to lie outside what a device can show.
_OUTSIDE = 6
#: Nodes of a table of colours each way; between them it goes in proportion.
_NODES = 33
#: Wider than sRGB, as printers reach beyond that in places.
_SEEN = IccProfile("Display P3", "RGB", SPACES["p3"].profile)
_SCREEN = IccProfile("sRGB", "RGB", SPACES["srgb"].profile)
ProfileName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")]


class Proof(BaseModel):
    """What is proofed, and how."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    profile: ProfileName = Field(description="name of a kept profile, or of a space of delivered files")
    intent: Intent = Field("relative", description="how colours are brought to it")
    black_point: bool = Field(True, description="whether black becomes its black")
    paper: bool = Field(False, description="whether its white and black are shown as they are beside the screen's")
    marks: bool = Field(True, description="whether what it cannot show is marked")


def device_of(proof: Proof, profile: IccProfile) -> Device:
    """What a view needs to know of the device that is proofed."""

    def shown(light: np.ndarray) -> tuple[np.ndarray, np.ndarray | None]:
        codes, outside = proofed(light, proof, profile)
        return codes, outside if proof.marks else None

    return Device(SPACES["p3"].shown, shown)


def proofed(light: np.ndarray, proof: Proof, profile: IccProfile) -> tuple[np.ndarray, np.ndarray]:
    """A picture as a device will show it.

    Parameters
    ----------
    light : ndarray, float32 (h, w, 3)
        Linear light of Display P3.
    proof : Proof
    profile : IccProfile

    Returns
    -------
    codes : ndarray, uint8 (h, w, 3)
        Of sRGB, for the screen.
    outside : ndarray, bool (h, w)
        What the device cannot show, whatever the intent.
    """
    codes = Image.fromarray(cut(SPACES["p3"].encoded(light), 8))
    found = np.asarray(codes.filter(_table(proof, profile)))
    return np.ascontiguousarray(found[..., :3]), found[..., 3] > _OUTSIDE


@lru_cache(maxsize=4)
def _table(proof: Proof, profile: IccProfile) -> ImageFilter.Color3DLUT:
    """What becomes of all colours: their codes on screen, and by how much they change on the way to the device and
    back. Little CMS is asked once for each proof, and not for each picture."""
    nodes = np.rint(np.linspace(0, 65535, _NODES)).astype(np.uint16)
    # Red goes fastest.
    blue, green, red = np.meshgrid(nodes, nodes, nodes, indexing="ij")
    codes = np.stack([red, green, blue], -1).reshape(1, -1, 3)
    ink = brought(codes, _SEEN, profile, proof.intent, proof.black_point)
    back: Intent = "absolute" if proof.paper else "relative"
    shown = brought(ink, profile, _SCREEN, back, not proof.paper)
    again = brought(brought(codes, _SEEN, profile), profile, _SEEN)
    apart = np.abs(again.astype(np.int32) - codes.astype(np.int32)).max(-1, keepdims=True)
    # A table's values go from 0 to 1 for codes of 8 bits.
    table = np.concatenate([shown / 65535, apart / 65535], -1).reshape(-1, 4)
    return ImageFilter.Color3DLUT(_NODES, table.ravel().tolist(), channels=4, target_mode="RGBA")
