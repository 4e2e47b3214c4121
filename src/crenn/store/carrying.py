"""One scene's treatment carried over to others: a change in each one's history."""

from collections.abc import Mapping, Sequence

from sqlalchemy.orm import Session

from crenn.core.area_presets import sides_of
from crenn.core.carrying import AreasCarried, carried
from crenn.core.errors import CrennError
from crenn.core.treatment import Treatment
from crenn.store.models import Scene
from crenn.store.treatments import change_treatment, current_treatment, locked


def carry_over(
    session: Session,
    source: Scene,
    treatment: Treatment,
    targets: Sequence[int],
    steps: Sequence[str],
    areas: AreasCarried,
    tied: Mapping[str, float] | None,
) -> list[tuple[str, str | None]]:
    """Carry steps and areas of a treatment of a scene over to others.

    Returns
    -------
    list of (str, str or None)
        Of each scene its title, and why nothing was carried to it; None if all was.

    Raises
    ------
    Missing
        If a scene is no longer there.
    """
    out: list[tuple[str, str | None]] = []
    # In one order, so that two who carry to the same scenes do not wait for each other for ever.
    for number in sorted({*targets} - {source.id}):
        scene = locked(session, number)
        try:
            before = current_treatment(session, scene)
            after = carried(treatment, before, steps, areas, tied, (_sides(source), _sides(scene)))
            change_treatment(
                session, number, after.model_dump(mode="json"), scene.take.revision_id or 0, f"From {source.title}"
            )
        except CrennError as fault:
            out.append((scene.title, str(fault)))
        else:
            out.append((scene.title, None))
    return out


def _sides(scene: Scene) -> tuple[float, float]:
    report = scene.report or {"width": 3, "height": 2}
    return sides_of(report["width"], report["height"])
