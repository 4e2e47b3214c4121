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
#: Areas whose masks look at the picture, each of a kind.
LOOKING: list[dict[str, Any]] = [
    {"parts": [{"kind": "found", "what": "sky"}], "bends": {"exposure.ev": -0.8, "saturation.saturation": 1.2}},
    {
        "parts": [{"kind": "light", "low": -8.0, "high": -5.0}, {"kind": "found", "what": "lamps", "mode": "subtract"}],
        "bends": {"exposure.ev": 0.7},
    },
    {"parts": [{"kind": "colour", "picks": [{"a": 0.08, "b": 0.08, "stop": -4}]}], "bends": {"exposure.ev": -0.5}},
    {
        "parts": [{"kind": "gradient", "start": [0.5, 0.25], "end": [0.5, 0.2], "refine": 60}],
        "bends": {"exposure.ev": 0.6},
    },
    {
        "parts": [
            {
                "kind": "brush",
                "strokes": [
                    {"points": [3000, 4000, 6000, 500, 3000, -800], "radius": 0.04, "edges": 60},
                    {"points": [8000, 8000, 3000, 500], "radius": 0.05, "flow": 40, "hardness": 10, "feather": 50},
                ],
                "soften": 0.3,
            }
        ],
        "bends": {"exposure.ev": 0.8, "tone.contrast": 1.2},
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
    "stars": {"stars": {"contrast": 0.5}},
    "fringes": {"rims": {"purple": 80, "green": 80, "radius": 6.0}},
    "sharpness for viewing": {"sharpness": {"amount": 120, "radius": 1.5}},
    "glow": {"glow": {"amount": 60, "threshold": -1}},
    "stars and rays": {"star_glow": {"amount": 60, "between": 0.3}},
    "soft focus": {"soft": {"amount": 60}},
    "vignette": {"vignette": {"amount": -1.5, "inside": 0.3}},
    "painted glow": {"painted_glow": {"strokes": [{"points": [4000, 4000, 3000, 0], "radius": 0.05}]}},
    "mist": {"mist": {"amount": 60}},
    "motion": {"motion": {"amount": 80, "length": 1.0}},
    "grain": {"grain": {"amount": 40}},
    "haze": {"haze": {"amount": 60}},
    "contrast": {"tone": {"contrast": 1.5, "toe": 30, "shoulder": 40}},
    "curve": {"curve": {"points": [{"at": -6, "to": -5}, {"at": -2, "to": -1.8}]}},
    "curve as film": {"curve": {"points": [{"at": -4, "to": -4.5}], "colour": "film", "red": [{"at": -3, "to": -2.8}]}},
    "saturation": {"saturation": {"saturation": 1.5}},
    "vibrance": {"saturation": {"vibrance": 80, "hue": 8}},
    "hues": {
        "hues": {
            "ranges": [
                {"name": "Lamps", "hue": 70, "width": 30, "shift": -20, "saturation": 0.7, "lightness": 0.4},
                {"name": "Blue hour", "hue": 275, "width": 40, "shift": -12, "saturation": 1.4, "lightness": -0.5},
            ]
        }
    },
    "tints": {
        "tints": {
            "points": [
                {"name": "Shadows", "stop": -6.5, "hue": 250, "amount": 5},
                {"name": "Highlights", "stop": -1, "hue": 70, "amount": 4, "lightness": 0.3},
            ],
            "balance": 0.5,
        }
    },
    "balance by tone": {"tones": {"shadows_blue": 0.3, "highlights_red": 0.2}},
    "inks": {"inks": {"blue_magenta": -0.4, "black_black": 0.3, "neutral_yellow": 0.15}},
    "primaries": {"primaries": {"red_hue": 8, "blue_saturation": 1.2}},
    "cast": {"cast": {"red": 0.3, "blue": -0.4, "low": -8, "high": -2}},
    "channels": {"channels": {"exchange": True, "red_green": 20}},
    "monochrome": {"monochrome": {"amount": 80, "blue": -0.8, "orange": 0.5}},
    "sky": {"sky": {"strength": 1.0, "turn": 20}},
    "off water": {"sky": {"reflections": 80}},
    "wash": {"wash": {"amount": 40, "hue": 70}},
    "wider sharpening": {"sharpening": {"wide": 80, "wide_radius": 10.0}},
    "relief of colour by scale": {"relief": {"colour_fine": 1.5, "colour_broad": 1.5}},
    "contrast by parts": {"tone": {"contrast": 1.1, "darks": 1.3, "lights": 0.8}},
    "faint colour": {"faint": {"gain": 3.0}},
    "ends": {"ends": {"white": 1.0, "black": -8.0}},
    "lens": {"lens": {"distortion": -4.0, "red": 0.8, "blue": -0.6, "falloff": 1.0}},
    "turn": {"turn": {"quarters": "1", "mirror": True}},
    "level": {"level": {"angle": 2.7}},
    "perspective": {"perspective": {"vertical": 6.0, "horizontal": -3.0}},
    "crop": {"crop": {"ratio": "free", "centre": [0.45, 0.3], "width": 0.8, "height": 0.5}},
    "softness": {"sharpening": {"softness": 60, "soft_radius": 12.0}},
    "tones by dials": {"curve": {"dark": 0.5, "light": -0.4}},
    "areas that look": {"areas": LOOKING},
    "areas": {"areas": AREAS},
}
IN_USE["all together"] = {name: section for steps in IN_USE.values() for name, section in steps.items()} | {
    "relief": {"fine": 1.5, "medium": 1.2, "broad": 1.3, "colour": 1.3}
}
