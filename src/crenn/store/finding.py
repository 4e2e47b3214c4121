"""Finds scenes in the library, a page at a time: by words, marks of choice, and in the bin or not."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Select, and_, case, func, or_, select
from sqlalchemy.orm import Session, defer, selectinload
from sqlalchemy.sql.base import ReadOnlyColumnCollection

from crenn.store.models import Frame, Scene, Shoot

#: So many words are heeded; more would not make a search narrower.
_MOST_WORDS = 12


@dataclass(frozen=True)
class Sought:
    """What scenes must be like.

    Attributes
    ----------
    words : str
        Each of them must stand somewhere in what is told of a scene: its title, its shoot's name, the name of a file,
        camera, lens, ``2026-10-17 18:00``, ``ISO 400``, ``12.3 stops``, ``merged`` or ``not merged``.
    choice : int
        Marks of choice that it has at least.
    binned : bool or None
        Whether it lies in the bin; either where None.
    """

    words: str = ""
    choice: int = 0
    binned: bool | None = None

    @property
    def anything(self) -> bool:
        """Whether any scene out of the bin will do; then shoots without scenes are seen, too."""
        return not self.words.split() and self.choice == 0 and not self.binned

    def query(self) -> Select[int, int | None]:
        """For the numbers of shoots and of their scenes that are like it, the newest shoot first."""
        stops = func.to_char(Scene.high_stop - Scene.low_stop, "FM9990.0").op("||")(" stops")
        merged = case((Scene.prepared.is_(None), "not merged"), else_="merged")
        told = func.lower(func.concat_ws(" ", Scene.title, Shoot.name, stops, merged))
        wanted = [Scene.frames.any(), Scene.choice >= self.choice]
        if self.binned is not None:
            wanted.append(Scene.binned == self.binned)
        scenes = (
            select(Scene.id, Scene.shoot_id, told.label("told"))
            .join(Shoot)
            .where(*wanted)
            .cte()
            .prefix_with("MATERIALIZED")
        )
        holds = [_holds(scenes.c, word) for word in self.words.lower().split()[:_MOST_WORDS]]
        return (
            select(Shoot.id, scenes.c.id)
            .join(scenes, and_(scenes.c.shoot_id == Shoot.id, *holds), isouter=self.anything)
            .order_by(Shoot.id.desc(), scenes.c.id)
        )


def _holds(scene: ReadOnlyColumnCollection, word: str) -> ColumnElement[bool]:
    of_frames = select(Frame.scene_id).where(Frame.words.contains(word, autoescape=True))
    return or_(scene.told.contains(word, autoescape=True), scene.id.in_(of_frames))


@dataclass(frozen=True)
class FoundShoot:
    """A shoot with those of its scenes that are on a page, and how many were found of it in all."""

    shoot: Shoot
    scenes: list[Scene]
    count: int


def find_scenes(session: Session, sought: Sought, start: int, most: int) -> tuple[list[FoundShoot], int | None]:
    """A page of what is in the library, the newest shoot first, and where the next page starts if there is one.

    Reports are not loaded: a scene's row tells what a sheet shows.
    """
    # The numbers of all that is found are few bytes, and tell how many there are of each shoot as well.
    rows = session.execute(sought.query()).all()
    counts = Counter(shoot for shoot, scene in rows if scene)
    page, after = rows[start : start + most], start + most if len(rows) > start + most else None
    return _loaded(session, [shoot for shoot, _ in page], [scene for _, scene in page if scene], counts), after


def scenes_of(session: Session, shoot_id: int) -> FoundShoot | None:
    """A shoot with all its scenes, those in the bin as well; None if there is no such shoot."""
    ids = session.scalars(select(Scene.id).where(Scene.shoot_id == shoot_id, Scene.frames.any())).all()
    return next(iter(_loaded(session, [shoot_id], list(ids), {shoot_id: len(ids)})), None)


def _loaded(session: Session, shoots: list[int], scenes: list[int], counts: Mapping[int, int]) -> list[FoundShoot]:
    by_shoot: dict[int, list[Scene]] = {}
    for scene in session.scalars(
        select(Scene)
        .where(Scene.id.in_(scenes))
        .order_by(Scene.id)
        .options(selectinload(Scene.frames), selectinload(Scene.take), defer(Scene.report))
    ):
        by_shoot.setdefault(scene.shoot_id, []).append(scene)
    found = session.scalars(
        select(Shoot).where(Shoot.id.in_(shoots)).order_by(Shoot.id.desc()).options(selectinload(Shoot.refusals))
    )
    return [FoundShoot(s, by_shoot.get(s.id, []), counts.get(s.id, 0)) for s in found]
