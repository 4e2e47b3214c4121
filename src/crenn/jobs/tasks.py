"""What the queue does: bring frames in, merge, show one alone, deliver, and let the simulated camera shoot; see also
`crenn.jobs.series`."""

import shutil
from collections.abc import Sequence
from pathlib import Path

from crenn.camera.dawn import shoot_dawn
from crenn.camera.flaws import Flaws
from crenn.camera.sensor import Sensor
from crenn.camera.shoot import SHIPPED_SIZE, Bracket, scene_named, shoot
from crenn.core.basis import basis_of, carried_over
from crenn.core.deliver.files import deliver, deliver_mask
from crenn.core.deliver.metadata import CaptureMetadata
from crenn.core.deliver.output import Output
from crenn.core.errors import CrennError
from crenn.core.frames.camera_noise import fit_camera_noise
from crenn.core.frames.raw import RawFrame
from crenn.core.frames.read import frame_metadata, read_frame
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from crenn.core.render.alone import camera_alone, frame_alone
from crenn.core.render.excerpt import sheet_picture
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.report.merging import MergeReport
from crenn.jobs.importing import bring_in
from crenn.jobs.queue import add_job
from crenn.jobs.running import RunningJob
from crenn.jobs.series import make_film, treat_series
from crenn.store.camera_noise import keep_models, kept_models
from crenn.store.library import prepared_name
from crenn.store.models import Revision, Scene
from crenn.store.profiles import profile_named
from crenn.store.treatments import current_treatment, treatment_of

#: So many frames tell a camera's noise well.
_FITTED_ON = 12


def merge(job: RunningJob) -> None:
    """Merge a scene's frames; the old result stays until the new one is whole."""
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None:
            raise CrennError("This scene is no longer in the library.")
        frames = [f for f in scene.frames if f.included]
        if not frames:
            raise CrennError("All frames of this scene are left out.", remedy="Take at least one in again.")
        instructions = Instructions.model_validate(scene.instructions)
        names = unique_names(frames)
        instructions.seconds |= {n: f.seconds for n, f in zip(names, frames) if f.time_typed and f.seconds}
        if instructions.reference not in names:
            instructions.reference = None
        paths = [job.library.original(f.content_hash, f.ending) for f in frames]
        kinds = [f.kind if f.kind_chosen else None for f in frames]
        hashes = [f.content_hash for f in frames]
        models = kept_models(session)
    radiance = merge_frames(
        paths,
        progress=job.progress.part(0.0, 0.92),
        names=names,
        instructions=instructions,
        kinds=kinds,
        models=models,
        keys=hashes,
    )
    job.progress.at(0.92, "Preparing views")
    prepared = PreparedScene.from_radiance(radiance)
    folder = prepared_name(job.of_scene, job.id)
    prepared.save(job.library.scene(folder))
    job.library.share("scenes", folder)
    job.progress.at(0.97, "Preparing views")
    with job.database.session() as session:
        scene = session.get_one(Scene, job.scene_id)
        _carry_maps(scene.report, radiance.report)
        treatment, revision = current_treatment(session, scene), scene.take.revision_id or 0
    treatment = treatment.in_basis(*basis_of(radiance.report))
    picture = job.library.keep_scene_picture(folder, revision, sheet_picture(Renderer(prepared), treatment))
    job.library.share("pictures", picture.name)
    replaced: list[str | None] = []

    def take(session) -> None:
        scene = session.get_one(Scene, job.scene_id, with_for_update=True)
        replaced[:] = [scene.prepared]
        scene.prepared, scene.report, scene.fault = folder, radiance.report, None
        add_job(session, "noise", job.of_scene)
        job.done(session=session)

    # Minutes of work wait for a database that is away.
    job.store(take)
    for old in replaced:
        if old and old != folder:
            shutil.rmtree(job.library.scene(old), ignore_errors=True)


def _carry_maps(before: dict | None, after: dict) -> None:
    """Let a new merge's report tell of frames that it did not have, as far as the one before tells, in place."""
    (one, old), (other, new) = basis_of(before), basis_of(after)
    if one is not None and other is not None:
        after["maps"] = carried_over(one, old, other, new)


def split_noise(job: RunningJob) -> None:
    """Split the noise off a merged scene."""
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None or not scene.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        folder = scene.prepared
    prepared = job.library.open_scene(folder)
    if prepared.noise is None:
        prepared.split_noise(job.progress)
        job.library.share("noise", folder)
    job.done()


def fit_noise(job: RunningJob) -> None:
    """Fit the noise of a scene's camera on its frames, and keep it for that camera."""
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None:
            raise CrennError("This scene is no longer in the library.")
        frames = [f for f in scene.frames if f.included and f.kind == "light"]
        named = [(job.library.original(f.content_hash, f.ending), n) for n, f in zip(unique_names(frames), frames)]
    if not named:
        raise CrennError("All frames of this scene are left out.", remedy="Take at least one in again.")
    read: list[RawFrame] = []
    for number, (path, name) in enumerate(named[:_FITTED_ON]):
        job.progress.at(number / len(named[:_FITTED_ON]), f"Reading {name}")
        read.append(read_frame(path, name))
    job.progress.at(0.9, "Fitting the noise")
    models = fit_camera_noise(read, job.options.get("boxes") or ())
    with job.database.session() as session:
        keep_models(session, models)
        job.done({"models": [model.model_dump(mode="json") for model in models]}, session)
        session.commit()


