"""What a service says of itself, also where it says little."""

from __future__ import annotations

import json
import unittest

import httpx

from vexo.applications import ApplicationError
from vexo.applications.base import NoAnswer, NotTaken, TooLarge
from vexo.applications.odata import ODataClient
from vexo.applications.odata.metadata import read_metadata
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import Catalogue, Kind
from vexo.core.writing import Write

EDMX = '<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0"><edmx:DataServices>'
SCHEMA = '<Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="S">'
END = "</Schema></edmx:DataServices></edmx:Edmx>"


def document(types: str, sets: str) -> bytes:
    return f'{EDMX}{SCHEMA}{types}<EntityContainer Name="C">{sets}</EntityContainer>{END}'.encode()


def catalogue(types: str, sets: str) -> Catalogue:
    return read_metadata(document(types, sets), "http://plain/")


BATCHES = '<Annotation Term="Org.OData.Capabilities.V1.BatchSupport"/>'
ARTICLE = """
<EntityType Name="Article"><Key><PropertyRef Name="sku"/></Key>
<Property Name="sku" Type="Edm.String" Nullable="false"/>
<Property Name="unit_price" Type="Edm.Decimal" Precision="9" Scale="3"/>
<Property Name="weight" Type="Edm.Double"/>
<Property Name="volume" Type="Edm.Decimal" Scale="variable"/>
<Property Name="area" Type="Edm.Decimal" Precision="34" Scale="floating"/>
<Property Name="height" Type="Edm.Decimal"/>
<Property Name="boxes" Type="Edm.Decimal" Scale="0"/>
<Property Name="stock" Type="Edm.Int32"/>
<Property Name="tags" Type="Collection(Edm.String)"/>
<Property Name="picture" Type="Edm.Stream"/>
<Property Name="sizes" Type="Collection(Edm.Int32)"/>
<Property Name="maker" Type="Edm.Int32"/>
<NavigationProperty Name="made_by" Type="S.Maker">
<ReferentialConstraint Property="maker" ReferencedProperty="id"/></NavigationProperty>
</EntityType>"""
MAKER = """<EntityType Name="Maker"><Key><PropertyRef Name="id"/></Key>
<Property Name="id" Type="Edm.Int32"/></EntityType>"""
PAIR = """<EntityType Name="Pair"><Key><PropertyRef Name="a"/><PropertyRef Name="b"/></Key>
<Property Name="a" Type="Edm.Int32"/><Property Name="b" Type="Edm.Int32"/></EntityType>"""


class Plain(unittest.TestCase):
    """A service without annotations."""

    known = catalogue(
        ARTICLE + MAKER,
        '<EntitySet Name="Articles" EntityType="S.Article"/><EntitySet Name="Makers" EntityType="S.Maker"/>',
    )

    def test_labels_come_from_names(self) -> None:
        article = self.known.type("Article")
        self.assertEqual((article.label, article.plural, article.identifier), ("Article", "Articles", "sku"))
        self.assertEqual(article.field("unit_price").label, "Unit price")
        self.assertEqual(self.known.label, "http://plain/")

    def test_kinds(self) -> None:
        kinds = {f.name: f.kind for f in self.known.type("Article").fields}
        expected = {"sku": Kind.TEXT, "unit_price": Kind.DECIMAL, "weight": Kind.DECIMAL, "stock": Kind.WHOLE}
        decimals = {"volume": None, "area": None, "height": None, "boxes": 0, "unit_price": 3, "weight": None}
        self.assertEqual({name: self.known.type("Article").field(name).scale for name in decimals}, decimals)
        expected |= dict.fromkeys(("volume", "area", "height", "boxes"), Kind.DECIMAL)
        self.assertEqual(kinds, {**expected, "tags": Kind.CHOICES, "maker": Kind.REFERENCE})

    def test_lists_of_values_came_with_a_newer_version(self) -> None:
        types, sets = MAKER, '<EntitySet Name="Makers" EntityType="S.Maker"/>'
        older, newer = document(types, sets), document(types, sets).replace(b'Version="4.0"', b'Version="4.01"')
        self.assertEqual([read_metadata(one, "http://x/").promises.lists for one in (older, newer)], [False, True])

    def test_what_is_no_field_and_no_type_here_is_named(self) -> None:
        self.assertEqual(self.known.type("Article").unread, ("picture (Stream)", "sizes (Collection(Int32))"))
        self.assertEqual((self.known.type("Maker").unread, self.known.unread), ((), ()))
        pairs = '<EntitySet Name="Pairs" EntityType="S.Pair"/><EntitySet Name="Makers" EntityType="S.Maker"/>'
        known = catalogue(PAIR + MAKER, pairs)
        self.assertEqual(([one.name for one in known.types], known.unread), (["Maker"], ("Pairs",)))
        self.assertEqual(Catalogue.from_json(json.loads(json.dumps(known.to_json()))), known)
        before = known.to_json()
        for one in (before, *before["types"]):
            one.pop("unread")
        self.assertEqual(Catalogue.from_json(before).unread, (), "as one of before was kept")

    def test_what_is_not_said_is_not_promised(self) -> None:
        self.assertFalse(self.known.type("Article").versioned)
        self.assertEqual((self.known.promises.atomic_batch, self.known.promises.batch), (0, 1))
        self.assertEqual(self.known.type("Article").keys, ())

    def test_a_link_to_a_type_that_is_not_served_is_plain_text(self) -> None:
        alone = catalogue(ARTICLE, '<EntitySet Name="Articles" EntityType="S.Article"/>')
        self.assertEqual(alone.type("Article").field("maker").kind, Kind.TEXT)

    def test_types_with_several_identifiers_are_left_out(self) -> None:
        both = catalogue(
            PAIR + MAKER, '<EntitySet Name="Pairs" EntityType="S.Pair"/><EntitySet Name="Makers" EntityType="S.Maker"/>'
        )
        self.assertEqual([t.name for t in both.types], ["Maker"])

    def test_the_version_changes_with_the_description(self) -> None:
        sets = '<EntitySet Name="Makers" EntityType="S.Maker"/>'
        self.assertNotEqual(catalogue(MAKER, sets).version, catalogue(MAKER + PAIR, sets).version)
        self.assertEqual(catalogue(MAKER, sets).version, catalogue(MAKER, sets).version)

    def test_what_is_no_description_is_a_sentence(self) -> None:
        for content in (b"", b"<html>", b"<x/>", document("", "")):
            with self.subTest(content), self.assertRaises(ApplicationError) as caught:
                read_metadata(content, "http://plain/")
            self.assertIn("Check the address", str(caught.exception))


