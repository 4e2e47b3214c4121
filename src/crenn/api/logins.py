"""Who has signed in: a key for each browser, which ends by itself, or when its holder signs out."""

import hashlib
import secrets
import threading
import time
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete
from sqlalchemy.exc import SQLAlchemyError

from crenn.store.database import Database
from crenn.store.models import Login

#: How long a key holds, and how long what the database said of one is believed, in seconds.
LASTS, _BELIEVED = 30 * 86400, 30.0
#: Keys that are remembered.
_MOST = 10_000


def _digest(key: str) -> str:
    return hashlib.sha256(key.encode("utf-8", "replace")).hexdigest()


class Logins:
    """Keys of those who signed in; the database holds their digests.

    Parameters
    ----------
    database : Database
    """

    def __init__(self, database: Database):
        self._database = database
        self._lock = threading.Lock()
        #: By digest, when a key ends, and when that was looked up, both in seconds of the clock.
        self._seen: dict[str, tuple[float, float]] = {}

    def begin(self) -> str:
        """A new key for somebody who knew the secret."""
        key, now = secrets.token_urlsafe(32), datetime.now(UTC)
        with self._database.session() as session:
            session.execute(delete(Login).where(Login.expires < now))
            session.add(Login(key=_digest(key), created=now, expires=now + timedelta(seconds=LASTS)))
            session.commit()
        self._note(_digest(key), now.timestamp() + LASTS)
        return key

    def end(self, key: str) -> None:
        """Let a key hold no longer."""
        with self._database.session() as session:
            session.execute(delete(Login).where(Login.key == _digest(key)))
            session.commit()
        self._note(_digest(key), 0.0)

    def remembered(self, key: str) -> bool | None:
        """Whether a key holds, as far as it is remembered; None if the database must be asked."""
        with self._lock:
            ends, looked = self._seen.get(_digest(key), (0.0, -_BELIEVED))
        if ends and ends < time.time():
            return False
        return ends > 0 if time.monotonic() - looked < _BELIEVED else None

    def holds(self, key: str) -> bool:
        """Whether a key holds. While the database is away, what was known of it last does."""
        if (known := self.remembered(key)) is not None:
            return known
        digest = _digest(key)
        try:
            with self._database.session() as session:
                found = session.get(Login, digest)
                self._note(digest, 0.0 if found is None else found.expires.timestamp())
        except SQLAlchemyError:
            pass
        with self._lock:
            return self._seen.get(digest, (0.0, 0.0))[0] > time.time()

    def _note(self, digest: str, ends: float) -> None:
        with self._lock:
            if len(self._seen) >= _MOST:
                self._seen.clear()
            self._seen[digest] = ends, time.monotonic()
