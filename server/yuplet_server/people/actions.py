"""What is done with links and accounts: one verb a function."""

import datetime
import logging
from smtplib import SMTPException

from django.contrib.auth import login
from django.core.mail import EmailMessage
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from yuplet.errors import YupletError, shown
from yuplet_server.accounts import two_steps
from yuplet_server.accounts.models import User
from yuplet_server.accounts.names import AccountRefused, require_usable
from yuplet_server.accounts.passwords import require_good
from yuplet_server.accounts.tokens import digest_of, new_token
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.people.models import Link
from yuplet_server.projects.actions import set_role
from yuplet_server.projects.models import Member, Project

log = logging.getLogger("yuplet.accounts")

DAYS = {Link.Purpose.ACCOUNT: 7, Link.Purpose.PROJECT: 7, Link.Purpose.PASSWORD: 1}
"""For which a link can be used."""


class LinkRefused(YupletError):
    """A link cannot be used, or not by whoever has it."""

    code = "link-refused"


class MailAway(YupletError):
    """The mail server does not take a mail."""

    code = "mail-away"

    def __init__(self) -> None:
        super().__init__(
            "The mail server did not take the mail, so nothing was sent. Copy the link and give it to them yourself."
        )


def invite(made_by: User, is_administrator: bool = False, project: Project | None = None, role: str = "") -> str:
    """A link by which somebody makes an account, and becomes a member where a project is named; answers its token."""
    return _made(
        Link(
            purpose=Link.Purpose.ACCOUNT, made_by=made_by, is_administrator=is_administrator, project=project, role=role
        )
    )


def invite_into(project: Project, role: str, made_by: User) -> str:
    """A link by which somebody with an account becomes a member; one that an administrator makes is also for those without."""
    if made_by.is_staff:
        return invite(made_by, project=project, role=role)
    return _made(Link(purpose=Link.Purpose.PROJECT, made_by=made_by, project=project, role=role))


def let_set_password(account: User, made_by: User) -> str:
    """A link by which somebody sets a new password; what was made for the same before is used up."""
    Link.objects.filter(purpose=Link.Purpose.PASSWORD, account=account).delete()
    return _made(Link(purpose=Link.Purpose.PASSWORD, made_by=made_by, account=account))


def _made(link: Link) -> str:
    Link.objects.filter(ends_at__lt=timezone.now()).delete()
    token = new_token()
    link.token_sha256 = digest_of(token)
    link.ends_at = timezone.now() + datetime.timedelta(days=DAYS[Link.Purpose(link.purpose)])
    link.save()
    log.warning("'%s' made a link for %s", shown(link.made_by.username), link.purpose)
    record(
        Entry.Kind.LINK,
        f"made, for {link.purpose}{f' {link.account}' if link.account else ''}",
        link.project_id,
        link.made_by.username,
    )
    return token


def opened(token: str) -> Link:
    """A link that can be used; raises `LinkRefused`."""
    links = Link.objects.select_related("project", "account", "made_by")
    link = links.filter(token_sha256=digest_of(token), ends_at__gt=timezone.now(), made_by__is_active=True).first()
    if link is None or not _may_still(link):
        raise LinkRefused("This link was used, has expired, or was revoked. Ask for a new one.")
    return link


def _may_still(link: Link) -> bool:
    """Whether who made a link may still do so, and what it leads into is there."""
    if link.project is not None:
        owns = Member.objects.filter(project=link.project, user=link.made_by, role=Member.Role.OWNER).exists()
        if link.project.removed_at is not None or not owns:
            return False
    return link.purpose == Link.Purpose.PROJECT or link.made_by.is_staff


