"""Treatments that put each step to use, one at a time and all together."""

from typing import Any

AREAS: list[dict[str, Any]] = [
    {
        "parts": [{"kind": "gradient", "start": [0.5, 0.0], "end": [0.5, 0.5]}],
        "bends": {"exposure.ev": -1.0, "white_balance.temperature": -30.0},
    },
    {
        "parts": [{"kind": "ellipse", "centre": [0.6, 0.45], "radii": [0.25, 0.12], "angle": 20}],
        "bends": {"exposure.ev": 1.5, "tone.contrast": 1.3, "relief.fine": 1.6},
    },
]
#: By what is in use.
IN_USE: dict[str, dict] = {
    "automatic": {},
    "white balance": {"white_balance": {"temperature": 3600.0, "tint": 4.0}},
    "exposure": {"exposure": {"ev": 5.0}},
    "placement by scale": {"placement": {"way": "laplacian", "shadows": 3.0, "highlights": -3.0}},
    "placement, fused": {"placement": {"way": "fusion", "shadows": 3.0, "highlights": -3.0}},
    "placement by light alone": {"placement": {"way": "curve", "shadows": 3.0, "highlights": -3.0}},
    "placement": {"placement": {"shadows": 4.0, "highlights": -3.0, "local": 1.8, "rungs": [{"stop": -6, "ev": 1.5}]}},
    "fine relief": {"relief": {"fine": 2.0}},
    "medium relief": {"relief": {"medium": 1.8}},
    "broad relief": {"relief": {"broad": 1.6}},
    "relief of colour": {"relief": {"colour": 1.8}},
    "haze": {"haze": {"amount": 60}},
    "contrast": {"tone": {"contrast": 1.5, "toe": 30, "shoulder": 40}},
    "curve": {"curve": {"points": [{"at": -6, "to": -5}, {"at": -2, "to": -1.8}]}},
    "curve as film": {"curve": {"points": [{"at": -4, "to": -4.5}], "colour": "film", "red": [{"at": -3, "to": -2.8}]}},
    "ends": {"ends": {"white": 1.0, "black": -8.0}},
    "lens": {"lens": {"distortion": -4.0, "red": 0.8, "blue": -0.6, "falloff": 1.0}},
    "turn": {"turn": {"quarters": "1", "mirror": True}},
    "level": {"level": {"angle": 2.7}},
    "perspective": {"perspective": {"vertical": 6.0, "horizontal": -3.0}},
    "crop": {"crop": {"ratio": "free", "centre": [0.45, 0.3], "width": 0.8, "height": 0.5}},
    "areas": {"areas": AREAS},
}
IN_USE["all together"] = {name: section for steps in IN_USE.values() for name, section in steps.items()} | {
    "relief": {"fine": 1.5, "medium": 1.2, "broad": 1.3, "colour": 1.3}
}
