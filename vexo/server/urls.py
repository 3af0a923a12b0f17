"""Addresses of the server: the API below ``/api/``, the screens everywhere else."""

from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView, SpectacularSwaggerSplitView

from .applications import guard_views
from .applications import views as applications
from .applications.rule_views import RulesView
from .decisions import views as decisions
from .health import HealthView
from .ingest import views as ingest
from .jobs import views as jobs
from .journal import views as journal
from .mapping import mark_views as marks
from .mapping import views as mapping
from .metrics import MetricsView
from .notices import views as notices
from .passes import views as passes
from .passes.pictures import OutcomePictureView
from .people import access_views as access
from .people import office, sso_views
from .people import views as people
from .planning import key_views as keys
from .planning import views as planning
from .routes import views as routes
from .routes.guarding import RouteGuardsView
from .rows import edit_views as edits
from .rows import groups
from .rows import views as rows
from .rows.document_views import DocumentView
from .rows.pictures import PictureView
from .screens import screen
from .sendout import part_views as parts
from .sendout import views as sendout
from .trips import views as trips
from .unattended import views as unattended
from .upkeep import views as upkeep
from .uploads import views as uploads

handler400 = "vexo.server.problems.bad_request"
handler404 = "vexo.server.problems.not_there"
handler500 = "vexo.server.problems.server_error"

