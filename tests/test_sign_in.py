"""Signing in with a second step, and by the studio's own service."""

import pyotp
from django.test import override_settings
from django.utils import timezone
from playwright.sync_api import Page, expect
from sign_in_service import studio_service

from tests.browser import new_context
from tests.product import PASSWORD, ProductTestCase
from yuplet_server.accounts.models import TwoStep


class SignInTests(ProductTestCase):
    has_worker = False

    def outside(self) -> Page:
        """The page of somebody who is not signed in."""
        context, outside = new_context(self.browser, self.live_server_url)
        self.addCleanup(context.close)
        self.addCleanup(lambda: self.assertEqual(outside, []))
        page = context.new_page()
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.goto("/")
        return page

    def open_account_menu(self, page: Page, name: str, item: str) -> None:
        page.get_by_role("button", name=name, exact=True).click()
        page.get_by_role("menuitem", name=item).click()

    def test_a_second_step_is_set_up_and_asked_for(self) -> None:
        self.sign_in()
        page = self.page
        self.open_account_menu(page, "ada", "Two-step sign-in")
        page.get_by_role("button", name="Set up").click()
        expect(page.get_by_role("img", name="QR code with the key below")).to_be_visible()
        self.assert_accessible("setting up a second step")
        key = page.get_by_role("dialog").locator("code").inner_text().replace(" ", "")
        page.get_by_role("textbox", name="Code").fill("000000")
        page.get_by_role("textbox", name="Your password").fill(PASSWORD)
        page.get_by_role("button", name="Turn on").click()
        expect(page.get_by_role("dialog").get_by_role("alert")).to_contain_text("This code is not right.")
        page.get_by_role("textbox", name="Code").fill(pyotp.TOTP(key).at(timezone.now()))
        page.get_by_role("button", name="Turn on").click()
        codes = page.get_by_label("Recovery codes").inner_text().split()
        self.assertEqual(len(codes), 10)
        with page.expect_download() as kept:
            page.get_by_role("link", name="Download").click()
        self.assertEqual(kept.value.path().read_text().split(), codes)
        page.get_by_role("button", name="Done").click()
        expect(page.get_by_text("10 recovery codes left.")).to_be_visible()

        other = self.outside()
        other.get_by_role("textbox", name="Account").fill("ada")
        other.get_by_role("textbox", name="Password").fill(PASSWORD)
        other.get_by_role("button", name="Sign in", exact=True).click()
        expect(other.get_by_role("textbox", name="Code")).to_be_focused()
        other.keyboard.type(codes[0])
        other.keyboard.press("Enter")
        expect(other.get_by_role("button", name="ada", exact=True)).to_be_visible()
        self.open_account_menu(other, "ada", "Two-step sign-in")
        expect(other.get_by_text("9 recovery codes left.")).to_be_visible()
        other.get_by_role("textbox", name="Your password").fill(PASSWORD)
        other.get_by_role("button", name="Turn off").click()
        expect(other.get_by_role("button", name="Set up")).to_be_visible()
        self.assertFalse(TwoStep.objects.exists())

    def test_somebody_comes_in_by_the_service_of_the_studio(self) -> None:
        known = {"s-gwen": {"preferred_username": "gwen"}, "s-ada": {"preferred_username": "ada"}}
        with studio_service(known) as told, override_settings(**told):
            page = self.outside()
            page.goto("/queue")
            page.get_by_role("button", name="Sign in with Marsh studio").click()
            page.get_by_role("button", name="Deny").click()
            expect(page.get_by_text("Signing in with Marsh studio did not work.")).to_be_visible()
            page.goto("/queue")
            page.get_by_role("button", name="Sign in with Marsh studio").click()
            page.get_by_role("button", name="s-gwen").click()
            expect(page.get_by_role("button", name="gwen", exact=True)).to_be_visible()
            self.assertEqual(page.url, f"{self.live_server_url}/queue")

            self.sign_in()
            other = self.outside()
            other.get_by_role("button", name="Sign in with Marsh studio").click()
            other.get_by_role("button", name="s-ada").click()
            expect(other.get_by_text("There is already an account with your name.")).to_be_visible()
            self.open_account_menu(self.page, "ada", "Connect with Marsh studio")
            self.page.get_by_role("button", name="s-ada").click()
            expect(self.page.get_by_text("Your account is connected with Marsh studio.")).to_be_visible()
            other.get_by_role("button", name="Sign in with Marsh studio").click()
            other.get_by_role("button", name="s-ada").click()
            expect(other.get_by_role("button", name="ada", exact=True)).to_be_visible()
            self.open_account_menu(self.page, "ada", "Disconnect from Marsh studio")
            self.page.get_by_role("button", name="ada", exact=True).click()
            expect(self.page.get_by_role("menuitem", name="Connect with Marsh studio")).to_be_visible()
