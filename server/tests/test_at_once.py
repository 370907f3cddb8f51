"""Several people who bring something into one project at the same moment all get through."""

import io
import threading

from django.db import connection
from django.test import TransactionTestCase

from tests.cases import make_project, ora
from yuplet_server.illustrations import actions
from yuplet_server.illustrations.models import Illustration

PEOPLE, EACH = 6, 4


class AtOnceTests(TransactionTestCase):
    def test_all_uploads_are_kept_and_counted(self) -> None:
        project, users = make_project()
        data = ora()
        together = threading.Barrier(PEOPLE)
        wrong: list[Exception] = []

        def bring_in(number: int) -> None:
            try:
                together.wait()
                for at in range(EACH):
                    name = f"{number} {at}.ora"
                    actions.keep_upload(project, users["ada"], name, len(data), io.BytesIO(data))
            except Exception as error:
                wrong.append(error)
            finally:
                connection.close()

        threads = [threading.Thread(target=bring_in, args=(number,)) for number in range(PEOPLE)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(wrong, [])
        self.assertEqual(Illustration.objects.count(), PEOPLE * EACH)
        project.refresh_from_db()
        self.assertEqual(project.bytes, PEOPLE * EACH * len(data))