def send(link: Link, address: str, to: str) -> None:
    """Send somebody a link, which leads to an address. Raises `MailAway`."""
    match link.purpose:
        case Link.Purpose.PASSWORD:
            what = f"sets a new password for your account '{link.account}'"
        case Link.Purpose.ACCOUNT if link.project is None:
            what = "makes an account for you"
        case _:
            what = f"lets you into the project '{link.project}'"
    days = max(1, (link.ends_at - timezone.now()).days)
    text = (
        f"Hello,\n\n{link.made_by.username} sends you a link to Yuplet. It {what}:\n\n{address}\n\n"
        f"It can be used once, within {days} day{'s' if days > 1 else ''}. If you do not know what this is about, do nothing.\n"
    )
    try:
        EmailMessage("A link to Yuplet", text, to=[to]).send()
    except (OSError, SMTPException) as error:
        log.warning("a mail was not sent: %s", error)
        raise MailAway from error
    record(Entry.Kind.LINK, f"sent to {to}, for {link.purpose}", link.project_id, link.made_by.username)


@transaction.atomic
def use(request: HttpRequest, token: str, name: str, password: str) -> User:
    """Do what a link is for, and sign in. Raises `LinkRefused`, `AccountRefused` or `PasswordRefused`; then it can be used again.

    Whoever is signed in becomes a member with that account.
    """
    link = opened(token)
    # Of two who use it at the same moment, the second finds it used.
    if not Link.objects.select_for_update().filter(pk=link.pk).exists():
        raise LinkRefused("This link was used just now. Ask for a new one.")
    link.delete()
    match link.purpose:
        case Link.Purpose.PASSWORD:
            assert link.account is not None
            user = link.account
            require_good(password, user)
            user.set_password(password)
            user.save(update_fields=["password"])
            # Whoever has the link has the first step, and no more.
            if not two_steps.is_on(user):
                login(request, user)
        case Link.Purpose.ACCOUNT if not (link.project is not None and request.user.is_authenticated):
            require_usable(name)
            require_good(password, User(username=name))
            user = User.objects.create_user(name, password=password, is_staff=link.is_administrator)
            login(request, user)
        case _:
            if not isinstance(request.user, User):
                raise LinkRefused("Sign in first; the link stays good.")
            user = request.user
    if link.project is not None:
        _join(link.project, user, link.role)
    record(Entry.Kind.LINK, f"of '{link.made_by.username}' used, for {link.purpose}", link.project_id, user.username)
    log.warning(
        "'%s' used a link for %s that '%s' made", shown(user.username), link.purpose, shown(link.made_by.username)
    )
    return user


def _join(project: Project, user: User, role: str) -> None:
    """Become a member; whoever has a greater role keeps it."""
    ranks = list(Member.Role.values)
    own = Member.objects.filter(project=project, user=user).first()
    if own is None or ranks.index(own.role) < ranks.index(role):
        set_role(project, user.username, role)


@transaction.atomic
def change(
    account: User,
    by: User,
    is_active: bool | None = None,
    is_administrator: bool | None = None,
    has_two_steps: bool | None = None,
) -> None:
    """Enable or disable an account, make it an administrator or none, or turn its two-step sign-in off for somebody who has lost the phone.

    Raises `AccountRefused` where no administrator would be left.
    """
    if has_two_steps is False:
        two_steps.turn_off(account, by)
    if is_active is False or is_administrator is False:
        _keep_an_administrator(account)
    if is_active is not None:
        account.is_active = is_active
    if is_administrator is not None:
        account.is_staff = is_administrator
    account.save(update_fields=["is_active", "is_staff"])
    state = f"{'enabled' if account.is_active else 'disabled'}, {'an administrator' if account.is_staff else 'no administrator'}"
    record(Entry.Kind.ACCOUNT, f"'{account.username}': {state}", account=by.username)
    log.warning("'%s' set the account '%s': %s", shown(by.username), shown(account.username), state)


@transaction.atomic
def remove(account: User, by: User) -> None:
    """Remove an account; what it made stays. Raises `AccountRefused` or `MemberRefused`: somebody must own each project, and look after the server."""
    _keep_an_administrator(account)
    name = account.username
    account.delete()
    record(Entry.Kind.ACCOUNT, f"'{name}' removed", account=by.username)
    log.warning("'%s' removed the account '%s'", shown(by.username), shown(name))


def _keep_an_administrator(leaving: User) -> None:
    active = User.objects.select_for_update().filter(is_staff=True, is_active=True)
    if {user.pk for user in active} == {leaving.pk}:
        raise AccountRefused(f"'{leaving.username}' is the only administrator. Make somebody else one first.")
