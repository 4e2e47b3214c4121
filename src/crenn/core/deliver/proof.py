"""Soft proof: a picture on screen as another device will show it."""

from typing import Annotated

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from crenn.core.colorimetry.profiles import IccProfile, Intent, brought
from crenn.core.deliver.spaces import SPACES
from crenn.core.deliver.writers import cut
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import draw_outline
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment

#: By how many codes of 8 bits a colour must change for it to lie outside what a device can show.
_OUTSIDE = 6
#: Wider than sRGB, as printers reach beyond that in places.
_SEEN = IccProfile("Display P3", "RGB", SPACES["p3"].profile)
_SCREEN = IccProfile("sRGB", "RGB", SPACES["srgb"].profile)
ProfileName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")]


class Proof(BaseModel):
    """What is proofed, and how."""

    model_config = ConfigDict(extra="forbid", json_schema_serialization_defaults_required=True)
    profile: ProfileName = Field(description="name of a kept profile, or of a space of delivered files")
    intent: Intent = Field("relative", description="how colours are brought to it")
    black_point: bool = Field(True, description="whether black becomes its black")
    paper: bool = Field(False, description="whether its white and black are shown as they are beside the screen's")
    marks: bool = Field(True, description="whether what it cannot show is marked")


def proof_view(
    renderer: Renderer,
    treatment: Treatment,
    window: Window,
    proof: Proof,
    profile: IccProfile,
    oversample: int = 1,
    fine: bool = True,
) -> np.ndarray:
    """The picture as a device will show it, sRGB codes, uint8 (h, w, 3); what it cannot show is outlined if that is
    wanted. See `Renderer.picture`."""
    light, _ = renderer.shown(treatment, window.oversampled(oversample) or window, fine, SPACES["p3"].shown)
    size = window.out_width, window.out_height
    if light.shape[1::-1] != size:
        light = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    codes, outside = proofed(light, proof, profile)
    if proof.marks and outside.any():
        draw_outline(codes, outside)
    return codes


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
    codes = cut(SPACES["p3"].encoded(light), 8)
    ink = brought(codes, _SEEN, profile, proof.intent, proof.black_point, fine=True)
    back: Intent = "absolute" if proof.paper else "relative"
    shown = brought(ink, profile, _SCREEN, back, not proof.paper, fine=True)
    nearest = brought(codes, _SEEN, profile, "relative", fine=True)
    again = brought(nearest, profile, _SEEN, "relative", fine=True)
    apart = np.abs(again.astype(np.int32) - codes.astype(np.int32) * 257).max(-1)
    return cut(shown, 8), apart > _OUTSIDE * 257
