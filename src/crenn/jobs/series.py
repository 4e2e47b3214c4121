"""What the queue does with a series: look at its light, treat all of it by its key scenes, and make a film of it."""

from crenn.core.deliver.naming import named
from crenn.core.errors import CrennError, Missing
from crenn.core.render.excerpt import sheet_picture
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.series.film import Film
from crenn.core.series.treating import SeriesLight, write_film
from crenn.core.treatment import Treatment
from crenn.jobs.running import RunningJob
from crenn.store.models import Scene, Shoot
from crenn.store.series import TREATED
from crenn.store.treatments import StaleRevision, change_treatment, current_treatment

#: How often a scene's treatment is changed again that somebody else changed meanwhile.
_TRIES = 3


def treat_series(job: RunningJob) -> None:
    """Look at the light of a series and, if that is asked for, carry its keys' treatments along it.

    Each scene gets a change in its history, which can be undone there.
    """
    scenes, times = job.options["scenes"], job.options["times"]
    folders, keys = [], {}
    with job.database.session() as session:
        for place, number in enumerate(scenes):
            scene = session.get(Scene, number)
            if scene is None or not scene.prepared:
                raise CrennError(
                    f"Scene {place + 1} of the series has not been merged.", remedy="Merge it, or put it into the bin."
                )
            folders.append(scene.prepared)
            if scene.series_key:
                keys[place] = current_treatment(session, scene)
    opened = (job.library.open_scene(folder) for folder in folders)
    light = SeriesLight.of(opened, times, job.progress.part(0, 0.3 if job.options["treat"] else 1.0))
    if job.options["treat"]:
        treatments = light.treatments(keys)
        rendering = job.progress.part(0.3, 1.0)
        for place, (number, folder) in enumerate(zip(scenes, folders)):
            rendering.at(place / len(scenes), f"Treating scene {place + 1} of {len(scenes)}")
            _treat(job, number, folder, treatments[place])
    found = {"curve": light.curve.round(4).tolist(), "smooth": light.smooth.round(4).tolist()}
    job.done({"scenes": scenes} | found)


def _treat(job: RunningJob, number: int, folder: str, treatment: Treatment) -> None:
    """Store a scene's treatment as a change of its own, and its small picture."""
    document = treatment.model_dump(mode="json")
    for attempt in range(_TRIES):
        with job.database.session() as session:
            scene = session.get(Scene, number)
            if scene is None:
                raise Missing("A scene of this series is no longer in the library.")
            try:
                change_treatment(session, number, document, scene.take.revision_id or 0, TREATED)
            except StaleRevision:
                if attempt + 1 == _TRIES:
                    raise
                continue
            session.commit()
            kept, revision = current_treatment(session, scene), scene.take.revision_id or 0
        break
    picture = sheet_picture(Renderer(job.library.open_scene(folder)), kept)
    job.library.keep_scene_picture(folder, revision, picture)


def make_film(job: RunningJob) -> None:
    """Render a series, as its scenes are treated now, into a film."""
    film, scenes = Film.model_validate(job.options["film"]), job.options["scenes"]

    def at(place: int) -> tuple[PreparedScene, Treatment]:
        with job.database.session() as session:
            scene = session.get(Scene, scenes[place])
            if scene is None or not scene.prepared:
                raise CrennError(f"Scene {place + 1} of the series has not been merged.", remedy="Merge it first.")
            treatment, folder = current_treatment(session, scene), scene.prepared
        prepared = job.library.open_scene(folder)
        if prepared.noise is None and treatment.takes_noise:
            prepared.split_noise()
        return prepared, treatment

    path = job.library.delivery(job.id, film.ending)
    count = write_film(path, film, len(scenes), at, job.progress)
    with job.database.session() as session:
        shoot = session.get(Shoot, job.shoot_id)
        name = named("{title}", {"title": shoot.name if shoot else "Series"}, film.ending)
    told = {"format": film.ending, "name": name, "pictures": count, "seconds": count / film.rate}
    job.done(told | {"bytes": path.stat().st_size})
