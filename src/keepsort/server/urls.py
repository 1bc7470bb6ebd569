"""Where requests go."""

from django.urls import path

urlpatterns: list = []