urlpatterns = [
    path("api/health", HealthView.as_view()),
    path("api/schema", SpectacularAPIView.as_view(), name="schema"),
    path("api/session", people.SessionView.as_view()),
    path("api/session/password", people.OwnPasswordView.as_view()),
    path("api/session/link", access.ChoosePasswordView.as_view()),
    path("api/access", access.AccessView.as_view()),
    path("api/access/reading", access.ReadingView.as_view()),
    path("api/access/tokens", access.TokensView.as_view()),
    path("api/access/tokens/<int:pk>", access.TokenView.as_view()),
    path("api/access/sessions", access.OtherSessionsView.as_view()),
    path("api/access/sessions/<str:number>", access.OneSessionView.as_view()),
    path("api/notices", notices.NoticesView.as_view()),
    path("api/notices/unread", notices.UnreadView.as_view()),
    path("api/sso/start", sso_views.start),
    path("api/sso/back", sso_views.back),
    path("api/people", office.PeopleView.as_view()),
    path("api/people/<str:username>", office.SomeoneView.as_view()),
    path("api/people/<str:username>/access", access.AccessOfView.as_view()),
    path("api/people/<str:username>/access/tokens/<int:pk>", access.TokenOfView.as_view()),
    path("api/people/<str:username>/link", access.PasswordLinkView.as_view()),
    path("api/applications", applications.ApplicationsView.as_view()),
    path("api/applications/<slug:name>/fields", applications.FieldsView.as_view()),
    path("api/applications/<slug:name>/choices", applications.ChoicesView.as_view()),
    path("api/applications/<slug:name>", applications.ApplicationView.as_view()),
    path("api/applications/<slug:name>/guards", guard_views.GuardsView.as_view()),
    path("api/applications/<slug:name>/rules", RulesView.as_view()),
    path("api/applications/<slug:name>/token", applications.OwnTokenView.as_view()),
    path("api/applications/<slug:name>/test", applications.ProbeView.as_view()),
    path("api/applications/<slug:name>/preview", sendout.PreviewView.as_view()),
    path("api/applications/<slug:name>/selection", sendout.SelectionView.as_view()),
    path("api/applications/<slug:name>/condition", sendout.ConditionView.as_view()),
    path("api/applications/<slug:name>/values", sendout.ValuesView.as_view()),
    path("api/applications/<slug:name>/keys", sendout.KeysView.as_view()),
    path("api/marks", marks.MarksView.as_view()),
    path("api/marks.xlsx", marks.MarksSheetView.as_view()),
    path("api/routes", routes.RoutesView.as_view()),
    path("api/routes/<int:pk>", routes.RouteView.as_view()),
    path("api/routes/<int:pk>/refusals", routes.RouteRefusalsView.as_view()),
    path("api/routes/<int:pk>/guards", RouteGuardsView.as_view()),
    path("api/unattended", unattended.UnattendedListView.as_view()),
    path("api/routes/<int:pk>/unattended", unattended.UnattendedView.as_view()),
    path("api/trips/<int:pk>/route", routes.TripRouteView.as_view()),
    path("api/trips", trips.TripsView.as_view()),
    path("api/sent-out", sendout.SendOutView.as_view()),
    path("api/trips/<int:pk>", upkeep.DeletableTripView.as_view()),
    path("api/trips/<int:pk>/send-out", sendout.GoOnView.as_view()),
    path("api/trips/<int:pk>/parts/<int:number>", parts.PartHolderView.as_view()),
    path("api/trips/<int:pk>/parts.zip", parts.ZipView.as_view()),
    path("api/trips/<int:pk>/kept.<str:ending>", parts.KeptView.as_view()),
    path("api/trips/<int:pk>/compare", parts.CompareView.as_view()),
    path("api/trips/<int:pk>/choices", ingest.SheetChoicesView.as_view()),
    path("api/trips/<int:pk>/columns", mapping.ColumnsView.as_view()),
    path("api/trips/<int:pk>/lanes", mapping.LanesView.as_view()),
    path("api/trips/<int:pk>/rows", rows.RowsView.as_view()),
    path("api/trips/<int:pk>/rows/<int:row>", rows.RowView.as_view()),
    path("api/trips/<int:pk>/move", ingest.MoveView.as_view()),
    path("api/trips/<int:pk>/moved", decisions.MovedView.as_view()),
    path("api/trips/<int:pk>/picture", PictureView.as_view()),
    path("api/trips/<int:pk>/document.<str:ending>", DocumentView.as_view()),
    path("api/trips/<int:pk>/groups", groups.GroupsView.as_view()),
    path("api/trips/<int:pk>/decisions", decisions.DecisionsView.as_view()),
    path("api/trips/<int:pk>/decisions/<int:number>", decisions.DecisionView.as_view()),
    path("api/trips/<int:pk>/edits", edits.EditsView.as_view()),
    path("api/trips/<int:pk>/edits/<int:number>", edits.EditView.as_view()),
    path("api/trips/<int:pk>/only", edits.OnlyView.as_view()),
    path("api/trips/<int:pk>/expected", edits.ExpectView.as_view()),
    path("api/trips/<int:pk>/plan", planning.PlanView.as_view()),
    path("api/trips/<int:pk>/keys", keys.MeasuredKeysView.as_view()),
    path("api/trips/<int:pk>/keys/absent", keys.AbsentView.as_view()),
    path("api/trips/<int:pk>/keys/absent.csv", keys.AbsentFileView.as_view()),
    path("api/trips/<int:pk>/keys/rows", keys.KeyRowsView.as_view()),
    path("api/trips/<int:pk>/keys/rows.csv", keys.KeyRowsFileView.as_view()),
    path("api/trips/<int:pk>/passes", passes.PassesView.as_view()),
    path("api/trips/<int:pk>/passes/<int:number>", passes.PassView.as_view()),
    path("api/trips/<int:pk>/scheduled", passes.ScheduledView.as_view()),
    path("api/trips/<int:pk>/approval", passes.ApprovalView.as_view()),
    path("api/trips/<int:pk>/take-back", passes.TakeBackView.as_view()),
    path("api/trips/<int:pk>/outcome/picture", OutcomePictureView.as_view()),
    path("api/trips/<int:pk>/outcome", passes.OutcomeRowsView.as_view()),
    path("api/trips/<int:pk>/records/<str:identifier>", trips.RecordView.as_view()),
    path("api/trips/<int:pk>/sheets/<int:sheet>", trips.SheetView.as_view()),
    path("api/trips/<int:pk>/files/<str:what>", passes.FileView.as_view()),
    path("api/uploads", uploads.UploadsView.as_view()),
    path("api/uploads/<int:number>", uploads.UploadView.as_view()),
    path("api/uploads/<int:number>/rows", uploads.UploadRowsView.as_view()),
    path("api/uploads/<int:number>/recognise", uploads.RecogniseView.as_view()),
    path("api/uploads/<int:number>/parts", uploads.PartsView.as_view()),
    path("api/uploads/<int:number>/refill", ingest.RefillView.as_view()),
    path("api/uploads/<int:number>/bring-in", ingest.BringInView.as_view()),
    path("api/jobs/<int:pk>", jobs.JobView.as_view()),
    path("api/journal", journal.JournalView.as_view()),
    path("api/journal.<str:ending>", journal.JournalFileView.as_view()),
    path("api/upkeep", upkeep.UpkeepView.as_view()),
    path("api/upkeep/over", upkeep.OverView.as_view()),
    path("api/upkeep/receipts/<int:pk>", upkeep.KeptReceiptView.as_view()),
    path("api/docs", SpectacularSwaggerSplitView.as_view()),
    path("metrics", MetricsView.as_view()),
    path("api/carried", trips.CarriedView.as_view()),
    re_path(r"^(?!api/|assets/).*$", screen),
]
