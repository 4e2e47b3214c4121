"""ICC profiles in the database, by names of the user's."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from crenn.core.colorimetry.profiles import IccProfile
from crenn.core.deliver.spaces import SPACES
from crenn.core.errors import CrennError, Missing
from crenn.store.by_name import forget_by_name, row_by_name
from crenn.store.models import ProfileRow

#: So many profiles are kept.
MOST = 100


def kept_profiles(session: Session) -> list[tuple[str, str]]:
    """Names of kept profiles, and their devices' colour spaces."""
    found = session.execute(select(ProfileRow.name, ProfileRow.space).order_by(ProfileRow.name))
    return [(name, space) for name, space in found]


def keep_profile(session: Session, name: str, profile: IccProfile) -> None:
    """Keep a profile, in place of one of its name.

    Raises
    ------
    CrennError
        If there are too many, or a space of delivered files has that name.
    """
    if name in SPACES or name in (space.title for space in SPACES.values()):
        raise CrennError(f"“{name}” is the name of a space.", remedy="Give it another one.")
    row = row_by_name(session, ProfileRow, name, MOST, "profiles")
    row.space, row.data = profile.space, profile.data
    session.flush()


def forget_profile(session: Session, name: str) -> None:
    """Forget a profile; `Missing` if there is none of that name."""
    forget_by_name(session, ProfileRow, name, "profile")


def profile_named(session: Session, name: str) -> IccProfile:
    """A kept profile, or that of a space of delivered files.

    Raises
    ------
    Missing
        If there is none of that name.
    """
    if (space := SPACES.get(name)) is not None:
        return IccProfile(space.title, "RGB", space.profile)
    row = session.execute(select(ProfileRow).where(ProfileRow.name == name)).scalar_one_or_none()
    if row is None:
        raise Missing(f"No profile “{name}” is kept.", remedy="Bring it in, or choose another.")
    return IccProfile(row.name, row.space, row.data)
