"""Many people at once, with locust (people_load.py): listing, opening, images, names, plans, and a hand-over each 20 seconds.

YUPLET_VAR=… python people.py prepare 50        accounts, a project, ten illustrations (./start must be running with the same folder)
locust -f people_load.py --headless --users 50 --spawn-rate 9 --run-time 3m --host http://127.0.0.1:8600 Artist     (or Reader)
"""

import os
import sys
import tempfile
import time
from pathlib import Path

PASSWORD = "only-for-this-measurement"  # noqa: S105
NAME = "person {}"
ILLUSTRATIONS = 10


def prepare(people: int) -> None:
    """Accounts and illustrations, by the server's own code; the worker reads the illustrations."""
    sys.path[:0] = [str(Path(__file__).resolve().parent.parent / folder) for folder in ("server", "demo", "core/src")]
    os.environ["DJANGO_SETTINGS_MODULE"] = "yuplet_server.project.settings"
    import django

    django.setup()
    import build
    from django.contrib.auth.hashers import make_password

    from yuplet_server.accounts.models import User
    from yuplet_server.illustrations.actions import keep_upload
    from yuplet_server.illustrations.models import Illustration
    from yuplet_server.projects.actions import set_role, start_project

    hashed = make_password(PASSWORD)
    for number in range(people):
        User.objects.get_or_create(username=NAME.format(number), defaults={"password": hashed})
    owner = User.objects.get(username=NAME.format(0))
    project = start_project(owner, "Load")
    for number in range(1, people):
        set_role(project, NAME.format(number), "editor")
    source = Path(tempfile.mkdtemp()) / "brindle.ora"
    build.brindle(source)
    for number in range(ILLUSTRATIONS):
        with source.open("rb") as data:
            keep_upload(project, owner, f"figure {number}.ora", source.stat().st_size, data)
    while Illustration.objects.filter(project=project).exclude(current__state="ready").exists():
        time.sleep(1)
    print(f"{people} accounts, {ILLUSTRATIONS} illustrations")


if __name__ == "__main__":
    prepare(int(sys.argv[2]))
