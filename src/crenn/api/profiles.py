"""ICC profiles of printers, papers and screens, for soft proofs and delivered files."""

from fastapi import APIRouter, Depends, UploadFile
from pydantic import BaseModel, Field

from crenn.api.context import Settings, settings
from crenn.api.schemas import Body
from crenn.core.colorimetry.profiles import LARGEST, read_profile
from crenn.core.deliver.proof import ProfileName
from crenn.core.errors import CrennError
from crenn.core.frames.metadata import plain_text
from crenn.store.profiles import forget_profile, keep_profile, kept_profiles

router = APIRouter(prefix="/api", tags=["profiles"])
_LONGEST = 60


class ProfileOut(BaseModel):
    """A kept profile."""

    name: str
    space: str = Field(description="RGB, CMYK or GRAY")


class ProfileNameIn(Body):
    """A name of a profile."""

    name: ProfileName


def _all(config: Settings) -> list[ProfileOut]:
    with config.database.session() as session:
        return [ProfileOut(name=name, space=space) for name, space in kept_profiles(session)]


@router.get("/profiles")
def profiles(config: Settings = Depends(settings)) -> list[ProfileOut]:
    """Profiles that are kept here."""
    return _all(config)


@router.post("/profiles")
def bring_profile(file: UploadFile, config: Settings = Depends(settings)) -> list[ProfileOut]:
    """Keep a profile, by what it calls itself."""
    name = plain_text(file.filename or "profile", 200)
    data = file.file.read(LARGEST + 1)
    if len(data) > LARGEST:
        raise CrennError("is too large for an ICC profile.", name, "Choose another file.")
    profile = read_profile(data, name)
    with config.database.session() as session:
        keep_profile(session, plain_text(profile.title, _LONGEST), profile)
        session.commit()
    return _all(config)


@router.post("/profiles/forget")
def forget_kept_profile(body: ProfileNameIn, config: Settings = Depends(settings)) -> list[ProfileOut]:
    """Forget a profile."""
    with config.database.session() as session:
        forget_profile(session, body.name)
        session.commit()
    return _all(config)
