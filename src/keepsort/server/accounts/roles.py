"""Roles, checked on the server for every request."""

from typing import TYPE_CHECKING

from rest_framework.permissions import BasePermission
from rest_framework.request import Request

from keepsort.server.accounts.models import Role, User

if TYPE_CHECKING:  # the framework's views look up this module while they are loaded
    from rest_framework.views import APIView


class _AtLeast(BasePermission):
    role: Role
    message = "Your role does not allow this. An administrator can change it."

    def has_permission(self, request: Request, view: "APIView") -> bool:
        return isinstance(request.user, User) and request.user.may(self.role)


class MayLook(_AtLeast):
    """Viewers and all others who are signed in."""

    role = Role.VIEWER


class MayOperate(_AtLeast):
    """Those who back up and preview."""

    role = Role.OPERATOR


class MayRestore(_AtLeast):
    """Those who write to live systems."""

    role = Role.RESTORER


class MayAdminister(_AtLeast):
    """Those who set up systems and people."""

    role = Role.ADMINISTRATOR
