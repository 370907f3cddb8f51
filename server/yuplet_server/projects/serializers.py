from rest_framework import serializers

from yuplet_server.base.fields import NameField
from yuplet_server.projects.models import Member, Project


class ProjectSerializer(serializers.ModelSerializer[Project]):
    """A project as one of its members sees it."""

    ready = serializers.IntegerField(read_only=True, help_text="Illustrations that can be worked on.")
    role = serializers.ChoiceField(choices=Member.Role.choices, read_only=True)

    class Meta:
        model = Project
        fields = ["id", "name", "created_at", "ready", "role"]


class ProjectNameSerializer(serializers.Serializer[object]):
    name = NameField(max_length=120)


class MemberSerializer(serializers.ModelSerializer[Member]):
    user = serializers.IntegerField(source="user_id", read_only=True)
    username = serializers.CharField(source="user.username")

    class Meta:
        model = Member
        fields = ["user", "username", "role"]
