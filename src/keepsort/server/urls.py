"""Where requests go."""

from django.urls import path, re_path
from drf_spectacular.views import SpectacularJSONAPIView

from keepsort.server.accounts.api import Session
from keepsort.server.api import files, health, history, places, setup, sorting, views
from keepsort.server.events.stream import events
from keepsort.server.requests import no_such_address
from keepsort.server.web.views import page

urlpatterns = [
    path("api/session", Session.as_view()),
    path("api/health", health.Health.as_view()),
    path("api/attention", health.Attention.as_view()),
    path("api/systems", views.Systems.as_view()),
    path("api/systems/<int:number>/work", views.SystemWork.as_view()),
    path("api/work/<int:number>", views.OneWork.as_view()),
    path("api/systems/<int:number>/backups", views.SystemRecords.as_view()),
    path("api/systems/<int:number>/rules", views.SystemRules.as_view()),
    path("api/records/<int:number>", views.OneRecord.as_view()),
    path("api/records/<int:number>/export", files.Export.as_view()),
    path("api/records/<int:number>/export/ahead", files.ExportAhead.as_view()),
    path("api/files", files.Files.as_view()),
    path("api/files/<int:number>", files.OneFile.as_view()),
    path("api/files/<int:number>/object", files.FileObject.as_view()),
    path("api/files/<int:number>/search", files.FileSearch.as_view()),
    path("api/files/<int:number>/import", files.FileImport.as_view()),
    path("api/compare", sorting.CompareHead.as_view()),
    path("api/compare/outline", sorting.CompareOutline.as_view()),
    path("api/compare/level", sorting.CompareLevel.as_view()),
    path("api/compare/object", sorting.CompareObject.as_view()),
    path("api/compare/neighbours", sorting.CompareNeighbours.as_view()),
    path("api/compare/lines", sorting.CompareLines.as_view()),
    path("api/compare/shown", sorting.CompareShown.as_view()),
    path("api/compare/history", history.CompareHistory.as_view()),
    path("api/connectors", setup.Connectors.as_view()),
    path("api/connectors/try", setup.Tries.as_view()),
    path("api/settings", setup.AllSettings.as_view()),
    path("api/settings/<int:number>", setup.OneSettings.as_view()),
    path("api/settings/<int:number>/places", places.Places.as_view()),
    path("api/places/<int:number>", places.OnePlace.as_view()),
    path("api/places/<int:number>/stored", places.PlaceStored.as_view()),
    path("api/lists", sorting.Lists.as_view()),
    path("api/search", history.Search.as_view()),
    path("api/tray", views.Tray.as_view()),
    path("api/plans", views.Plans.as_view()),
    path("api/plans/elsewhere", views.Elsewhere.as_view()),
    path("api/systems/<int:number>/places", views.SystemPlaces.as_view()),
    path("api/plans/<int:number>/again", views.PlanAgain.as_view()),
    path("api/plans/<int:number>", views.OnePlan.as_view()),
    path("api/runs", views.Runs.as_view()),
    path("api/runs/<int:number>", views.OneRun.as_view()),
    path("api/runs/<int:number>/undo", views.UndoRun.as_view()),
    path("api/events", events),
    path("api/schema", SpectacularJSONAPIView.as_view()),
    re_path(r"^api/", no_such_address),
    re_path(r"^(?!api/)(?P<name>.*)$", page),
]
handler500 = "keepsort.server.responses.unforeseen"