class Answers(unittest.TestCase):
    """Answers of a batch, as services differ in them."""

    def answered(self, *responses: dict[str, object], verdict: Verdict = Verdict.UPDATE) -> list[tuple[str, str]]:
        metadata = document(MAKER, f'<EntitySet Name="Makers" EntityType="S.Maker"/>{BATCHES}')

        def serve(request: httpx.Request) -> httpx.Response:
            if request.url.path.endswith("$metadata"):
                return httpx.Response(200, content=metadata)
            return httpx.Response(200, json={"responses": list(responses)})

        with ODataClient("http://plain/", "", transport=httpx.MockTransport(serve)) as application:
            maker = application.describe().type("Maker")
            writes = [Write(n, n, verdict, str(n), None, {}) for n in range(max(1, len(responses)))]
            return [(a.state, "".join(a.arguments[:1])) for a in application.write(maker, writes)]

    def test_each_status_has_its_meaning(self) -> None:
        error = {"error": {"code": "x", "message": "No."}}
        given = [
            {"id": "0", "status": 204, "headers": {"ETag": "v2"}},
            {"id": "1", "status": 412},
            {"id": "2", "status": 422, "body": error},
            {"id": "3", "status": 500, "body": error},
            {"id": "4", "status": 403, "body": "odd"},
        ]
        states = self.answered(*given)
        self.assertEqual([state for state, _ in states], ["updated", "clash", "refused", "doubt", "refused"])
        self.assertEqual((states[2][1], states[4][1]), ("No.", "it gave no reason."))

    def test_a_new_record_has_no_version_that_could_clash(self) -> None:
        error = {"error": {"code": "exists", "message": "It is there."}}
        told = self.answered({"id": "0", "status": 412, "body": error}, verdict=Verdict.CREATE)
        self.assertEqual(told, [("refused", "It is there.")])

    def test_an_answer_that_is_missing_is_a_doubt_and_after_a_failure_was_not_taken(self) -> None:
        self.assertEqual(self.answered()[0][0], "doubt")
        self.assertEqual(self.answered({"id": "other", "status": 204})[0][0], "doubt")
        told = self.answered({"id": "0", "status": 422}, {"id": "none", "status": 200})
        self.assertEqual([state for state, _ in told], ["refused", "untaken"])

    def test_a_status_of_the_batch_says_what_was_taken(self) -> None:
        metadata = document(MAKER, f'<EntitySet Name="Makers" EntityType="S.Maker"/>{BATCHES}')
        cases = {401: NotTaken, 403: NotTaken, 404: NotTaken, 429: NotTaken, 413: TooLarge}
        cases |= dict.fromkeys((408, 500, 502, 504, 202), NoAnswer) | {400: ApplicationError, 302: ApplicationError}
        for status, wanted in cases.items():

            def serve(request: httpx.Request, status: int = status) -> httpx.Response:
                found = request.url.path.endswith("$metadata")
                return httpx.Response(200, content=metadata) if found else httpx.Response(status)

            with (
                self.subTest(status),
                ODataClient("http://plain/", "", transport=httpx.MockTransport(serve)) as application,
                self.assertRaises(ApplicationError) as caught,
            ):
                maker = application.describe().type("Maker")
                application.write(maker, [Write(0, 0, Verdict.UPDATE, "1", None, {})])
            self.assertIs(type(caught.exception), wanted)
