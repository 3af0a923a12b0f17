from __future__ import annotations

import unittest
from collections.abc import Callable
from dataclasses import replace
from typing import Any
from unittest.mock import patch

import httpx

from tests.applications.suite import ApplicationSuite
from tests.support import TOKEN, free_port, register
from vexo.applications import ApplicationError, open_client
from vexo.applications.base import NoAnswer, NotTaken, TooLarge
from vexo.applications.odata import ODataClient
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import Catalogue
from vexo.core.writing import Write


def pages() -> str:
    return f"{register().address}/practice/{{source}}/{{id}}/"


class OData(ApplicationSuite, unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.application = ODataClient(register().odata(), TOKEN, pages())
        cls.addClassCleanup(cls.application.close)


class WithoutBatches(ODataClient):
    """A service of OData 4.0 that promises no batches: each write goes by itself, and conditions have no lists."""

    def describe(self) -> Catalogue:
        known = super().describe()
        return replace(known, promises=replace(known.promises, batch=1, repeatable=False, lists=False))


class OneByOne(ApplicationSuite, unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.application = WithoutBatches(register().odata(), TOKEN, pages())
        cls.addClassCleanup(cls.application.close)

    def test_what_its_statuses_mean(self) -> None:
        """Of one write by itself: a refusal is its answer; what does not say whether it was done is none."""
        meant: dict[int, Any] = {204: "updated", 200: "updated", 400: "refused", 403: "refused", 404: "refused"}
        meant |= {405: "refused", 409: "refused", 412: "clash", 422: "refused", 428: "refused"}
        meant |= {401: NotTaken, 429: NotTaken, 413: TooLarge, 408: NoAnswer}
        meant |= dict.fromkeys((500, 501, 502, 503, 504), NoAnswer)
        write = Write(1, 1, Verdict.UPDATE, "7", None, {"notes": "x"})
        for status, outcome in meant.items():
            asked: list[httpx.Request] = []

            def answer(request: httpx.Request, status: int = status, asked: Any = asked) -> httpx.Response:
                asked.append(request)
                return httpx.Response(status, json={"error": {"message": "no"}} if status >= 400 else {})

            with self.subTest(status), patch.object(self.application._connection, "_client", client(answer)):
                if isinstance(outcome, str):
                    [told] = self.application.write(self.berths, [write])
                    self.assertEqual(told.state, outcome)
                else:
                    self.assertRaises(outcome, self.application.write, self.berths, [write])
            self.assertEqual([(one.method, one.url.path) for one in asked], [("PATCH", "/odata/Berths(7)")])

    def test_a_page_in_place_of_an_answer_and_a_way_elsewhere_are_no_answers(self) -> None:
        write = Write(1, 1, Verdict.UPDATE, "7", None, {"notes": "x"})
        cases: list[tuple[httpx.Response, type[Exception]]] = [
            (httpx.Response(200, content=b"<html>Sign in</html>"), NoAnswer),
            (httpx.Response(201, content=b"[]"), NoAnswer),
            (httpx.Response(302, headers={"Location": "https://sign-in.example/"}), ApplicationError),
        ]
        for response, outcome in cases:
            with (
                self.subTest(response.status_code),
                patch.object(self.application._connection, "_client", client(lambda _, given=response: given)),
                self.assertRaises(outcome),
            ):
                self.application.write(self.berths, [write])

    def test_a_new_record_is_known_by_its_address_where_nothing_else_says_it(self) -> None:
        for header, given, known in ADDRESSES:
            create = Write(1, 1, Verdict.CREATE, None, None, {"berth_no": "x"})
            answer = httpx.Response(204, headers={header: given})
            with (
                self.subTest(given),
                patch.object(self.application._connection, "_client", client(lambda _, answer=answer: answer)),
            ):
                [told] = self.application.write(self.berths, [create])
                self.assertEqual((told.state, told.identifier), ("created", known))


ADDRESSES = (
    ("OData-EntityId", "http://x/odata/Berths(81)", "81"),
    ("Location", "http://x/odata/Berths(id=81)", "81"),
    ("Location", "http://x/odata/Berths('A%2F''(7)')", "A/'(7)"),
    ("Location", "http://x/odata/Berths(a=1,b=2)", None),
    ("Location", "http://x/odata/Berths(a='1',b='2')", None),
    ("Location", "http://x/odata/Berths('1','2')", None),
    ("Location", "http://x/odata/Berths", None),
)


def client(answer: Callable[[httpx.Request], httpx.Response]) -> httpx.Client:
    return httpx.Client(base_url="http://x/odata/", transport=httpx.MockTransport(answer))


class InBatches(unittest.TestCase):
    def test_a_new_record_is_known_by_its_address_where_its_answer_has_no_body(self) -> None:
        application = ODataClient(register().odata(), TOKEN)
        self.addCleanup(application.close)
        berths = application.describe().type("Berth")
        for header, given, known in ADDRESSES:
            create = Write(1, 1, Verdict.CREATE, None, None, {"berth_no": "x"})
            answer = httpx.Response(200, json={"responses": [{"id": "0", "status": 204, "headers": {header: given}}]})
            with (
                self.subTest(given),
                patch.object(application._connection, "_client", client(lambda _, answer=answer: answer)),
            ):
                [told] = application.write(berths, [create])
                self.assertEqual((told.state, told.identifier), ("created", known))


class Trouble(unittest.TestCase):
    """Requests in a fixed order, so that the register's switch hits the one meant."""

    def setUp(self) -> None:
        self.waits: list[float] = []
        self.application = ODataClient(register().odata(), TOKEN, sleep=self.waits.append)
        self.addCleanup(self.application.close)
        self.berths = self.application.describe().type("Berth")
        self.addCleanup(register().trouble, "none")

    def test_a_busy_application_is_asked_again_when_it_says(self) -> None:
        register().trouble("busy", times=2, seconds=3)
        self.assertEqual(self.application.count(self.berths), self.application.count(self.berths))
        self.assertEqual([round(wait) for wait in self.waits], [3, 3])

    def test_a_failing_application_is_given_up_in_a_sentence(self) -> None:
        register().trouble("failing", times=20)
        with self.assertRaises(ApplicationError) as caught:
            self.application.count(self.berths)
        self.assertIn("too busy", str(caught.exception))
        self.assertEqual(len(self.waits), 5)

    def test_an_answer_lost_after_a_write_is_known_as_lost_and_not_sent_again(self) -> None:
        before = register().berth("OLDBASIN", "A-002")
        write = Write(1, 1, Verdict.UPDATE, before["id"], before["@odata.etag"], {"notes": "dropped"})
        register().trouble("dropping")
        with self.assertRaises(NoAnswer):
            self.application.write(self.berths, [write])
        after = register().berth("OLDBASIN", "A-002")
        self.assertEqual((after["notes"], after["@odata.etag"]), ("dropped", 'W/"2"'))

    def test_wrong_token_wrong_address_wrong_service(self) -> None:
        cases = {
            (register().odata(), "wrong-token"): "token",
            (f"http://127.0.0.1:{free_port()}/", TOKEN): "does not answer",
            (register().address, TOKEN): "OData service",
            ("ftp://nowhere", TOKEN): "not an address",
        }
        for (address, token), words in cases.items():
            application = ODataClient(address, token, sleep=lambda seconds: None)
            with self.subTest(address), self.assertRaises(ApplicationError) as caught:
                application.describe()
            self.assertIn(words, str(caught.exception))
            self.assertNotIn(token, str(caught.exception))
        with self.assertRaises(ApplicationError):
            open_client("telepathy", "http://x", "")

    def test_an_answer_that_is_no_json_and_entities_in_metadata(self) -> None:
        def odd(request: httpx.Request) -> httpx.Response:
            body = b"<!DOCTYPE x [<!ENTITY a 'b'>]><x/>" if request.url.path.endswith("$metadata") else b"<html>"
            return httpx.Response(200, content=body)

        application = ODataClient("http://odd", "", transport=httpx.MockTransport(odd))
        with self.assertRaises(ApplicationError):
            application.describe()
        with self.assertRaises(ApplicationError):
            application.write(self.berths, [])
