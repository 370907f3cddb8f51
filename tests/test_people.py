"""People come in by links: an administrator asks somebody in, an owner into a project, somebody has forgotten the password."""

from playwright.sync_api import Page, expect

from tests.browser import new_context
from tests.product import ProductTestCase
from yuplet_server.accounts.actions import add_account
from yuplet_server.accounts.models import User
from yuplet_server.projects.models import Member

NEW = "a-quiet-lamp-at-night"


class PeopleTests(ProductTestCase):
    has_worker = False

    def setUp(self) -> None:
        super().setUp()
        User.objects.filter(username="ada").update(is_staff=True)

    def another(self) -> Page:
        """A page of somebody else."""
        context, outside = new_context(self.browser, self.live_server_url)
        self.addCleanup(context.close)
        self.addCleanup(lambda: self.assertEqual(outside, []))
        page = context.new_page()
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        return page

    def link(self) -> str:
        """The link that is shown."""
        return self.page.get_by_role("textbox", name="Link").input_value()

    def test_somebody_is_asked_in_forgets_the_password_and_is_disabled(self) -> None:
        self.sign_in()
        page = self.page
        page.get_by_role("button", name="ada", exact=True).click()
        page.get_by_role("menuitem", name="Accounts").click()
        page.get_by_role("button", name="Invite somebody").click()
        expect(page.get_by_text("It can be used once, within 7 days, and is shown only now.")).to_be_visible()
        self.assert_accessible("accounts")
        gwen = self.another()
        gwen.goto(self.link())
        expect(gwen.get_by_text("ada invited you.")).to_be_visible()
        gwen.get_by_role("textbox", name="Account").fill("ada")
        gwen.get_by_role("textbox", name="Password").fill(NEW)
        gwen.get_by_role("button", name="Make account").click()
        expect(gwen.get_by_role("alert")).to_contain_text("There is an account 'ada' already.")
        gwen.get_by_role("textbox", name="Account").fill("gwen")
        gwen.get_by_role("button", name="Make account").click()
        expect(gwen.get_by_role("button", name="gwen", exact=True)).to_be_visible()
        gwen.get_by_role("button", name="gwen", exact=True).click()
        expect(gwen.get_by_role("menuitem", name="Queue")).to_be_visible()
        expect(gwen.get_by_role("menuitem", name="Accounts")).to_have_count(0)
        # The same link is used up.
        used = self.another()
        used.goto(self.link())
        expect(used.get_by_role("alert")).to_contain_text("This link was used")

        page.reload()
        row = page.locator('[data-account="gwen"]')
        expect(row.get_by_role("cell").nth(1)).to_have_text("0")
        row.get_by_role("button", name="New password").click()
        expect(page.get_by_text("Give this link to gwen. It sets a new password.")).to_be_visible()
        back = self.another()
        back.goto(self.link())
        back.get_by_role("textbox", name="Password").fill(NEW + "!")
        back.get_by_role("button", name="Set password").click()
        expect(back.get_by_role("button", name="gwen", exact=True)).to_be_visible()
        gwen.goto("/")
        expect(gwen.get_by_role("heading", name="Sign in")).to_be_visible()
        row.get_by_role("button", name="Disable").click()
        expect(row).to_contain_text("disabled")
        back.goto("/")
        expect(back.get_by_role("heading", name="Sign in")).to_be_visible()
        row.get_by_role("button", name="Remove").click()
        page.get_by_role("dialog").get_by_role("button", name="Remove").click()
        expect(row).to_have_count(0)
        # Somebody must look after the server.
        page.locator('[data-account="ada"]').get_by_role("button", name="End administrator role").click()
        expect(page.get_by_role("alert")).to_contain_text("is the only administrator")

    def test_into_a_project_for_somebody_with_an_account(self) -> None:
        User.objects.filter(username="ada").update(is_staff=False)
        _, password = add_account("ben")
        self.sign_in()
        page = self.page
        page.get_by_role("button", name="Members").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("textbox", name="Account").fill("ben")
        dialog.get_by_role("button", name="Add").click()
        expect(dialog.get_by_role("alert")).to_contain_text("Nobody in your projects is called 'ben'")
        dialog.get_by_label("Role", exact=True).select_option("viewer")
        dialog.get_by_role("button", name="Make an invitation for a new viewer").click()
        expect(dialog.get_by_text("Give this link to somebody who is to join Marsh Line.")).to_be_visible()
        self.assert_accessible("members")
        ben = self.another()
        ben.goto(self.link())
        expect(ben.get_by_role("heading", name="Join Marsh Line")).to_be_visible()
        ben.get_by_role("textbox", name="Account").fill("ben")
        ben.get_by_role("textbox", name="Password").fill(password)
        ben.get_by_role("button", name="Sign in").click()
        expect(ben.get_by_text("You are signed in as ben.")).to_be_visible()
        ben.get_by_role("button", name="Join", exact=True).click()
        expect(ben.get_by_role("heading", name="Marsh Line", exact=True)).to_be_visible()
        self.assertEqual(Member.objects.get(user__username="ben").role, "viewer")
