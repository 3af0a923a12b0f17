"""Questions that screens wait for, links that lead elsewhere, and who may stop what."""

from __future__ import annotations

import socket
import threading
import unittest
from contextlib import ExitStack, suppress
from typing import Any
from unittest.mock import patch

import httpx

from tests.server.services import ServiceCase
from tests.support import TOKEN, register, template, wait_until

template()

from django.test import Client  # noqa: E402

from vexo.applications import ApplicationError, check_address, inner_place  # noqa: E402
from vexo.applications import http as connections  # noqa: E402
from vexo.applications.odata import ODataClient  # noqa: E402
from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.applications.secrets import unlock  # noqa: E402
from vexo.server.applications.services import Connection, connect  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Links(unittest.TestCase):
    def lead(self, link: str) -> list[httpx.Request]:
        """Read berths from an application whose first page leads on to a link: what was asked."""
        asked: list[httpx.Request] = []

        def answer(request: httpx.Request) -> httpx.Response:
            asked.append(request)
            if request.url.path.endswith("$metadata"):
                return httpx.Response(200, content=self.metadata)
            more = {"@odata.nextLink": link} if len(asked) == 2 else {}
            return httpx.Response(200, json={"value": [], **more})

        with ODataClient("http://own.example:81/odata/", "the-token", transport=httpx.MockTransport(answer)) as own:
            list(own.read(own.describe().type("Berth"), ["id"]))
        return asked

    @classmethod
    def setUpClass(cls) -> None:
        with register().client() as client:
            cls.metadata = client.get("$metadata", headers={"Accept": "application/xml"}).content

    def test_a_link_to_another_origin_is_not_followed_and_gets_no_token(self) -> None:
        for link in (
            "http://evil.example/odata/Berths?$skiptoken=1",
            "https://own.example:81/odata/Berths",
            "http://own.example:82/odata/Berths",
            "//evil.example/odata/Berths",
            "http://own.example:81@evil.example/odata/Berths",
            "http://someone:x@own.example:81/odata/Berths",
            "file:///etc/passwd",
        ):
            with self.subTest(link), self.assertRaises(ApplicationError) as caught:
                self.lead(link)
            self.assertIn("The token goes nowhere else", str(caught.exception))

    def test_links_on_the_own_origin_are_followed(self) -> None:
        for link in ("Berths?$skiptoken=1", "/odata/Berths?$skiptoken=1", "http://own.example:81/odata/Berths?$skip=1"):
            with self.subTest(link):
                asked = self.lead(link)
                self.assertEqual({str(request.url.host) for request in asked}, {"own.example"})
                self.assertEqual(len(asked), 3)

    def test_addresses_are_of_the_web_and_hold_no_password(self) -> None:
        for address in (
            "ftp://x/",
            "file:///etc/passwd",
            "memory:1",
            "http://",
            "x",
            "http://h:99999/",
            "http://h/?a=1",
        ):
            with self.subTest(address), self.assertRaises(ApplicationError):
                check_address(address)
        with self.assertRaises(ApplicationError) as caught:
            check_address("https://ada:secret@h/")
        self.assertNotIn("secret", str(caught.exception))
        for address in ("https://h/odata/", "http://127.0.0.1:8421/live/odata/", "http://[::1]:80/x"):
            check_address(address)


