"""The queue as people see it: what waits, since when, whose it is, and ending it."""

import re
from unittest import mock

from playwright.sync_api import expect

from tests.product import ProductTestCase
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.illustrations.actions import keep_upload
from yuplet_server.jobs.models import Job


class QueueTests(ProductTestCase):
    has_worker = False

    def test_an_administrator_sees_who_did_what(self) -> None:
        self.user.is_staff = True
        self.user.save()
        for number in range(120):
            record(Entry.Kind.DOWNLOAD, f"film {number}.gif", account="ben")
        record(Entry.Kind.REMOVE, "illustration 'reed'", account="cleo")
        self.sign_in()
        page = self.page
        page.get_by_role("button", name="ada", exact=True).click()
        page.get_by_role("menuitem", name="Audit log").click()
        rows = page.get_by_role("table", name="Audit log").get_by_role("row")
        expect(rows.nth(1)).to_contain_text("cleoRemovedillustration 'reed'")
        expect(rows).to_have_count(101)
        page.get_by_role("button", name="Show earlier entries").click()
        expect(rows).to_have_count(122)
        self.assert_accessible("audit log")
        page.get_by_label("Action").select_option("Download")
        page.get_by_label("Search accounts, addresses and details").fill("FILM 77")
        expect(rows).to_have_count(2)
        page.get_by_label("Action").select_option("Password")
        expect(page.get_by_text("No entries match.")).to_be_visible()

    def test_what_waits_is_seen_and_ended(self) -> None:
        # Another class of tests may have started a worker here, which is not to hear of it.
        with self.ora.open("rb") as data, mock.patch("yuplet_server.jobs.actions._wake"):
            waits = keep_upload(self.project, self.user, self.ora.name, self.ora.stat().st_size, data)
        self.sign_in()
        page = self.page
        page.get_by_role("button", name="ada", exact=True).click()
        page.get_by_role("menuitem", name="Queue").click()
        expect(page).to_have_title("Queue · Yuplet")
        row = page.get_by_role("table", name="Queue").get_by_role("row").nth(1)
        expect(row).to_contain_text("Bring in")
        expect(row).to_contain_text("signal post")
        expect(row).to_contain_text("Marsh Line")
        expect(row).to_contain_text(re.compile(r"ada\d+ sQueued"))
        self.assert_accessible("queue")
        # What happens to it is seen without asking.
        Job.objects.update(state=Job.State.RUNNING, stage="read", done=4, total=9)
        expect(row).to_contain_text("Reading 4 of 9")
        Job.objects.update(state=Job.State.WAITING)
        row.get_by_role("button", name="Cancel").click()
        expect(page.get_by_text("No jobs are running or queued.")).to_be_visible()
        assert waits.revision.job is not None
        waits.revision.job.refresh_from_db()
        self.assertEqual(waits.revision.job.state, "cancelled")
        page.get_by_role("link", name="Yuplet, all projects").click()
        expect(page.get_by_role("heading", name="Marsh Line")).to_be_visible()
