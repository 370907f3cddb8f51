from rest_framework import serializers

from yuplet_server.accounts.models import SignIn, User


class UserSerializer(serializers.ModelSerializer[User]):
    is_administrator = serializers.BooleanField(source="is_staff", read_only=True)

    class Meta:
        model = User
        fields = ["id", "username", "is_administrator"]


class SessionSerializer(serializers.Serializer[object]):
    """Who is signed in (null when nobody is), how many bytes of decoded pictures a page is to keep at most, whether links can be sent by mail, and the name of the studio's sign-in service (null where there is none)."""

    user = UserSerializer(allow_null=True, read_only=True)
    picture_bytes = serializers.IntegerField(read_only=True)
    can_mail = serializers.BooleanField(read_only=True)
    service = serializers.CharField(allow_null=True, read_only=True)


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
    code = serializers.CharField(max_length=40, allow_blank=True, default="")


class TwoStepSerializer(serializers.Serializer[object]):
    """Two-step sign-in of an account: since when it is on (null while it is off), and how many recovery codes are left."""

    since = serializers.DateTimeField(allow_null=True, read_only=True)
    codes_left = serializers.IntegerField(read_only=True)


class NewSecretSerializer(serializers.Serializer[object]):
    """A secret for an application that shows codes: as letters, as an address, and as a picture that a phone reads."""

    secret = serializers.CharField(read_only=True)
    address = serializers.CharField(read_only=True)
    picture = serializers.CharField(read_only=True)


class OnlyPasswordSerializer(serializers.Serializer[object]):
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class TurnOnSerializer(OnlyPasswordSerializer):
    code = serializers.CharField(max_length=40)


class RecoveryCodesSerializer(serializers.Serializer[object]):
    """Codes for those who have lost the phone: each lets somebody in once; they are told only now."""

    codes = serializers.ListField(child=serializers.CharField(), read_only=True)


class ServiceSerializer(serializers.Serializer[object]):
    """Whether the account can be signed in to by the studio's service."""

    is_connected = serializers.BooleanField(read_only=True)


class ToServiceSerializer(serializers.Serializer[object]):
    """The page to come back to, and whether the account that is signed in is to be connected."""

    to = serializers.CharField(max_length=500, default="/")
    connects = serializers.BooleanField(default=False)


class WayThereSerializer(serializers.Serializer[object]):
    address = serializers.CharField(read_only=True)


class PasswordSerializer(serializers.Serializer[object]):
    old_password = serializers.CharField(max_length=200, trim_whitespace=False)
    new_password = serializers.CharField(max_length=200, trim_whitespace=False)
