"""Who may do what: every role at every endpoint and every command."""

from __future__ import annotations

from typing import Any

import click

from tests.server.services import ServiceCase
from tests.support import template

template()

from django.test import Client  # noqa: E402

from vexo.cli.main import main  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue  # noqa: E402
from vexo.server.people import rights  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.urls import urlpatterns  # noqa: E402

VIEWER, PREPARER, OPERATOR, ADMINISTRATOR = Role.VIEWER, Role.PREPARER, Role.OPERATOR, Role.ADMINISTRATOR
ANYONE = "anyone, signed in or not"
ROLES = (VIEWER, PREPARER, OPERATOR, ADMINISTRATOR)
APPLICATION, TRIP, UPLOAD = "api/applications/<slug:name>", "api/trips/<int:pk>", "api/uploads/<int:number>"
ENDPOINTS: dict[tuple[str, str], str] = {
    ("get", "api/health"): ANYONE,
    ("get", "api/schema"): ANYONE,
    ("get", "api/session"): ANYONE,
    ("post", "api/session"): ANYONE,
    ("delete", "api/session"): ANYONE,
    ("put", "api/session/password"): VIEWER,
    ("get", "api/people"): ADMINISTRATOR,
    ("post", "api/people"): ADMINISTRATOR,
    ("patch", "api/people/<str:username>"): ADMINISTRATOR,
    ("delete", "api/people/<str:username>"): ADMINISTRATOR,
    ("post", "api/session/link"): ANYONE,
    ("get", "api/access"): VIEWER,
    ("get", "api/access/reading"): VIEWER,
    ("put", "api/access/reading"): VIEWER,
    ("post", "api/access/tokens"): VIEWER,
    ("delete", "api/access/tokens/<int:pk>"): VIEWER,
    ("delete", "api/access/sessions"): VIEWER,
    ("delete", "api/access/sessions/<str:number>"): VIEWER,
    ("get", "api/people/<str:username>/access"): ADMINISTRATOR,
    ("delete", "api/people/<str:username>/access"): ADMINISTRATOR,
    ("delete", "api/people/<str:username>/access/tokens/<int:pk>"): ADMINISTRATOR,
    ("post", "api/people/<str:username>/link"): ADMINISTRATOR,
    ("get", "api/unattended"): VIEWER,
    ("put", "api/routes/<int:pk>/unattended"): PREPARER,
    ("delete", "api/routes/<int:pk>/unattended"): PREPARER,
    ("get", "api/notices"): VIEWER,
    ("post", "api/notices"): VIEWER,
    ("put", "api/notices"): VIEWER,
    ("get", "api/notices/unread"): VIEWER,
    ("get", "api/upkeep"): ADMINISTRATOR,
    ("put", "api/upkeep"): ADMINISTRATOR,
    ("post", "api/upkeep"): ADMINISTRATOR,
    ("get", "api/upkeep/over"): ADMINISTRATOR,
    ("get", "api/upkeep/receipts/<int:pk>"): ADMINISTRATOR,
    ("delete", TRIP): ADMINISTRATOR,
    ("get", "api/docs"): ANYONE,
    ("get", "metrics"): VIEWER,
    ("get", "api/applications"): VIEWER,
    ("post", "api/applications"): ADMINISTRATOR,
    ("get", APPLICATION): VIEWER,
    ("put", APPLICATION): ADMINISTRATOR,
    ("post", f"{APPLICATION}/test"): PREPARER,
    ("post", f"{APPLICATION}/preview"): PREPARER,
    ("post", f"{APPLICATION}/selection"): PREPARER,
    ("post", f"{APPLICATION}/condition"): PREPARER,
    ("get", f"{APPLICATION}/values"): PREPARER,
    ("post", f"{APPLICATION}/keys"): PREPARER,
    ("get", "api/routes"): VIEWER,
    ("post", "api/routes"): PREPARER,
    ("get", "api/routes/<int:pk>"): VIEWER,
    ("put", "api/routes/<int:pk>"): PREPARER,
    ("delete", "api/routes/<int:pk>"): PREPARER,
    ("post", f"{TRIP}/send-out"): PREPARER,
    ("patch", f"{TRIP}/parts/<int:number>"): PREPARER,
    ("get", f"{TRIP}/parts.zip"): VIEWER,
    ("get", f"{TRIP}/kept.<str:ending>"): VIEWER,
    ("post", f"{TRIP}/compare"): PREPARER,
    ("get", "api/trips"): VIEWER,
    ("post", "api/sent-out"): PREPARER,
    ("get", TRIP): VIEWER,
    ("patch", TRIP): PREPARER,
    ("patch", f"{TRIP}/columns"): PREPARER,
    ("post", "api/applications/<slug:name>/fields"): ADMINISTRATOR,
    ("get", "api/applications/<slug:name>/guards"): VIEWER,
    ("put", "api/applications/<slug:name>/guards"): ADMINISTRATOR,
    ("get", "api/applications/<slug:name>/rules"): VIEWER,
    ("put", "api/applications/<slug:name>/rules"): ADMINISTRATOR,
    ("get", "api/routes/<int:pk>/guards"): VIEWER,
    ("put", "api/routes/<int:pk>/guards"): ADMINISTRATOR,
    ("get", "api/journal.<str:ending>"): VIEWER,
    ("get", "api/trips/<int:pk>/picture"): VIEWER,
    ("get", "api/trips/<int:pk>/outcome/picture"): VIEWER,
    ("post", "api/trips/<int:pk>/take-back"): PREPARER,
    ("post", "api/trips/<int:pk>/approval"): PREPARER,
    ("post", "api/trips/<int:pk>/move"): PREPARER,
    ("get", "api/trips/<int:pk>/moved"): VIEWER,
    ("post", "api/trips/<int:pk>/moved"): PREPARER,
    ("get", "api/trips/<int:pk>/rows/<int:row>"): VIEWER,
    ("get", "api/trips/<int:pk>/document.<str:ending>"): VIEWER,
    ("post", "api/applications/<slug:name>/choices"): ADMINISTRATOR,
    ("get", f"{TRIP}/lanes"): VIEWER,
    ("get", "api/marks"): VIEWER,
    ("get", "api/marks.xlsx"): VIEWER,
    ("post", f"{TRIP}/lanes"): PREPARER,
    ("post", f"{TRIP}/route"): PREPARER,
    ("patch", f"{TRIP}/choices"): PREPARER,
    ("get", f"{TRIP}/rows"): VIEWER,
    ("get", f"{TRIP}/groups"): VIEWER,
    ("get", f"{TRIP}/decisions"): VIEWER,
    ("post", f"{TRIP}/decisions"): PREPARER,
    ("delete", f"{TRIP}/decisions/<int:number>"): PREPARER,
    ("get", f"{TRIP}/edits"): VIEWER,
    ("post", f"{TRIP}/edits"): PREPARER,
    ("delete", f"{TRIP}/edits/<int:number>"): PREPARER,
    ("patch", f"{TRIP}/only"): PREPARER,
    ("patch", f"{TRIP}/expected"): PREPARER,
    ("post", f"{TRIP}/plan"): PREPARER,
    ("get", f"{TRIP}/keys"): VIEWER,
    ("post", f"{TRIP}/keys"): PREPARER,
    ("get", f"{TRIP}/keys/absent"): VIEWER,
    ("get", f"{TRIP}/keys/absent.csv"): VIEWER,
    ("get", f"{TRIP}/keys/rows"): VIEWER,
    ("get", f"{TRIP}/keys/rows.csv"): VIEWER,
    ("post", f"{TRIP}/passes"): PREPARER,
    ("post", f"{TRIP}/passes/<int:number>"): PREPARER,
    ("get", f"{TRIP}/outcome"): VIEWER,
    ("get", f"{TRIP}/records/<str:identifier>"): VIEWER,
    ("get", f"{TRIP}/sheets/<int:sheet>"): VIEWER,
    ("get", f"{TRIP}/files/<str:what>"): VIEWER,
    ("post", "api/uploads"): PREPARER,
    ("get", "api/uploads"): VIEWER,
    ("put", UPLOAD): PREPARER,
    ("get", UPLOAD): VIEWER,
    ("patch", UPLOAD): PREPARER,
    ("delete", UPLOAD): PREPARER,
    ("get", f"{UPLOAD}/rows"): VIEWER,
    ("post", f"{UPLOAD}/recognise"): PREPARER,
    ("post", f"{UPLOAD}/bring-in"): PREPARER,
    ("post", f"{UPLOAD}/refill"): PREPARER,
    ("post", f"{UPLOAD}/parts"): PREPARER,
    ("get", "api/jobs/<int:pk>"): VIEWER,
    ("delete", "api/jobs/<int:pk>"): PREPARER,
    ("post", "api/jobs/<int:pk>"): PREPARER,
    ("delete", f"{TRIP}/scheduled"): PREPARER,
    ("put", "api/routes/<int:pk>/refusals"): PREPARER,
    ("put", "api/applications/<slug:name>/token"): PREPARER,
    ("delete", "api/applications/<slug:name>/token"): PREPARER,
    ("get", "api/journal"): VIEWER,
    ("get", "api/carried"): VIEWER,
}
# The same on a live application, where writing asks for more.
LIVE = {
    ("post", f"{TRIP}/passes"),
    ("post", f"{TRIP}/passes/<int:number>"),
    ("delete", f"{TRIP}/scheduled"),
    ("delete", "api/jobs/<int:pk>"),
    ("post", "api/jobs/<int:pk>"),
}
STAY = {"serve", "worker", "demo", "restore"}
REFUSED = set(rights._WORDS.values())


