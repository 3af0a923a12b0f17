"""Whatever is refused, and wherever, the answer is a problem that a program can read."""

from __future__ import annotations

import importlib
import json
import pkgutil
from typing import Any
from unittest.mock import patch

from tests.described import api
from tests.server.services import ServiceCase
from tests.server.test_odd_requests import CALLS, filled
from tests.support import template

template()


from django.test import Client  # noqa: E402

import vexo  # noqa: E402
from vexo.core.errors import MendableError  # noqa: E402
from vexo.server.people import access_tokens, services  # noqa: E402

API = api()


class Problems(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.person)

    def refused(self, answer: Any, status: int, words: str = "") -> dict[str, Any]:
        self.assertEqual(answer.status_code, status, answer.content[:300])
        self.assertEqual(answer["Content-Type"], "application/problem+json")
        body: dict[str, Any] = json.loads(answer.content)
        self.assertEqual((body["status"], body["type"]), (status, "about:blank"))
        self.assertTrue(body["title"] and body["detail"])
        self.assertIn(body.get("code", "key"), API["components"]["schemas"]["ErrorCodeEnum"]["enum"])
        self.assertIn(words, body["detail"])
        return body

    def test_every_error_that_there_is_has_a_code_that_the_description_names(self) -> None:
        described = API["components"]["schemas"]["ErrorCodeEnum"]["enum"]
        self.assertEqual(described, sorted({*described}))
        for module in pkgutil.walk_packages(vexo.__path__, "vexo."):
            if ".migrations" not in module.name and not module.name.endswith((".wsgi", "pattern_child", ".child")):
                importlib.import_module(module.name)
        kinds, todo = set(), [MendableError]
        while todo:
            kinds.add(kind := todo.pop())
            todo += kind.__subclasses__()
        self.assertGreater(len(kinds), 15)
        for kind in kinds:
            self.assertIn(kind.code, ["", *described], kind)

    def test_an_address_that_is_not_there(self) -> None:
        for path in ("/api/nothing", "/api/trips/1/nothing", "/api/", "/api/trips/x", "/api/trips/1/"):
            for method in ("get", "post", "delete"):
                with self.subTest(path, method=method):
                    self.refused(getattr(self.client, method)(path), 404)
        self.refused(self.client.get("/api/trips/987654"), 404)

    def test_a_method_that_is_not_there_and_a_body_of_another_kind(self) -> None:
        self.refused(self.client.put("/api/trips"), 405)
        self.refused(self.client.post("/api/routes", "<x/>", content_type="text/xml"), 415)

    def test_a_body_that_is_too_large_or_cannot_be_read(self) -> None:
        large = json.dumps({"rows": "x" * 9_000_000})
        self.refused(self.client.post("/api/sent-out", large, content_type="application/json"), 413, "8 MB")
        for content in ("{", "[" * 100_000, "\xff", '{"a": NaN}'):
            answer = self.client.post("/api/sent-out", content, content_type="application/json")
            self.assertIn(answer.status_code, (400, 422))
            self.refused(answer, answer.status_code)

    def test_a_mistake_of_the_server(self) -> None:
        with patch("vexo.server.trips.views.find_trip", side_effect=ValueError("0020418")):
            body = self.refused(self.client.get("/api/trips/1"), 500)
        self.assertEqual(body["code"], "mistake")
        self.assertNotIn("0020418", json.dumps(body))

    def test_a_full_disk_tells_no_path_to_strangers_but_the_machine_s_owner(self) -> None:
        import errno

        from vexo.server.errors import machine_trouble

        full = OSError(errno.ENOSPC, "No space left on device", str(self.vexo.data / "vexo.db"))
        with patch("vexo.server.people.views.throttle.look", side_effect=full):
            body = {"username": "ada", "password": "x"}
            answer = Client().post("/api/session", body, content_type="application/json")
        self.assertNotIn(str(self.vexo.data), json.dumps(self.refused(answer, 503, "is full")))
        self.assertIn(str(self.vexo.data), machine_trouble(full, named=True) or "")

    def test_a_host_name_that_is_not_vexos_is_refused_and_logged_with_the_name(self) -> None:
        with self.assertLogs("vexo.requests", "WARNING") as logs:
            body = self.refused(self.client.get("/api/health", headers={"Host": "elsewhere.example"}), 400)
        self.assertEqual(body["code"], "host")
        self.assertEqual(logs.records[0].__dict__["host"], "elsewhere.example")

    def test_a_request_of_another_page_is_told_apart_from_a_lack_of_rights(self) -> None:
        client = Client(enforce_csrf_checks=True)
        client.force_login(self.person)
        body = self.refused(client.post("/api/routes", {}, content_type="application/json"), 403, "X-CSRFToken")
        self.assertEqual(body["code"], "csrf")
        client.force_login(services.add(self.person, "viv", "Viv", "viewer"))
        self.assertEqual(self.refused(Client().get("/api/trips"), 401)["code"], "sign-in")

    def test_each_operation_refuses_strangers_as_it_is_described(self) -> None:
        stranger, bad = Client(raise_request_exception=False), {"Authorization": "Bearer vexo_nothing"}
        for path, method in CALLS:
            where = filled(path, ["1", "1", "1"])
            described = API["paths"][path][method]
            for headers in ({}, bad):
                answer = stranger.generic(method.upper(), where, "{}", "application/json", headers=headers)
                with self.subTest(path, method=method, headers=headers):
                    if headers or path not in ("/api/session", "/api/session/link", "/api/health"):
                        self.refused(answer, 401) if path != "/api/health" else None
                    self.assertIn(str(answer.status_code), described["responses"])

    def test_each_operation_refuses_a_viewer_s_token_or_reads(self) -> None:
        _, text = access_tokens.make_token(self.person, "looker", "viewer", 1)
        script = Client(raise_request_exception=False, headers={"Authorization": f"Bearer {text}"})
        mine = (
            "/api/access",
            "/api/session",
            "/api/notices",
            "/api/trips/{id}/groups",
            "/api/applications/{name}/condition",
        )
        for path, method in CALLS:
            if method == "get" or path.startswith(mine):
                continue
            answer = script.generic(method.upper(), filled(path, ["1", "1", "1"]), "{}", "application/json")
            with self.subTest(path, method=method):
                self.assertIn(answer.status_code, (400, 403, 404, 422), answer.content[:200])
                self.assertEqual(answer["Content-Type"], "application/problem+json")

    def test_unknown_names_in_any_body_are_refused_and_the_nearest_named(self) -> None:
        for path, method in CALLS:
            content = API["paths"][path][method].get("requestBody", {}).get("content", {}).get("application/json")
            if content is None or path.startswith("/api/session"):
                continue
            name = content["schema"].get("$ref", "").rpartition("/")[2]
            known = API["components"]["schemas"].get(name, {}).get("properties")
            if not known:
                continue
            near = f"{next(iter(known))}z"
            where = filled(path, ["harbour-practice" if "{name}" in path else "1", "1", "1"])
            answer = self.client.generic(method.upper(), where, json.dumps({near: 1}), "application/json")
            with self.subTest(path, method=method):
                self.assertIn(answer.status_code, (404, 412, 422), answer.content[:200])
                if answer.status_code == 422:
                    self.refused(answer, 422)
