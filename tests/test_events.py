"""What a page does with what it is told of others; the stream itself is in server/tests/test_events.py and test_start.py."""

import json

from playwright.sync_api import Route, expect

from tests.product import ProductTestCase
from yuplet.arrangement.commands.rows import RenameRows
from yuplet_server.arrangement import actions
from yuplet_server.arrangement.models import Arrangement, Row


class EventsTests(ProductTestCase):
    has_worker = False

    def tell(self, **told: object) -> None:
        """From now on, whoever listens is told this."""
        state = {"arrangement": 1, "motion": "", "revisions": "", "here": ["ada"], **told}
        self.state = f"retry: 200\ndata: {json.dumps(state)}\n\n"

    def test_the_step_of_somebody_else_is_seen_at_once_and_who_is_there(self) -> None:
        self.tell()

        def told(route: Route) -> None:
            route.fulfill(content_type="text/event-stream", body=self.state)

        self.page.route("**/api/illustrations/*/events", told)
        self.open_picture()
        expect(self.page.get_by_text("Also here")).to_have_count(0)
        row = Row.objects.get(name="sky")
        arrangement = Arrangement.objects.get()
        actions.perform(arrangement.pk, self.user, 1, RenameRows({row.row: "evening sky"}))
        self.tell(arrangement=2, here=["ada", "ben", "cleo"])
        # Without being told, the page asks every 15 seconds.
        expect(self.row("evening sky")).to_be_visible(timeout=5_000)
        expect(self.page.get_by_text("Also here: ben, cleo")).to_be_visible()
