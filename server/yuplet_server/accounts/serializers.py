from rest_framework import serializers

from yuplet_server.accounts.models import SignIn, User


class UserSerializer(serializers.ModelSerializer[User]):
    is_administrator = serializers.BooleanField(source="is_staff", read_only=True)

    class Meta:
        model = User
        fields = ["id", "username", "is_administrator"]


class SessionSerializer(serializers.Serializer[object]):
    """Who is signed in (null when nobody is), how many bytes of decoded pictures a page is to keep at most, and whether links can be sent by mail."""

    user = UserSerializer(allow_null=True, read_only=True)
    picture_bytes = serializers.IntegerField(read_only=True)
    can_mail = serializers.BooleanField(read_only=True)


class SignedInSerializer(serializers.ModelSerializer[SignIn]):
    """Where an account is signed in: since when, from which address, with which browser as it names itself, and whether it is this one."""

    is_this = serializers.SerializerMethodField()

    class Meta:
        model = SignIn
        fields = ["id", "at", "address", "browser", "is_this"]
        read_only_fields = fields

    def get_is_this(self, one: SignIn) -> bool:
        return bool(one.session == self.context["session"])


class SignInSerializer(serializers.Serializer[object]):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class PasswordSerializer(serializers.Serializer[object]):
    old_password = serializers.CharField(max_length=200, trim_whitespace=False)
    new_password = serializers.CharField(max_length=200, trim_whitespace=False)
