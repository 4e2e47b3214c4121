"""The scenes of Tarrowick by name."""

from crenn.camera.scenes import dam_crest, ferry_hall, kiln_yard, lock_basin, ridge_observatory

#: Builders of scenes by the name the command line knows them by.
SCENES = {
    "lock-basin": lock_basin.build,
    "ferry-hall": ferry_hall.build,
    "dam-crest": dam_crest.build,
    "ridge-observatory": ridge_observatory.build,
    "kiln-yard": kiln_yard.build,
}
