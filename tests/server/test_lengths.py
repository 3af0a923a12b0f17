"""Texts that are too long are refused and not cut, whichever way they come in."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from django.test import Client

from tests.server.sending_case import EELGRASS, SendingCase
from tests.support import template

template()

from vexo.core.documents import SendOut  # noqa: E402
from vexo.core.records import NewField  # noqa: E402
from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.applications.services import Connection, connect  # noqa: E402
from vexo.server.applications.shaping import add_choice, add_field  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.people.models import Person  # noqa: E402
from vexo.server.people.services import add  # noqa: E402
from vexo.server.routes.models import Route  # noqa: E402
from vexo.server.routes.saved_routes import Wanted, keep_route  # noqa: E402

OUT = SendOut("Berth", ("notes",), EELGRASS)
PLACE = "http://127.0.0.1:9/odata/"


class TooLong(SendingCase):
    def connecting(self, **more: Any) -> Connection:
        return Connection(**{"name": "other", "address": PLACE, "token": "x", "stage": "practice", **more})

    def field(self, **more: Any) -> NewField:
        return NewField(**{"name": "x", "label": "X", "kind": "text", **more})

    def test_they_are_refused_and_nothing_is_kept(self) -> None:
        give: dict[str, tuple[int, Callable[[str], object]]] = {
            "A route's name": (120, lambda text: keep_route(self.person, Wanted(text, self.practice, OUT))),
            "A person's name": (80, lambda text: add(self.person, "pia", text, "viewer")),
            "An application's name": (120, lambda text: connect(self.person, self.connecting(label=text))),
            "An address": (300, lambda text: connect(self.person, self.connecting(address=f"{PLACE}{text}"[:301]))),
            "A field's label": (
                80,
                lambda text: add_field(self.person, self.practice, "Berth", self.field(label=text)),
            ),
            "What the records get": (
                500,
                lambda text: add_field(self.person, self.practice, "Berth", self.field(existing=text)),
            ),
            "A choice": (60, lambda text: add_choice(self.person, self.practice, "Berth", "status", text)),
        }
        there = [model.objects.count() for model in (Route, Person, Application)]
        for what, (most, step) in give.items():
            with self.subTest(what):
                with self.assertRaises(PlainError) as caught:
                    step("x" * (most + 1))
                said = str(caught.exception)
                self.assertTrue(said.startswith(what), said)
                self.assertIn(f"at most {most} characters; this one has {most + 1}.", said)
        self.assertEqual([model.objects.count() for model in (Route, Person, Application)], there)

    def test_those_that_are_just_short_enough_are_kept_whole(self) -> None:
        self.assertEqual(keep_route(self.person, Wanted("r" * 120, self.practice, OUT)).name, "r" * 120)
        self.assertEqual(add(self.person, "mara", f"  {'m' * 80} ", "viewer").name, "m" * 80)

    def test_a_short_name_makes_a_part_of_an_address(self) -> None:
        for name in ("a/b", "a b", "", "x" * 51, "år"):
            with self.subTest(name), self.assertRaisesRegex(PlainError, "English letters, figures"):
                connect(self.person, self.connecting(name=name))

    def test_a_connection_that_has_an_odd_one_already_can_be_changed(self) -> None:
        before = self.practice
        odd = Application.objects.create(name="a b", address=before.address, stage="practice", secret=before.secret)
        same = Connection("a b", before.address, "practice", label="Odd")
        connect(self.person, same, change=True, inside=True)
        odd.refresh_from_db()
        self.assertEqual(odd.label, "Odd")

    def test_on_the_command_line_and_over_http(self) -> None:
        long = "long words " * 60
        done = self.vexo.run("--as", "ada", "person", "add", "nils", "--name", long, "--no-password")
        self.assertEqual((done.returncode, "at most 80 characters" in done.stderr), (2, True), done.stderr)
        client = Client()
        client.force_login(self.person)
        made = {"name": long, "application": "practice", "document": {"record_type": "Berth", "chosen": ["notes"]}}
        for path, body in (
            ("people", {"username": "nils", "name": long, "role": "viewer", "password": "a-long-enough-secret"}),
            ("routes", made),
        ):
            answer = client.post(f"/api/{path}", json.dumps(body), content_type="application/json")
            self.assertIn(answer.status_code, (400, 422), answer.content)
        self.assertFalse(Person.objects.filter(username="nils").exists())
