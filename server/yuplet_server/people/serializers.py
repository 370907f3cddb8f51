from typing import Any

from rest_framework import serializers

from yuplet_server.accounts.models import User
from yuplet_server.people.models import Link
from yuplet_server.projects.models import Member


class AccountSerializer(serializers.ModelSerializer[User]):
    """An account as an administrator sees it."""

    is_administrator = serializers.BooleanField(source="is_staff")
    has_two_steps = serializers.BooleanField(read_only=True)
    projects = serializers.IntegerField(read_only=True, help_text="In how many it is a member.")
    bytes = serializers.SerializerMethodField(help_text="Of the projects that it has owned for longest.")
    last_seen = serializers.DateTimeField(source="last_login", read_only=True, allow_null=True)

    class Meta:
        model = User
        fields = ["id", "username", "is_active", "is_administrator", "has_two_steps", "projects", "bytes", "last_seen"]
        read_only_fields = ["id", "username"]

    def get_bytes(self, account: User) -> int:
        found: int = self.context["bytes"].get(account.pk, 0)
        return found


class AccountChangeSerializer(serializers.Serializer[Any]):
    is_active = serializers.BooleanField(required=False)
    is_administrator = serializers.BooleanField(required=False)
    has_two_steps = serializers.ChoiceField(choices=[False], required=False, help_text="Only its owner turns it on.")


class MadeLinkSerializer(serializers.Serializer[Any]):
    """Where a link leads on this server, told once: of its token only a check sum is kept."""

    path = serializers.CharField()
    days = serializers.IntegerField(help_text="For so many days it can be used, once.")


class InviteSerializer(serializers.Serializer[Any]):
    is_administrator = serializers.BooleanField(required=False, default=False)


class InviteIntoSerializer(serializers.Serializer[Any]):
    role = serializers.ChoiceField(choices=Member.Role.choices)


class SendLinkSerializer(serializers.Serializer[Any]):
    to = serializers.EmailField(max_length=200)


class OpenedLinkSerializer(serializers.Serializer[Any]):
    """What a link is for: an account, a project (for those who have an account), or a new password; into which project and as what, if any."""

    purpose = serializers.ChoiceField(choices=Link.Purpose.choices)
    project = serializers.CharField(allow_null=True)
    role = serializers.CharField(allow_blank=True)
    account = serializers.CharField(allow_null=True)
    made_by = serializers.CharField()


class UseLinkSerializer(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=150, required=False, allow_blank=True, default="")
    password = serializers.CharField(
        max_length=200, trim_whitespace=False, required=False, allow_blank=True, default=""
    )
