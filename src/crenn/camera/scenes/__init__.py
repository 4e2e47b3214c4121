"""The scenes of Tarrowick by name."""

from crenn.camera.scenes import ferry_hall, lock_basin

#: Builders of scenes by the name the command line knows them by.
SCENES = {"lock-basin": lock_basin.build, "ferry-hall": ferry_hall.build}
