"""What keeps the house in order: style, types, the page's contract, the database's tables.

The page's types are checked whenever it is built, which set-up does after every change.
"""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from crenn.api.describe import description
from crenn.store.models import Base
from tests.support import ROOT, fresh_database

WEB = ROOT / "web"
#: Tables that the queue's own package makes.
_QUEUE = "procrastinate"


class Habits(unittest.TestCase):
    def run_clean(self, *command: str, cwd: Path = ROOT) -> None:
        done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, timeout=500)
        self.assertEqual(done.returncode, 0, (done.stdout + done.stderr)[-4000:])

    def test_python_is_linted(self):
        self.run_clean(sys.executable, "-m", "ruff", "check", "--quiet", ".")

    def test_python_is_formatted(self):
        self.run_clean(sys.executable, "-m", "ruff", "format", "--check", "--quiet", ".")

    def test_python_types(self):
        self.run_clean(sys.executable, "-m", "mypy")

    def test_the_page_is_linted(self):
        kept = "node_modules/.cache/eslint"
        self.run_clean("npx", "eslint", "--cache", "--cache-location", kept, "src", cwd=WEB)

    def test_the_page_is_formatted(self):
        self.run_clean("npx", "prettier", "--check", "--cache", "--log-level", "warn", "src", cwd=WEB)

    def test_the_page_knows_the_api_as_it_is(self):
        with tempfile.TemporaryDirectory() as folder:
            told, made = Path(folder) / "openapi.json", Path(folder) / "schema.ts"
            told.write_text(json.dumps(description()), "utf-8")
            self.run_clean("npx", "openapi-typescript", str(told), "-o", str(made), cwd=WEB)
            self.assertEqual(
                made.read_text("utf-8"),
                (WEB / "src" / "api" / "schema.ts").read_text("utf-8"),
                "make it anew: npm run types, in web/",
            )

    def test_migrations_make_the_tables_that_the_models_describe(self):
        database = fresh_database()
        self.addCleanup(database.close)
        with database.engine.connect() as connection:
            context = MigrationContext.configure(
                connection,
                opts={"include_name": lambda name, kind, _: kind != "table" or not (name or "").startswith(_QUEUE)},
            )
            self.assertEqual(compare_metadata(context, Base.metadata), [])

    def test_lock_files_name_no_hosts_and_pin_everything(self):
        self.assertNotIn("resolved", (WEB / "package-lock.json").read_text("utf-8"))
        for line in (ROOT / "requirements.txt").read_text().split():
            self.assertRegex(line, r"^[A-Za-z0-9_.-]+==[0-9][A-Za-z0-9.]*$")
