"""Addresses of the server: the API below ``/api/``, the screens everywhere else."""

from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView

from .applications import api as applications
from .health import health
from .jobs import api as jobs
from .journal import api as journal
from .people import api as people
from .screens import screen
from .trips import api as trips

urlpatterns = [
    path("api/health", health),
    path("api/schema", SpectacularAPIView.as_view()),
    path("api/session", people.SessionView.as_view()),
    path("api/applications", applications.ApplicationsView.as_view()),
    path("api/applications/<slug:name>", applications.ApplicationView.as_view()),
    path("api/applications/<slug:name>/test", applications.ProbeView.as_view()),
    path("api/applications/<slug:name>/preview", applications.PreviewView.as_view()),
    path("api/trips", trips.TripsView.as_view()),
    path("api/trips/<int:pk>", trips.TripView.as_view()),
    path("api/trips/<int:pk>/rows", trips.RowsView.as_view()),
    path("api/trips/<int:pk>/decisions", trips.DecisionsView.as_view()),
    path("api/trips/<int:pk>/plan", trips.PlanView.as_view()),
    path("api/trips/<int:pk>/runs", trips.RunsView.as_view()),
    path("api/trips/<int:pk>/records/<str:identifier>", trips.RecordView.as_view()),
    path("api/trips/<int:pk>/files/<str:what>", trips.FileView.as_view()),
    path("api/uploads", trips.UploadsView.as_view()),
    path("api/uploads/<str:identifier>", trips.UploadView.as_view()),
    path("api/jobs/<int:pk>", jobs.JobView.as_view()),
    path("api/journal", journal.JournalView.as_view()),
    path("api/carried", trips.CarriedView.as_view()),
    re_path(r"^(?!api/|assets/).*$", screen),
]
