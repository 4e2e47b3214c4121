"""The API against its own description: whatever the description allows, or forbids, is answered as it says."""

import os

import hypothesis
import schemathesis
from hypothesis import HealthCheck, Phase
from schemathesis.checks import not_a_server_error
from schemathesis.generation import GenerationMode
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from tests.api.case import ApiCase
from tests.support import night, take

#: Requests made of each operation; the bench of the contract makes more.
_EXAMPLES = int(os.environ.get("CRENN_CONTRACT_EXAMPLES", "8"))
_CHECKS = (not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance)


class Contract(ApiCase):
    def test_every_operation_keeps_to_its_description(self):
        scene = self.bring_in(take(self.folder / "in", night(96, 144)))["scenes"][0]
        schema = schemathesis.openapi.from_url(f"{self.served.address}/api/openapi.json")
        schema.config.generation.update(modes=[GenerationMode.POSITIVE, GenerationMode.NEGATIVE])
        operations = [r.ok() for r in schema.get_all_operations()]
        self.assertGreater(len(operations), 20)
        for operation in operations:
            with self.subTest(operation=operation.label):
                self.ask(operation, scene["id"])
        self.assertEqual(self.http.get(f"/api/scenes/{scene['id']}").status_code, 200, "nothing was harmed")

    def ask(self, operation, scene_id: int) -> None:
        """Ask an operation by hypothesis, of the scene that is there in half of the cases."""
        asked = []

        @hypothesis.settings(
            max_examples=_EXAMPLES,
            deadline=None,
            database=None,
            derandomize=True,
            phases=(Phase.explicit, Phase.generate),
            suppress_health_check=list(HealthCheck),
        )
        @hypothesis.given(case=operation.as_strategy())
        def check(case) -> None:
            if len(asked) % 2 and "scene_id" in case.path_parameters:
                case.path_parameters["scene_id"] = scene_id
            asked.append(case.call_and_validate(checks=_CHECKS, timeout=30).status_code)

        check()
        self.assertGreaterEqual(len(asked), 1)
