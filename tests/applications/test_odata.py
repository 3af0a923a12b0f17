from __future__ import annotations

import unittest

import httpx

from tests.applications.suite import ApplicationSuite
from tests.support import TOKEN, free_port, register
from vexo.applications import ApplicationError, open_client
from vexo.applications.base import NoAnswer
from vexo.applications.odata import ODataClient
from vexo.core.planning.verdicts import Verdict
from vexo.core.writing import Write


def pages() -> str:
    return f"{register().address}/practice/{{source}}/{{id}}/"


class OData(ApplicationSuite, unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.application = ODataClient(register().odata(), TOKEN, pages())
        cls.addClassCleanup(cls.application.close)


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