def methods(view: Any) -> set[str]:
    return {name for name in ("get", "post", "put", "patch", "delete") if hasattr(view, name)}


def commands(group: click.Command, before: tuple[str, ...] = ()) -> list[tuple[str, ...]]:
    """All commands that there are, those of groups with the group's name."""
    if not isinstance(group, click.Group):
        return [before]
    names = group.list_commands(click.Context(group))
    return [one for name in names for one in commands(group.get_command(None, name), (*before, name))]  # type: ignore


class Rights(ServiceCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.people = {role: Person.objects.create(username=f"a-{role}", name=role, role=role) for role in ROLES}
        own = cls()
        own.setUp()
        sheet = "harbour,berth_no,notes\nTERNISLAND,D-00{},by right\n"
        cls.trips = {
            "practice": own.bring(sheet.format(1)),
            "live": own.bring(sheet.format(2), application=cls.live),
        }

    def asked(self, role: str, method: str, path: str, stage: str) -> Any:
        trip = self.trips[stage]
        job = enqueue("apply", "ada", PartView.of(trip)) if path == "api/jobs/<int:pk>" and method != "get" else None
        number = 999_999 if (method, path) == ("delete", TRIP) else job.pk if job else trip.pk
        parts = {"<int:pk>": str(number), "<str:number>": "999", "<slug:name>": "no-such", "<str:username>": "nobody"}
        for name, value in {
            **parts,
            "<int:number>": "999",
            "<int:sheet>": "999",
            "<int:row>": "999",
            "<str:identifier>": "x",
        }.items():
            path = path.replace(name, value)
        client = Client()
        if role:
            client.force_login(self.people[Role(role)])
        answer = getattr(client, method)("/" + path.replace("<str:what>", "x"), {}, content_type="application/json")
        Job.objects.filter(pk=job.pk).delete() if job else None
        return answer

    def test_every_endpoint_is_in_the_table(self) -> None:
        views = {str(p.pattern): p.callback.view_class for p in urlpatterns if hasattr(p.callback, "view_class")}
        self.assertEqual({(m, path) for path, view in views.items() for m in methods(view)}, set(ENDPOINTS))

    def test_each_role_at_each_endpoint(self) -> None:
        for (method, path), least in ENDPOINTS.items():
            for stage in ("practice", "live") if (method, path) in LIVE else ("practice",):
                needed = OPERATOR if stage == "live" else least
                for role in ("", *ROLES):
                    with self.subTest(f"{role or 'nobody'} {method} {path} {stage}"):
                        answer = self.asked(role, method, path, stage)
                        if least == ANYONE:
                            self.assertNotIn(answer.status_code, (401, 403))
                        elif not role:
                            self.assertEqual(answer.status_code, 401)
                        elif self.people[Role(role)].may(needed):
                            self.assertNotIn(answer.status_code, (401, 403, 500))
                        else:
                            self.assertEqual(answer.status_code, 403)
                            self.assertIn(answer.json()["detail"], REFUSED)

    def test_each_role_at_each_command(self) -> None:
        trip, live = str(self.trips["practice"].pk), str(self.trips["live"].pk)
        sheet = str(self.text("harbour,berth_no\nTERNISLAND,D-001\n"))
        target = str(self.vexo.files / "x.csv")
        away = ("connect", "x", "http://127.0.0.1:9/", "--stage", "live", "--inside")
        table: dict[tuple[str, ...], str] = {
            ("applications",): VIEWER,
            away: ADMINISTRATOR,
            ("fields", "harbour-practice", "Berth"): VIEWER,
            ("guards", "harbour-practice"): VIEWER,
            ("guards", "no-such", "--set", "check=off"): ADMINISTRATOR,
            ("rules", "harbour-practice"): VIEWER,
            ("rules", "no-such", "--off", "Berth=delete"): ADMINISTRATOR,
            ("take-back", trip): PREPARER,
            ("approval", trip): VIEWER,
            ("approval", trip, "--ask", "Please"): PREPARER,
            ("token", "no-such", "--withdraw"): PREPARER,
            ("read", sheet): VIEWER,
            ("send-out", "no-such", "Berth", "-o", target): PREPARER,
            ("trips",): VIEWER,
            ("trips", "--rename", f"{trip}=Renamed"): PREPARER,
            ("routes",): VIEWER,
            ("routes", "--delete", "no-such"): PREPARER,
            ("parts", trip): VIEWER,
            ("parts", trip, "--give", "1=Ines"): PREPARER,
            ("compare", trip): PREPARER,
            ("refill", "no-such", "Berth", sheet, "-o", target): PREPARER,
            ("bring-in", "no-such", "Berth", sheet): PREPARER,
            ("columns", trip, "--map", "nothing="): PREPARER,
            ("add-field", "no-such", "Berth", "Label"): ADMINISTRATOR,
            ("add-choice", "no-such", "Berth", "status", "x"): ADMINISTRATOR,
            ("move", trip, "no-such"): PREPARER,
            ("open", trip): VIEWER,
            ("review", trip): VIEWER,
            ("plan", trip): PREPARER,
            ("keys", trip): PREPARER,
            ("edit", trip, "--row", "2", "--column", "notes", "--value", "by right"): PREPARER,
            ("edits", trip): VIEWER,
            ("edits", trip, "--undo", "99"): PREPARER,
            ("totals", trip): VIEWER,
            ("totals", trip, "--expect-rows", "1"): PREPARER,
            ("only", trip, "--where", ""): PREPARER,
            ("decide", trip, "aside", "--plan", "99", "--row", "2"): PREPARER,
            ("decisions", trip): VIEWER,
            ("decisions", trip, "--undo", "99"): PREPARER,
            ("apply", trip, "--plan", "99", "--yes"): PREPARER,
            ("apply", live, "--plan", "99", "--yes"): OPERATOR,
            ("apply", live, "--go-on", "99"): OPERATOR,
            ("apply", live, "--give-up", "99"): OPERATOR,
            ("apply", live, "--plan", "99", "--yes", "--at", "20:00"): OPERATOR,
            ("pause", trip): PREPARER,
            ("pause", live): OPERATOR,
            ("stop", trip): PREPARER,
            ("stop", live): OPERATOR,
            ("routes", "--refusals", "no-such=3"): PREPARER,
            ("outcome", trip): VIEWER,
            ("person", "list"): ADMINISTRATOR,
            ("person", "add", "ada", "--password-from-input"): ADMINISTRATOR,
            ("person", "role", "nobody", "viewer"): ADMINISTRATOR,
            ("person", "password", "nobody", "--password-from-input"): ADMINISTRATOR,
            ("person", "remove", "nobody"): ADMINISTRATOR,
            ("person", "link", "nobody"): ADMINISTRATOR,
            ("person", "sign-out", "ada"): ADMINISTRATOR,
            ("person", "reading", "--locale", "en-GB"): VIEWER,
            ("script-token", "list"): VIEWER,
            ("script-token", "make", "one", "--days", "0"): VIEWER,
            ("script-token", "withdraw", "999"): VIEWER,
            ("disk",): ADMINISTRATOR,
            ("receipts",): ADMINISTRATOR,
            ("receipts", "--save", "9", "-o", target): ADMINISTRATOR,
            ("notices",): VIEWER,
            ("files", trip): VIEWER,
            ("files", trip, "--save", "9", "-o", target): VIEWER,
            ("send-on", trip, "-o", target): PREPARER,
            ("retention",): ADMINISTRATOR,
            ("delete", "999999", "--yes"): ADMINISTRATOR,
            ("journal",): VIEWER,
            ("journal", "--verify"): VIEWER,
            ("backup", str(self.vexo.files / "no" / "such.tar.gz")): ADMINISTRATOR,
        }
        known = {one for one in commands(main) if one[0] not in STAY}
        self.assertEqual(known, {one[:2] if one[0] in ("person", "script-token") else one[:1] for one in table})
        for arguments, least in table.items():
            for role in ROLES:
                with self.subTest(f"{role}: vexo {' '.join(arguments)}"):
                    done = self.vexo.run("--as", f"a-{role}", *arguments, VEXO_TOKEN="t")
                    refused = any(words in done.stderr for words in REFUSED)
                    self.assertEqual(refused, not self.people[Role(role)].may(least), done.stderr)

    def test_what_nobody_named_is_nobodys(self) -> None:
        from vexo.server.people.permissions import action_of

        class Forgotten:
            def post(self) -> None: ...

        self.assertEqual(action_of(Forgotten(), "POST"), rights.Action.NOTHING)
        for person in self.people.values():
            self.assertFalse(rights.may(person, rights.Action.NOTHING))