class Waiting(ServiceCase):
    def signed_in(self, role: str) -> Client:
        person, _ = Person.objects.get_or_create(username=f"as-{role}", defaults={"name": role, "role": role})
        client = Client()
        client.force_login(person)
        return client

    def preview(self, client: Client) -> Any:
        body = {"record_type": "Berth", "chosen": ["id"], "condition": "berth_no eq 'A-001'"}
        return client.post("/api/applications/harbour-practice/preview", body, content_type="application/json")

    def test_a_slow_application_is_said_in_time_and_asked_once(self) -> None:
        client = self.signed_in("preparer")
        register().trouble("slow", times=1, seconds=3)
        with patch.object(connections, "SOON", 0.5):
            answer = self.preview(client)
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "no-answer"))
        self.assertIn("is slow", answer.json()["detail"])
        register().trouble("busy", times=1)
        busy = self.preview(client).json()
        self.assertEqual((busy["code"], "too busy" in busy["detail"]), ("no-answer", True), busy)
        self.assertEqual(self.preview(client).status_code, 200)

    def test_an_answer_that_drips_is_given_up_in_time(self) -> None:
        """Byte after byte, in the head or in the body, each well within the limit between two reads."""
        for head in (b"HTTP/1.1 200 OK\r\nX-Long: ", b"HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n"):
            with self.subTest(head), socket.create_server(("127.0.0.1", 0)) as server, ExitStack() as stack:
                over = threading.Event()

                def drip(server: socket.socket = server, head: bytes = head, over: threading.Event = over) -> None:
                    client, _ = server.accept()
                    with client, suppress(OSError):
                        client.sendall(head)
                        while not over.wait(0.05):
                            client.sendall(b"x")

                thread = threading.Thread(target=drip, daemon=True)
                thread.start()
                stack.callback(over.set)
                stack.enter_context(patch.object(connections, "SOON", 0.4))
                address = f"http://127.0.0.1:{server.getsockname()[1]}/"
                with self.assertRaises(ApplicationError) as caught, ODataClient(address, "t", quick=True) as slow:
                    slow.describe()
                self.assertIn("is slow: no answer within", str(caught.exception))

    def test_two_wait_for_one_application_and_who_comes_next_is_told(self) -> None:
        from vexo.server.applications.services import a_turn
        from vexo.server.errors import PlainError

        inside, leave = threading.Semaphore(0), threading.Event()

        def wait(name: str) -> None:
            with a_turn(name):
                inside.release()
                leave.wait(60)

        names = ["harbour-practice", "harbour-practice", "other", "other"]
        waiting = [threading.Thread(target=wait, args=(name,), daemon=True) for name in names]
        try:
            for thread in waiting[:2]:
                thread.start()
                inside.acquire(timeout=60)
            answer = self.preview(self.signed_in("preparer"))
            self.assertIn("others wait for it", answer.json()["detail"])
            for thread in waiting[2:]:
                thread.start()
                inside.acquire(timeout=60)
            with self.assertRaises(PlainError), a_turn("a third"):
                self.fail("a fifth question got in")
        finally:
            leave.set()
        wait_until(lambda: not any(thread.is_alive() for thread in waiting), what="the end of waiting")
        self.assertEqual(self.preview(self.signed_in("preparer")).status_code, 200)

    def test_only_who_may_write_to_live_may_stop_a_pass_there(self) -> None:
        trip, _ = self.out("C", "notes", application=self.live)
        practice, _ = self.out("C", "notes")
        for about, kind, allowed in (
            (trip, "apply", ["operator", "administrator"]),
            (trip, "plan", ["preparer", "operator", "administrator"]),
            (practice, "apply", ["preparer", "operator", "administrator"]),
        ):
            for role in Role.values:
                with self.subTest(role, kind=kind, stage=about.application.stage):
                    job = enqueue(kind, "ada", PartView.of(about), number=1)
                    status = self.signed_in(role).delete(f"/api/jobs/{job.pk}").status_code
                    self.assertEqual(status, 200 if role in allowed else 403)
                    job.refresh_from_db()
                    self.assertEqual(job.state, Job.STOPPED if role in allowed else Job.QUEUED)
                    Job.objects.filter(pk=job.pk).delete()


