"""Taking back as a law: what only the trip changed is as before its first pass, what others changed since stays; and
taking back the taking back gives what was there before it. Judged by the register's own records."""

from __future__ import annotations

from typing import Any

from hypothesis import Phase, assume, event, given, settings
from hypothesis import strategies as st

from tests import wide_rounds
from tests.server.holder_sheets import HolderSheets
from tests.server.test_editing import EditCase
from tests.server.test_taking_back import TakeBackCase
from tests.support import register, template

template()

from vexo.core.sheets import Choices  # noqa: E402

FIELDS = ("last_name", "first_name", "phone")
NAMES = st.sampled_from(["Ash", "Birch", "Cedar", "=1+1", "[x] y"])
FIRST = st.sampled_from([None, "Jo", "Kim", "0012"])
HOLDER = st.tuples(NAMES, FIRST, st.sampled_from([None, "01632 960001", "01632 960002"]))
CELLS = st.tuples(
    NAMES, st.sampled_from(["", "[clear]", "Jo", "Lou"]), st.sampled_from(["", "[clear]", "01632 960003"])
)
State = dict[str, dict[str, Any]]


class Law(TakeBackCase, EditCase, HolderSheets):
    def state(self) -> State:
        return {one["holder_no"]: {name: one[name] for name in FIELDS} for one in self.holders(self.begin)}

    def have(self, there: list[Any]) -> None:
        with register().client() as client:
            for at, values in enumerate(there):
                body = {"holder_no": f"{self.begin}{at:02}", **dict(zip(FIELDS, values, strict=True))}
                client.post("Holders", json={k: v for k, v in body.items() if v is not None}).raise_for_status()

    def go(self, trip: Any) -> None:
        """All that is asked about the plan as a whole meant, and written."""
        self.meant(trip)
        terms = self.terms(trip)
        absent = self.newest(trip).summary.get("absent") or {}
        if terms.get("create") or terms.get("update") or terms.get("delete") or absent.get("delete"):
            done = self.apply(trip)
            self.assertEqual((done.state, done.totals["refused"]), ("ended", 0), done.reasons)

    @settings(wide_rounds, phases=[Phase.explicit, Phase.generate])
    @given(
        st.lists(HOLDER, min_size=2, max_size=7),
        st.lists(st.tuples(st.integers(0, 9), CELLS), min_size=4, max_size=10, unique_by=lambda one: one[0]),
        st.sampled_from(["upsert", "upsert", "delete", "make-same"]),
        st.lists(st.tuples(st.integers(0, 9), NAMES), max_size=2),
        st.lists(st.tuples(st.integers(0, 9), st.sampled_from(FIELDS)), max_size=4),
    )
    def test_as_it_was(
        self, there: list[Any], rows: list[Any], operation: str, again: list[Any], others: list[Any]
    ) -> None:
        self.number_anew()
        self.have(there)
        before = self.state()
        lines = [(f"{at:02}", cells[0].replace("[", "[["), *cells[1:]) for at, cells in rows]
        content = self.sheet(*lines, header="holder_no,last_name,first_name,phone")
        reach = {"reach": f"startswith(holder_no,'{self.begin}')"} if operation == "make-same" else {}
        trip = self.trip(content, operation, choices=Choices(marks=True), **reach)
        self.go(trip)
        corrections = dict(again) if operation == "upsert" else {}
        corrections = {at: name for at, name in corrections.items() if at < len(rows) and name != rows[at][1][0]}
        for at, name in corrections.items():
            self.edit(trip, "cell", at + 2, "last_name", text=name.replace("[", "[["))
        if corrections:
            self.go(trip)
        after = self.state()
        assume(after != before)
        for at, field in others:
            number = f"{self.begin}{at:02}"
            if number in self.state():
                self.theirs(f"{at:02}", **{field: "01632 960009" if field == "phone" else f"Theirs {at}"})
        now = self.state()
        event(f"{operation}, others' changes: {sum(now[one] != after.get(one) for one in now)}")
        back = self.taken_back(trip)
        self.go(back)
        self.assertEqual(self.state(), self.wanted(before, after, now))
        if now == after:
            twice = self.taken_back(back)
            self.go(twice)
            self.assertEqual(self.state(), after)

    def wanted(self, before: State, after: State, now: State) -> State:
        """The rule, read plainly: a row is held as a whole."""
        wanted = {}
        for number in {*before, *now}:
            was, wrote, holds = (one.get(number) for one in (before, after, now))
            if was is not None and wrote is None:
                wanted[number] = was
            elif was is None:
                if holds != wrote and holds is not None:
                    wanted[number] = holds
            else:
                assert wrote is not None
                assert holds is not None
                ours = [name for name in FIELDS if was[name] != wrote[name]]
                held = any(holds[name] not in (wrote[name], was[name]) for name in ours)
                wanted[number] = holds if held else holds | {name: was[name] for name in ours}
        return wanted
