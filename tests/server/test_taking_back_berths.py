"""Taking back as a law over berths: lists, new names, rows that were refused and sent again, kills, and what colleagues
did since, pointing to a new record too. Judged by the register's own records."""

from __future__ import annotations

from itertools import count
from typing import Any

from hypothesis import Phase, assume, event, given, settings
from hypothesis import strategies as st

from tests import whole_rounds
from tests.server.killing import POINTS, die, take_over
from tests.server.test_editing import EditCase
from tests.server.test_taking_back import TakeBackCase
from tests.support import register, template

template()

_LISTS = st.sampled_from([[], ["water"], ["power", "wifi"], ["crane", "water"]])
_BERTH = st.tuples(_LISTS, st.sampled_from([None, "was"]))
_EDIT = st.tuples(
    st.sampled_from(["", "[clear]", "ours"]),
    st.sampled_from(["", "[add] pump-out", "[remove] water", "wifi", "[clear]"]),
    st.sampled_from(["", "900", "52.5"]),
    st.booleans(),
)
"""Notes, services, a rate (900 is refused), and whether it gets another name."""
_SINCE = st.sampled_from(["notes", "services", "length", "pointed"])
FIELDS = ("berth_no", "notes", "services", "daily_rate", "length_m")
_numbers = count(1)
State = dict[int, dict[str, Any]]


class LawOfBerths(TakeBackCase, EditCase):
    def state(self) -> State:
        where = f"harbour eq 'TERNISLAND' and startswith(berth_no,'{self.letter}-')"
        found = register().get("Berths", **{"$filter": where, "$orderby": "id"})["value"]
        told = {one["id"]: {name: one[name] for name in FIELDS} for one in found}
        return {key: one | {"services": sorted(one["services"])} for key, one in told.items()}

    def have(self, there: list[Any]) -> None:
        with register().client() as client:
            for at, (services, notes) in enumerate(there, 1):
                body = {"harbour": "TERNISLAND", "berth_no": f"{self.letter}-{at}", "length_m": 9.5}
                more = {"services": services, "daily_rate": 31, "notes": notes}
                client.post("Berths", json=body | more).raise_for_status()

    def write(self, trip: Any, point: str = "") -> Any:
        """All that is asked meant, but for what others changed; and written."""
        for code in ("key-edited", "far-out", "lost-point"):
            if any(code in row for row in self.codes(trip)):
                self.decide(trip, "file", code=code)
        self.meant(trip)
        summary = self.newest(trip).summary
        absent = summary.get("absent") or {}
        terms = self.terms(trip)
        if not (terms.get("create") or terms.get("update") or terms.get("delete") or absent.get("delete")):
            return None
        if point:
            die(point, self.start(trip))
            self.assertEqual(take_over().error, "")
            return self.last_pass(trip)
        return self.apply(trip)

    def came_home(self, edits: dict[int, Any], new: int) -> Any:
        """The berths that went out, edited and with new rows: the trip, written, what was refused put right."""
        trip, path = self.out(self.letter, "notes", "services", "daily_rate", "length_m")

        def change(sheet: Any) -> None:
            for at, (notes, services, rate, renamed) in edits.items():
                if at + 2 > sheet.max_row:
                    continue
                for column, value in ((4, notes), (5, services), (6, rate and float(rate))):
                    if value:
                        sheet.cell(at + 2, column).value = value
                if renamed:
                    sheet.cell(at + 2, 3).value = f"{self.letter}-R{at}"
            for at in range(new):
                for column, value in enumerate((None, "TERNISLAND", f"{self.letter}-{7 + at}", None, None, 31, 9.5), 1):
                    sheet.cell(sheet.max_row + (column == 1), column).value = value

        self.back(self.edited(path, change), operation="upsert")
        first = self.write(trip)
        assume(first is not None)
        refused = [int(row["row"]) for row in self.table(trip).iter_rows(named=True)] if first.totals["refused"] else []
        for row in first.not_in.filter(state="refused") if refused else ():
            self.edit(trip, "cell", row.row, "Daily rate", text="44")
        if refused:
            event("refused in between")
            self.assertEqual(self.write(trip).totals["refused"], 0)
        return trip

    @settings(whole_rounds, max_examples=whole_rounds.max_examples // 2, phases=[Phase.explicit, Phase.generate])
    @given(
        st.lists(_BERTH, min_size=1, max_size=3),
        st.dictionaries(st.integers(0, 2), _EDIT, max_size=3),
        st.integers(0, 2),
        st.lists(st.tuples(st.integers(0, 4), _SINCE), max_size=2, unique_by=lambda one: one[0]),
        st.sampled_from(["", *POINTS]),
    )
    def test_as_it_was(self, there: list[Any], edits: dict[int, Any], new: int, since: list[Any], point: str) -> None:
        self.letter = f"L{next(_numbers):02}X"
        self.have(there)
        before = self.state()
        trip = self.came_home(edits, new)
        after = self.state()
        assume(after != before)
        pointed = self.colleagues(list(after), since)
        now = self.state()
        back = self.taken_back(trip)
        done = self.write(back, point if self.writes(back) else "")
        if done:
            refused = done.totals["refused"] + (done.absent or {}).get("refused", 0)
            self.assertEqual(refused, 0, "what the application would not have is held before")
        event(f"{back.operation}, killed at {point or 'no point'}" if done else "nothing left to write")
        self.assertEqual(self.state(), self.wanted(before, after, now, pointed))
        if now == after and not pointed and done:
            again = self.taken_back(back)
            self.write(again)
            self.assertEqual(self.without_ids(self.state()), self.without_ids(after))

    def writes(self, trip: Any) -> bool:
        return bool(self.terms(trip).get("update") or self.terms(trip).get("delete"))

    def without_ids(self, state: State) -> list[dict[str, Any]]:
        return sorted(state.values(), key=lambda one: str(one["berth_no"]))

    def colleagues(self, ids: list[int], since: list[Any]) -> set[int]:
        """What others do; the records that they let others point to."""
        pointed = set()
        for at, what in since:
            if at >= len(ids):
                continue
            path = f"Berths({ids[at]})"
            if what == "notes":
                register().change(path, notes="theirs")
            elif what == "services":
                held = register().get(path)["services"]
                register().change(path, services=sorted({*held, "crane"} ^ ({"crane"} & set(held))))
            elif what == "length":
                register().change(path, length_m=12)
            else:
                vessel = register().get("Vessels", **{"$top": "1", "$filter": "home_berth eq null"})["value"][0]
                register().change(f"Vessels({vessel['id']})", home_berth=ids[at])
                self.addCleanup(register().change, f"Vessels({vessel['id']})", home_berth=None)
                pointed.add(ids[at])
        return pointed

    def wanted(self, before: State, after: State, now: State, pointed: set[int]) -> State:
        """The rule, read plainly."""
        wanted: State = {}
        for key, wrote in after.items():
            was, holds = before.get(key), now[key]
            if was is None:
                if holds != wrote or key in pointed:
                    wanted[key] = holds
                continue
            ours = [name for name in FIELDS if was[name] != wrote[name]]
            single = [name for name in ours if name != "services"]
            if any(holds[name] not in (wrote[name], was[name]) for name in single):
                wanted[key] = holds
                continue
            wanted[key] = holds | {name: was[name] for name in single}
            if "services" in ours:
                added = set(wrote["services"]) - set(was["services"])
                removed = set(was["services"]) - set(wrote["services"])
                wanted[key]["services"] = sorted((set(holds["services"]) - added) | removed)
        return wanted