class Connecting(ServiceCase):
    def connect(self, address: str, **more: Any) -> Any:
        inside, change = more.pop("inside", False), more.pop("change", False)
        wanted = Connection(**{"name": "new", "address": address, "stage": "practice", "token": TOKEN, **more})
        return connect(self.person, wanted, inside=inside, change=change)

    def test_addresses_of_this_machine_and_its_network_are_said_before_they_are_kept(self) -> None:
        places = {
            "http://127.0.0.1:1/": "the machine that Vexo runs on",
            "http://localhost:1/": "the machine that Vexo runs on",
            "http://[::1]/": "the machine that Vexo runs on",
            "http://0.0.0.0/": "the machine that Vexo runs on",
            "http://[::ffff:127.0.0.1]/": "the machine that Vexo runs on",
            "http://10.1.2.3/": "Vexo's own network",
            "http://192.168.0.7:8080/x": "Vexo's own network",
            "http://169.254.169.254/": "Vexo's own network",
            "http://[fe80::1]/": "Vexo's own network",
            "http://8.8.8.8/": "",
            "http://no-such-name.invalid/": "",
        }
        for address, place in places.items():
            with self.subTest(address):
                self.assertEqual(inner_place(address), place)
                if place:
                    with self.assertRaises(PlainError) as caught:
                        self.connect(address)
                    self.assertIn(place, str(caught.exception))
                    self.assertEqual(caught.exception.code, "inside")
        self.assertFalse(Application.objects.filter(name="new").exists())

    def test_a_connection_is_changed_only_where_that_is_said_and_the_journal_says_what(self) -> None:
        own = register().odata()
        self.connect(own, inside=True, name="mine", label="Mine")
        with self.assertRaises(PlainError) as caught:
            self.connect(own, inside=True, name="mine")
        self.assertIn("Choose another short name", str(caught.exception))
        with self.assertRaises(PlainError):
            self.connect(own, inside=True, name="none-such", change=True)
        changed = self.connect(own, inside=True, change=True, name="mine", label="Ours", token="")
        self.assertEqual(unlock(changed.secret), TOKEN, "the token that was kept")
        with self.assertRaises(PlainError) as caught:
            self.connect("http://127.0.0.1:9/", inside=True, change=True, name="mine", label="Ours", token="")
        self.assertIn("Give it again", str(caught.exception), "it was given for another place")
        told = list(Entry.objects.filter(application="mine").order_by("id").values_list("who", "message"))
        said = [("ada", f"Connected Mine at {own}"), ("ada", "Changed the connection of Ours: label")]
        self.assertEqual(told, said)

    def test_over_http(self) -> None:
        client = Client()
        client.force_login(self.person)
        body = {"name": "web", "address": register().odata(), "token": TOKEN, "stage": "practice"}
        asked = client.post("/api/applications", body, content_type="application/json")
        self.assertEqual((asked.status_code, asked.json()["code"]), (422, "inside"))
        made = client.post("/api/applications", {**body, "inside": True}, content_type="application/json")
        self.assertEqual(made.status_code, 201)
        self.assertNotIn("token", made.json())
        change = {"address": register().odata(), "token": "", "stage": "live", "label": "Web", "inside": True}
        changed = client.put("/api/applications/web", change, content_type="application/json").json()
        self.assertEqual((changed["stage"], changed["label"]), ("live", "Web"))


class Downloads(ServiceCase):
    def test_what_leaves_vexo_as_a_file_is_in_the_journal(self) -> None:
        trip, _ = self.out("D", "notes")
        client = Client()
        client.force_login(self.person)
        sheet = trip.sheets.get()
        before = Entry.objects.count()
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/sheets/999").status_code, 404)
        self.assertEqual(Entry.objects.count(), before)
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/sheets/{sheet.pk}").status_code, 200)
        brought = self.bring("harbour,berth_no,notes\nTERNISLAND,D-001,one more\n")
        self.apply(brought)
        self.assertEqual(client.get(f"/api/trips/{brought.pk}/files/receipt.csv").status_code, 200)
        self.vexo.run("--as", "ada", "outcome", str(brought.pk), "--receipt", str(self.vexo.files / "kept.csv"))
        told = list(Entry.objects.filter(what="downloaded").order_by("id").values_list("who", "trip", "file"))
        own = [("ada", trip.pk, sheet.name), ("ada", brought.pk, "receipt.csv"), ("ada", brought.pk, "kept.csv")]
        self.assertEqual(told, own)
