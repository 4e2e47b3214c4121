"""Noise models in the database: one for each camera and sensitivity, the newest; forgotten by camera."""

from crenn.core.frames.camera_noise import CameraNoise
from crenn.store.camera_noise import forget_models, keep_models, kept_models
from tests.support import FolderCase, fresh_database


def model(name: str, iso: float, slope: float = 1e-4) -> CameraNoise:
    return CameraNoise(make="Crenn", model=name, iso=iso, slope=(slope,) * 3, offset=(1e-7,) * 3)


class Kept(FolderCase):
    def setUp(self):
        super().setUp()
        self.database = fresh_database()
        self.addCleanup(self.database.close)

    def kept(self) -> list[CameraNoise]:
        with self.database.session() as session:
            return kept_models(session)

    def keep(self, *models: CameraNoise) -> None:
        with self.database.session() as session:
            keep_models(session, models)
            session.commit()

    def test_they_come_back_as_they_were(self):
        self.keep(model("B", 800), model("A", 400), model("A", 100))
        self.assertEqual(self.kept(), [model("A", 100), model("A", 400), model("B", 800)])

    def test_a_new_one_stands_for_the_old_of_the_same_sensitivity(self):
        self.keep(model("A", 100, 1e-4), model("A", 400, 4e-4))
        self.keep(model("A", 101, 2e-4))
        self.assertEqual(self.kept(), [model("A", 101, 2e-4), model("A", 400, 4e-4)])

    def test_a_camera_is_forgotten_alone(self):
        self.keep(model("A", 100), model("A", 400), model("B", 100))
        with self.database.session() as session:
            forget_models(session, "Crenn", "A")
            session.commit()
        self.assertEqual(self.kept(), [model("B", 100)])
