"""Signing in and out."""

from django.contrib.auth import authenticate, login, logout
from django.middleware.csrf import get_token
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keepsort.server.accounts import guessing
from keepsort.server.accounts.models import Role, User
from keepsort.server.problems import Problem


class SignInSerializer(serializers.Serializer[object]):
    """Name and password."""

    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=4096, trim_whitespace=False)


class PersonSerializer(serializers.Serializer[object]):
    """Who is signed in, if anyone."""

    username = serializers.CharField()
    name = serializers.CharField()
    role = serializers.ChoiceField(choices=Role.choices)
    signed_in = serializers.BooleanField()


def _person(request: Request) -> dict[str, object]:
    get_token(request._request)
    user = request.user
    if not isinstance(user, User):
        return {"username": "", "name": "", "role": Role.VIEWER, "signed_in": False}
    return {
        "username": user.username, "name": user.shown_name, "role": user.role, "signed_in": True,
    }  # fmt: skip


class Session(APIView):
    """The session: look, sign in, sign out."""

    permission_classes = [AllowAny]

    @extend_schema(operation_id="session", responses=PersonSerializer)
    def get(self, request: Request) -> Response:
        """Tell who is signed in."""
        return Response(_person(request))

    @extend_schema(operation_id="sign_in", request=SignInSerializer, responses=PersonSerializer)
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        """Sign in."""
        data = SignInSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        account, address = data.validated_data["username"], guessing.address_of(request._request)
        guessing.check(account, address)
        user = authenticate(request._request, **data.validated_data)
        if user is None:
            guessing.note(account, address)
            raise Problem(
                "Name and password do not fit.", "Try again, or ask an administrator.", 403
            )
        login(request._request, user)
        request.user = user
        return Response(_person(request))

    @extend_schema(operation_id="sign_out", request=None, responses=PersonSerializer)
    def delete(self, request: Request) -> Response:
        """Sign out."""
        logout(request._request)
        request.user = request._request.user
        return Response(_person(request))
