"""What a treatment knows of the presets that were put on it: each can be turned down, and taken off again."""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from crenn.core.areas.part import Id

#: A place of a document: a step and one of its parameters.
Path = Annotated[list[Annotated[str, Field(min_length=1, max_length=60)]], Field(min_length=2, max_length=2)]


class AppliedValue(BaseModel):
    """One value that a preset has set."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    path: Path
    before: Any = Field(None, description="what it was; null where it was automatic")
    start: float | None = Field(None, description="the number that it went from; null for what is no number")
    full: Any = Field(None, description="what it is at 100 %")


class AppliedPreset(BaseModel):
    """A preset that was put on."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    id: Id = Field(min_length=1)
    name: str = Field(min_length=1, max_length=60)
    strength: float = Field(100.0, ge=0, le=150, description="in %")
    values: list[AppliedValue] = Field(default_factory=list, max_length=400)
    areas: list[Id] = Field(default_factory=list, max_length=100, description="ids of the areas that it brought")
