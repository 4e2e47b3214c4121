"""`crenn bench`: measures what docs/bench.md describes."""

import json

from crenn.bench import (
    align,
    areas,
    clipped,
    colour,
    contract,
    detail,
    enlarge,
    finish,
    full_colour,
    geometry,
    ghosts,
    hdr,
    kept,
    lens,
    library,
    memory,
    mend,
    merge,
    noise,
    scale,
    series,
    sites,
    speed,
    stack,
    start,
    tone,
    waiting,
    workers,
)
from crenn.core.errors import CrennError

SUBJECTS = {
    "merge": merge.bench,
    "align": align.bench,
    "clipped": clipped.bench,
    "sites": sites.bench,
    "full-colour": full_colour.bench,
    "ghosts": ghosts.bench,
    "stack": stack.bench,
    "stack-speed": lambda: [stack.speed()],
    "moved-detail": lambda: [detail.moved()],
    "stars": lambda: [detail.stars()],
    "tone": tone.bench,
    "start": start.bench,
    "speed": lambda: [speed.interactive(), speed.rest(), *waiting.bench()],
    "scale": scale.bench,
    "colour": colour.bench,
    "areas": areas.bench,
    "areas-cost": areas.cost,
    "geometry": geometry.bench,
    "lens": lens.bench,
    "memory": memory.bench,
    "mend": mend.bench,
    "finish": finish.bench,
    "enlarge": enlarge.bench,
    "hdr": hdr.bench,
    "series": series.bench,
    "workers": workers.bench,
    "library": library.bench,
    "noise": noise.bench,
    "noise-kept": kept.bench,
    "noise-speed": lambda: [noise.speed()],
    "drag": lambda: [speed.interactive(), speed.rest()],
    "rest": lambda: [speed.rest()],
    "waiting": waiting.bench,
    "contract": contract.bench,
}


def run_bench(names: list[str], as_json: bool = False) -> None:
    """Run subjects and print their tables.

    Raises
    ------
    CrennError
        If there is no subject of a name.
    """
    unknown = [n for n in names if n not in SUBJECTS]
    if unknown:
        raise CrennError(f"There is no subject “{unknown[0]}”.", remedy="Known are: " + ", ".join(SUBJECTS) + ".")
    records = []
    for name in names or (
        "merge",
        "align",
        "ghosts",
        "stack",
        "clipped",
        "sites",
        "full-colour",
        "tone",
        "start",
        "colour",
        "areas",
        "geometry",
        "lens",
        "scale",
        "noise-kept",
        "speed",
    ):
        for table in SUBJECTS[name]():
            records.append(table.record())
            if not as_json:
                print(table.text(), end="\n\n", flush=True)
    if as_json:
        print(json.dumps(records, indent=1))
