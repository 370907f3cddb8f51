from django.conf import settings
from rest_framework import serializers

from yuplet_server.base.fields import NameField
from yuplet_server.projects.models import Member, Project


class ProjectSerializer(serializers.ModelSerializer[Project]):
    """A project as one of its members sees it."""

    ready = serializers.IntegerField(read_only=True, help_text="Illustrations that can be worked on.")
    role = serializers.ChoiceField(choices=Member.Role.choices, read_only=True)
    bytes = serializers.IntegerField(read_only=True, help_text="Of originals, packages and films.")
    most_bytes = serializers.SerializerMethodField(help_text="That it may have; null: as many as there is room for.")

    class Meta:
        model = Project
        fields = ["id", "name", "created_at", "ready", "role", "bytes", "most_bytes"]

    def get_most_bytes(self, project: Project) -> int | None:
        return settings.PROJECT_BYTES or None


class RoomSerializer(serializers.Serializer[object]):
    """What the files of all projects take that count for whoever is signed in, and what they may take (null: as much as there is room for)."""

    bytes = serializers.IntegerField(read_only=True)
    most_bytes = serializers.IntegerField(read_only=True, allow_null=True)


class ProjectNameSerializer(serializers.Serializer[object]):
    name = NameField(max_length=120)


class MemberSerializer(serializers.ModelSerializer[Member]):
    user = serializers.IntegerField(source="user_id", read_only=True)
    username = serializers.CharField(source="user.username")

    class Meta:
        model = Member
        fields = ["user", "username", "role"]
