"""People come in by links: an administrator asks somebody in, an owner into a project, somebody has forgotten the password."""

from typing import Any

from playwright.sync_api import Page, expect

from tests.browser import new_context
from tests.product import AXE, PASSWORD, ProductTestCase
from yuplet_server.accounts.actions import add_account
from yuplet_server.accounts.models import User
from yuplet_server.handovers import actions as hand_overs
from yuplet_server.handovers.queries import hand_overs_of
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.actions import run
from yuplet_server.projects.models import Member
from yuplet_server.receivers.queries import package_of

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
        expect(page.get_by_text("Good once, within 7 days. Copy the link now; it is not shown again.")).to_be_visible()
        self.assert_accessible("accounts")
        gwen = self.another()
        gwen.goto(self.link())
        expect(gwen.get_by_text("ada invited you.")).to_be_visible()
        gwen.get_by_role("textbox", name="Account").fill("ada")
        gwen.get_by_role("textbox", name="Password").fill(NEW)
        gwen.get_by_role("button", name="Create account").click()
        expect(gwen.get_by_role("alert")).to_contain_text("There is an account 'ada' already.")
        gwen.get_by_role("textbox", name="Account").fill("gwen")
        gwen.get_by_role("button", name="Create account").click()
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
        dialog.get_by_role("button", name="Invite a new viewer").click()
        expect(dialog.get_by_text("Give this link to the new member of Marsh Line.")).to_be_visible()
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


class ReceiverTests(ProductTestCase):
    has_worker = False

    def test_somebody_sees_where_they_are_signed_in_and_ends_it(self) -> None:
        other = self.browser.new_context(base_url=self.live_server_url, user_agent="A browser in the studio")
        self.addCleanup(other.close)
        self.user.set_password(PASSWORD)
        self.user.save()
        for page in (self.page, other.new_page()):
            page.goto("/")
            page.get_by_role("textbox", name="Account").fill("ada")
            page.get_by_role("textbox", name="Password").fill(PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            expect(page.get_by_role("button", name="ada", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="ada", exact=True).click()
        self.page.get_by_role("menuitem", name="My sessions").click()
        dialog = self.page.get_by_role("dialog", name="My sessions")
        expect(dialog.get_by_text("A browser in the studio")).to_be_visible()
        expect(dialog.get_by_text("This browser")).to_be_visible()
        # The menu goes meanwhile; open menus are looked at elsewhere.
        expect(self.page.get_by_role("menu")).to_have_count(0)
        self.assert_accessible("where one is signed in")
        dialog.get_by_role("button", name="Sign out everywhere else").click()
        expect(dialog.get_by_text("A browser in the studio")).to_have_count(0)
        page.reload()
        expect(page.get_by_role("button", name="Sign in")).to_be_visible()

    def test_a_receiver_without_an_account_looks_takes_and_remarks(self) -> None:
        page = self.page
        self.open_picture()
        illustration = Illustration.objects.get()
        made = hand_overs.ask(illustration, self.user, 1)
        assert made.job_id is not None
        run(made.job_id)
        self.reload()
        self.to_step("Hand over")
        page.get_by_role("button", name="Link for a recipient").click()
        page.get_by_placeholder("Recipient, to tell links apart").fill("Maren, rigging")
        page.get_by_label("Days").fill("14")
        page.get_by_role("button", name="Create link").click()
        expect(page.get_by_text("Give this link to Maren, rigging. Good for 14 days")).to_be_visible()
        self.assert_accessible("links for receivers")
        context, outside = new_context(self.browser, self.live_server_url)
        self.addCleanup(context.close)
        maren = context.new_page()
        maren.on("pageerror", lambda error: self.complaints.append(str(error)))
        maren.goto(page.get_by_role("textbox", name="Link").input_value())
        expect(maren.get_by_role("heading", name="signal post")).to_be_visible()
        expect(maren.get_by_text("Hand-over 1, the newest")).to_be_visible()
        expect(maren.get_by_role("img", name="signal post")).to_have_js_property("naturalWidth", 97)
        # A part is marked where it lies: 12 × 60 px at 41, 10 of 97 × 73.
        maren.get_by_placeholder("Search names").fill("mast")
        part = maren.get_by_role("complementary", name="Parts").get_by_role("listitem").get_by_role("button")
        expect(part).to_have_count(1)
        part.click()
        box, frame = (
            maren.get_by_test_id("box").bounding_box() or {},
            maren.get_by_role("img", name="signal post").bounding_box() or {},
        )
        said = next(one for one in made_parts(illustration) if one["path"][-1] == "mast")["box"]
        scale = frame["width"] / 97
        for side, at in (("x", frame["x"]), ("y", frame["y"])):
            self.assertAlmostEqual((box[side] - at) / scale, said[side], delta=0.2)
        self.assertAlmostEqual(box["width"] / scale, said["width"], delta=0.2)
        maren.get_by_label("Remark to the artist").fill("More underlap at the foot, please")
        maren.get_by_role("button", name="Send remark").click()
        expect(maren.get_by_text("No answer yet")).to_be_visible()
        expect(part).to_contain_text("remarked")
        maren.evaluate(AXE.read_text())
        found = maren.evaluate(
            "axe.run(document, {resultTypes: ['violations']}).then(one => one.violations.map(v => v.id + ' ' + v.nodes[0].target))"
        )
        self.assertEqual(found, [])
        with maren.expect_download() as download:
            maren.get_by_role("link", name="Download ZIP").click()
        self.assertEqual(download.value.suggested_filename, "signal post hand-over 1.zip")
        self.assertEqual(outside, [])

        page.reload()
        self.wait_for_pile()
        expect(page.get_by_role("radio", name="History")).to_be_checked()
        # It is among what there is to look at, until somebody has answered.
        for step, place in (("Take apart", "Findings"), ("Put in order", "Findings")):
            self.to_step(step)
            page.locator("label", has_text=place).click()
            expect(page.get_by_role("region", name="Remarks from recipients")).to_contain_text(
                "More underlap at the foot"
            )
        self.to_step("Hand over")
        page.locator("label", has_text="History").click()
        remark = page.get_by_role("region", name="Remarks from recipients").locator("[data-remark]")
        expect(remark).to_contain_text("More underlap at the foot, please")
        remark.get_by_role("button", name="Show").click()
        remark.get_by_role("textbox").fill("It is 12 px now")
        remark.get_by_role("button", name="Answer").click()
        expect(remark).to_contain_text("ada answered: It is 12 px now")
        expect(page.get_by_text("seen 1 time, downloaded 1 time")).to_be_visible()
        maren.reload()
        maren.get_by_role("button", name="mast").click()
        expect(maren.get_by_text("ada: It is 12 px now")).to_be_visible()
        page.get_by_role("button", name="Revoke the link for Maren, rigging").click()
        expect(page.get_by_text("seen 1 time")).to_have_count(0)
        maren.reload()
        expect(maren.get_by_role("alert")).to_contain_text("was revoked")


def made_parts(illustration: Illustration) -> list[dict[str, Any]]:
    """What the manifest of its newest package says of its parts."""
    return list(package_of(hand_overs_of(illustration)[0])["parts"])
