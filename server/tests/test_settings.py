"""What an administrator sets: documented, checked, and what comes of it, in a process that starts with it."""

import os
import re
import subprocess
import sys
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

from yuplet_server.project.environment import SETTINGS, SettingError, require_all, value

INTERNAL = {
    # Said by one of our processes to another, or by the tests.
    "YUPLET_HOST", "YUPLET_DATABASE_PORT", "YUPLET_DATABASE_NAME", "YUPLET_TEST_DATABASE", "YUPLET_TEST_TIMES", "YUPLET_APART",
}  # fmt: skip
# Listening everywhere: the name that is asked for decides all the same.
HTTPS = {"YUPLET_ADDRESSES": "https://studio.example", "YUPLET_FRONT_MACHINES": "127.0.0.1", "YUPLET_HOST": "0.0.0.0"}  # noqa: S104


def started(*arguments: str) -> subprocess.CompletedProcess[str]:
    """What a process prints that starts with https under a name."""
    return subprocess.run(
        [sys.executable, *arguments],
        cwd=settings.ROOT / "server",
        env={**{name: text for name, text in os.environ.items() if name != "DJANGO_ALLOW_ASYNC_UNSAFE"}, **HTTPS},
        capture_output=True,
        text=True,
        check=False,
    )


ASK = """
import os, django
os.environ["DJANGO_SETTINGS_MODULE"] = "yuplet_server.project.settings"
django.setup()
from django.test import Client
for host, scheme in (("studio.example", "https"), ("studio.example", "http"), ("elsewhere.example", "https")):
    headers = {"host": host, "x-forwarded-proto": scheme}
    answer = Client(raise_request_exception=False).get("/api/session", headers=headers)
    cookie = answer.cookies.get("csrftoken")
    told = [answer.headers.get(name) for name in ("Strict-Transport-Security", "Location")]
    print(answer.status_code, bool(cookie and cookie["secure"]), *told)
"""


class SettingsTests(SimpleTestCase):
    def test_the_page_lists_every_setting(self) -> None:
        page = (settings.ROOT / "docs" / "settings.md").read_text()
        listed = re.findall(r"^\| `(\w+)` \| (.*?) \| (.*) \|$", page, re.MULTILINE)
        told = {"YUPLET_WORKERS": "number of cores"}
        self.assertEqual(listed, [(one.name, told.get(one.name, one.default), one.about) for one in SETTINGS])

    def test_no_other_variable_is_read(self) -> None:
        root = Path(settings.ROOT)
        code = [*(root / "server" / "yuplet_server").rglob("*.py"), *(root / "ops").iterdir(), root / "start"]
        found = {
            name
            for path in code
            if path.is_file()
            for name in re.findall(r"YUPLET_[A-Z]+(?:_[A-Z]+)*", path.read_text())
        }
        self.assertEqual(found - INTERNAL - {one.name for one in SETTINGS}, set())

    def test_what_cannot_be_used_is_said(self) -> None:
        for name, text, told in (
            ("YUPLET_WORKERS", "many", "a whole number from 1 to"),
            ("YUPLET_WORKERS", "0", "a whole number from 1 to"),
            ("YUPLET_BIN_DAYS", "999999999", "a whole number from 0 to 36,500"),
            ("YUPLET_JOB_GIB", "-4", "a number above 0"),
            ("YUPLET_JOB_GIB", "nan", "a number above 0"),
            ("YUPLET_ADDRESSES", "studio.example", "such as https://studio.example"),
            ("YUPLET_ADDRESSES", "https://studio.example/yuplet", "such as https://studio.example"),
            ("YUPLET_ADDRESSES", "https://a@studio.example", "such as https://studio.example"),
            ("YUPLET_ADDRESSES", "https://*", "such as https://studio.example"),
            ("YUPLET_ADDRESSES", "https://a.example, http://b.example", "all begin with"),
            ("YUPLET_FRONT_MACHINES", "10.0.0.5; }", "addresses of machines"),
            ("YUPLET_FRONT_MACHINES", "10.0.0.500", "addresses of machines"),
            ("YUPLET_CERTIFICATE", "/nowhere.pem", "a file that is there"),
            ("YUPLET_CERTIFICATE", '/tmp/"; include', "a file that is there"),
            ("YUPLET_ROOTS", "/srv/art", "'ada=/some/folder' for an account"),
            ("YUPLET_ROOTS", "ada=art", "'ada=/some/folder' for an account"),
        ):
            with self.subTest(name=name, text=text), self.assertRaisesRegex(SettingError, re.escape(told)):
                require_all({name: text})

    def test_settings_that_need_each_other(self) -> None:
        for environment, told in (
            ({"YUPLET_CERTIFICATE": __file__}, "belong together"),
            ({"YUPLET_CERTIFICATE": __file__, "YUPLET_CERTIFICATE_KEY": __file__}, "names no https:// address"),
            ({"YUPLET_ADDRESSES": "https://studio.example"}, "nothing that ends it"),
        ):
            with self.subTest(environment=environment), self.assertRaisesRegex(SettingError, re.escape(told)):
                require_all(environment)
        require_all(HTTPS)
        require_all({"YUPLET_ADDRESSES": "http://studio.example:8600, http://10.0.0.9:8600/"})

    def test_what_is_not_set_has_its_default(self) -> None:
        self.assertEqual(value("YUPLET_BIN_DAYS", {}), 30)
        self.assertEqual(value("YUPLET_BIN_DAYS", {"YUPLET_BIN_DAYS": " "}), 30)
        self.assertEqual(value("YUPLET_JOB_GIB", {"YUPLET_JOB_GIB": "1.5"}), 3 * 2**29)

    def test_with_https_there_is_nothing_to_say_about_a_deployment(self) -> None:
        checked = started("manage.py", "check", "--deploy", "--fail-level=WARNING")
        self.assertEqual(checked.returncode, 0, checked.stderr)

    def test_only_by_its_name_and_only_by_https(self) -> None:
        asked = started("-c", ASK)
        wanted = [
            "200 True max-age=31536000 None",
            "301 False None https://studio.example/api/session",
            "400 False max-age=31536000 None",
        ]
        self.assertEqual(asked.stdout.splitlines(), wanted, asked.stderr)
