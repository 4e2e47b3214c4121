"""The treatment: everything done to a scene, as an open JSON document.

The document names a step only where it departs from the default; a missing step, or a missing parameter, has its
default, and a parameter that is null is automatic. Version 1.
"""

import json
from pathlib import Path
from typing import Literal

from pydantic import ConfigDict, Field, ValidationError

from crenn.core.document import Document
from crenn.core.errors import InvalidTreatment
from crenn.core.light.ends import ENDS, EndsParameters
from crenn.core.light.exposure import EXPOSURE, ExposureParameters
from crenn.core.light.placement import PLACEMENT, PlacementParameters
from crenn.core.light.tone import TONE, ToneParameters
from crenn.core.light.white_balance import WHITE_BALANCE, WhiteBalanceParameters
from crenn.core.steps import Step

#: Steps in the order in which they act. Those before ``SCENE_LINEAR_END`` leave light unbounded.
STEPS: tuple[Step, ...] = (EXPOSURE, WHITE_BALANCE, PLACEMENT, TONE, ENDS)
#: Steps that belong to the display transform and are left out of scene-linear masters.
DISPLAY_STEPS = frozenset({"ends"})


class Treatment(Document):
    """The treatment document, version 1."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)

    format: Literal["crenn-treatment"] = "crenn-treatment"
    version: Literal[1] = 1
    exposure: ExposureParameters = Field(default_factory=ExposureParameters)
    white_balance: WhiteBalanceParameters = Field(default_factory=WhiteBalanceParameters)
    placement: PlacementParameters = Field(default_factory=PlacementParameters)
    tone: ToneParameters = Field(default_factory=ToneParameters)
    ends: EndsParameters = Field(default_factory=EndsParameters)

    @classmethod
    def neutral(cls) -> "Treatment":
        """The treatment that changes nothing."""
        return cls.model_validate({step.name: {"on": False} for step in STEPS})

    @classmethod
    def untreated(cls) -> "Treatment":
        """The start to compare with: brightened as a camera would, and nothing else."""
        return cls.model_validate({"placement": {"on": False}, "tone": {"on": False}, "ends": {"on": False}})


def parse_treatment(document, path=None) -> Treatment:
    """Check a treatment document.

    Parameters
    ----------
    document : dict
    path : path-like, optional
        Named in the message.

    Raises
    ------
    InvalidTreatment
        Naming the first unknown or out-of-range value.
    """
    if not isinstance(document, dict):
        raise InvalidTreatment("is no treatment: it should be a JSON object.", path)
    try:
        return Treatment.model_validate(document)
    except ValidationError as fault:
        first = fault.errors()[0]
        where = ".".join(str(part) for part in first["loc"])[:120]
        if first["type"] == "extra_forbidden":
            text = f"has an unknown value “{where}”."
        else:
            text = f"has a value that cannot be used at “{where}”: {first['msg']} (it is {repr(first['input'])[:60]})."
        raise InvalidTreatment(text, path, "Correct it, or take it out for the default.") from None


def read_treatment(path: Path) -> Treatment:
    """Read a treatment from a JSON file.

    Raises
    ------
    InvalidTreatment
        If the file is missing, no JSON, or no valid treatment.
    """
    try:
        document = json.loads(Path(path).read_text("utf-8"))
    except OSError as fault:
        raise InvalidTreatment(f"cannot be read: {fault.strerror}.", path) from None
    except ValueError:
        raise InvalidTreatment("is no JSON.", path, "A treatment is a JSON document.") from None
    return parse_treatment(document, path)
