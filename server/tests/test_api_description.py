"""The committed description of the API, and the types made from it, are those of the code."""

import json
import subprocess
import tempfile
from io import StringIO
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.test import SimpleTestCase

ROOT = Path(settings.ROOT)
MEND = "Run 'make api' and commit what it changes."


class ApiDescriptionTests(SimpleTestCase):
    def test_the_description_is_current(self) -> None:
        out = StringIO()
        call_command("spectacular", "--format=openapi-json", "--fail-on-warn", stdout=out)
        self.assertEqual(json.loads(out.getvalue()), json.loads((ROOT / "docs/api.json").read_text()), MEND)

    def test_the_types_of_the_front_end_are_current(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            made = Path(folder) / "schema.d.ts"
            # As `npm run api` does it.
            (ours,) = json.loads((ROOT / "web/package.json").read_text())["scripts"]["api"].splitlines()
            command = ["npx", "--no-install", *ours.split()]
            command[command.index("-o") + 1] = str(made)
            subprocess.run(command, cwd=ROOT / "web", check=True, capture_output=True)
            self.assertEqual(made.read_text(), (ROOT / "web/src/api/schema.d.ts").read_text(), MEND)
