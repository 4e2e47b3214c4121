"""The Tarrowick demo: shot once by the simulated camera and brought in."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from sqlalchemy import select

from crenn.camera.scenes import SCENES
from crenn.camera.shoot import SHIPPED_SIZE, scene_named, shoot
from crenn.core.area_presets import AreasDocument
from crenn.core.treatment import read_treatment
from crenn.jobs.queue import defer
from crenn.store.area_presets import keep_preset
from crenn.store.database import Database
from crenn.store.models import Job, Shoot

_NAME = "Tarrowick"
#: Treatments of finished pictures, by the scene's name.
_FINISHED = Path(__file__).parent / "camera" / "finished"
#: Shot with the wide zoom, whose faults the lens database knows.
_WIDE = ("kiln-yard",)


def finished_document(name: str) -> dict[str, Any]:
    """The treatment of a finished picture of a Tarrowick scene."""
    return dict(json.loads((_FINISHED / f"{name}.json").read_text("utf-8")))


def finished() -> dict[str, AreasDocument]:
    """The areas of finished pictures of the Tarrowick scenes, by what they are kept as."""
    out = {}
    for name in SCENES:
        treatment = read_treatment(_FINISHED / f"{name}.json")
        title = f"{scene_named(name).title.split(',')[0]}, finished"
        out[title] = AreasDocument(areas=treatment.areas)
    return out


def load_demo(database: Database, folder: Path, after_first: Callable[[], None] = lambda: None) -> None:
    """Shoot the Tarrowick scenes into a folder and queue their import; once a library.

    Parameters
    ----------
    database : Database
    folder : Path
    after_first : callable
        Called once the first is shot; it may wait, for what is to come before the others.

    Raises
    ------
    CrennError
        If the folder cannot be written to.
    """
    with database.session() as session:
        row = session.execute(select(Shoot).order_by(Shoot.id).limit(1)).scalar_one_or_none()
        if row is None:
            row = Shoot(name=_NAME)
            session.add(row)
            session.commit()
        elif row.name != _NAME:
            return
        jobs = session.execute(select(Job).where(Job.shoot_id == row.id)).scalars()
        # What an earlier start did not get to is done now.
        queued = {j.options.get("title") for j in jobs}
        if not queued:
            for title, document in finished().items():
                keep_preset(session, title, document)
            session.commit()
    folder.mkdir(exist_ok=True)
    for name in SCENES:
        scene = scene_named(name)
        if scene.title in queued:
            continue
        print(f"crenn: shooting {scene.title}", flush=True)
        shot = shoot(name, folder / name, SHIPPED_SIZE, truth=False, faulty=name in _WIDE)
        defer(
            database,
            "import",
            shoot_id=row.id,
            options={"files": [str(f) for f in shot.frames + shot.darks], "title": scene.title},
        )
        after_first()