def unique_names(frames) -> list[str]:
    """Names of a scene's frames; a second one of the same name is numbered."""
    out: list[str] = []
    for frame in frames:
        name, number = frame.name, 2
        while name in out:
            name, number = f"{frame.name} ({number})", number + 1
        out.append(name)
    return out


def shoot_scene(job: RunningJob) -> None:
    """Let the simulated camera shoot a scene, and bring the frames in."""
    options = job.options
    scene = scene_named(options["scene"])
    bracket = Bracket.chosen(
        scene, options["frames"], options["step"], options["iso"], options["shake"], options["shift"], job.id
    )
    folder = job.library.incoming_of_camera(job.id)
    shutil.rmtree(folder, ignore_errors=True)
    sensor = Sensor(flaws=Flaws.some(options.get("flaws", 0.0), options.get("flaws_only", ())))
    taken: Sequence[Path]
    if (times := options.get("times", 1)) > 1:
        about = {"interval": options["every"], "rise": options["rise"], "bracket": bracket, "seed": job.id}
        taken = shoot_dawn(options["scene"], folder, times, sensor=sensor, progress=job.progress, **about)
    else:
        shot = shoot(
            options["scene"], folder, SHIPPED_SIZE, job.id, sensor, progress=job.progress, truth=False, bracket=bracket
        )
        taken = shot.frames + shot.darks
    # Named after the job: a second shoot of the same scene must not look like the first.
    files = [p.rename(p.with_name(p.name.replace(options["scene"], f"{options['scene']}-{job.id}"))) for p in taken]
    with job.database.session() as session:
        bringing = add_job(
            session,
            "import",
            shoot_id=job.shoot_id,
            options={"files": [f.name for f in files], "upload": folder.name, "title": options["title"]},
        )
        job.done({"import": bringing.id}, session)
        session.commit()


def deliver_scene(job: RunningJob) -> None:
    """Render a scene at full quality into a file to download."""
    options = job.options
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        if scene is None or not scene.prepared:
            raise CrennError("This scene has not been merged yet.", remedy="Merge it first.")
        treatment = treatment_of(session, session.get_one(Revision, options["revision"]), scene)
        reference = MergeReport.model_validate(scene.report).reference_name
        frame = next((f for n, f in zip(unique_names(scene.frames), scene.frames) if n == reference), None)
        original = job.library.original(frame.content_hash, frame.ending) if frame else None
        folder, title = scene.prepared, scene.title
        about: dict[str, str | int | None] = {"title": title, "shoot": scene.shoot.name, "number": scene.id}
        about |= {name: options.get(name) for name in ("set", "take")} | {"place": f"{options.get('place', 1):05d}"}
    if (wanted := options.get("mask")) is not None:
        area = treatment.area(wanted)
        if area is None:
            raise CrennError("This area is no longer there.", remedy="Choose another.")
        path = job.library.delivery(job.id, "png")
        deliver_mask(Renderer(job.library.open_scene(folder)), treatment, area, path, job.progress)
        job.library.share("deliveries", path.name)
        name = f"{title}, {area.name}.png".replace("/", "-")
        job.done({"format": "png", "bytes": path.stat().st_size, "name": name})
        return
    output, profile = Output.model_validate(options["output"]), None
    if output.profile is not None:
        with job.database.session() as session:
            profile = profile_named(session, output.profile)
    metadata = CaptureMetadata()
    if original is not None and original.exists():
        metadata = CaptureMetadata.of(frame_metadata(original))
    prepared = job.library.open_scene(folder)
    rendering = job.progress
    if prepared.noise is None and treatment.takes_noise:
        prepared.split_noise(job.progress.part(0.0, 0.8))
        job.library.share("noise", folder)
        rendering = job.progress.part(0.8, 1.0)
    path = job.library.delivery(job.id, output.format)
    found = deliver(Renderer(prepared), treatment, path, output, metadata, rendering, profile)
    job.library.share("deliveries", path.name)
    width, height = found.size
    told = {"format": output.format, "width": width, "height": height, "quality": found.quality}
    job.done(told | {"bytes": path.stat().st_size, "name": found.named(output, about)})


def show_alone(job: RunningJob) -> None:
    """Prepare one frame of a scene by itself, or what its camera made of it, to be compared with the scene."""
    with job.database.session() as session:
        scene = session.get(Scene, job.scene_id)
        frame = None if scene is None else next((f for f in scene.frames if f.id == job.options["frame"]), None)
        if scene is None or frame is None or not scene.prepared:
            raise CrennError("This frame is no longer in a merged scene.", remedy="Choose another.")
        key, path, folder = frame.content_hash, job.library.original(frame.content_hash, frame.ending), scene.prepared
    merged = job.library.open_scene(folder)
    job.progress.at(0.05, f"Developing {frame.name}")
    treatment = None
    if job.options["camera"]:
        radiance, treatment = camera_alone(merged, key, path)
    else:
        radiance = frame_alone(merged, key)
    job.progress.at(0.8, "Preparing views")
    name = prepared_name(job.of_scene, job.id)
    PreparedScene.from_radiance(radiance).save(job.library.scene(name))
    job.library.share("scenes", name)
    document = None if treatment is None else treatment.model_dump(mode="json")
    job.done({"prepared": name, "merged": folder, "treatment": document})


TASKS = {
    "alone": show_alone,
    "import": bring_in,
    "merge": merge,
    "deliver": deliver_scene,
    "shoot": shoot_scene,
    "noise": split_noise,
    "fit": fit_noise,
    "series": treat_series,
    "film": make_film,
}
