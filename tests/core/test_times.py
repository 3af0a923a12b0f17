"""When records may be written, against a plain reading: is the moment in any window that begins on one of the days?"""

from __future__ import annotations

import unittest
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from vexo.core.rules_of_use import DAYS, RuleError, Times, UseRules

TIMES = st.builds(time, st.integers(0, 23), st.sampled_from([0, 1, 30, 59]))
ALL = st.builds(
    Times,
    st.sets(st.integers(0, 6), min_size=1).map(lambda days: tuple(sorted(days))),
    TIMES,
    TIMES,
    st.sampled_from(["UTC", "Europe/London", "Asia/Kathmandu"]),
)
MOMENTS = st.datetimes(datetime(2026, 1, 5), datetime(2026, 2, 5)).map(lambda one: one.replace(tzinfo=UTC))
"""A month without a change of the clocks: in the hour that is there twice, either reading would do."""


def plainly(times: Times, moment: datetime) -> bool:
    there = moment.astimezone(ZoneInfo(times.zone)).replace(tzinfo=None)
    for back in (0, 1):
        day: date = there.date() - timedelta(days=back)
        begins = datetime.combine(day, times.begins)
        ends = datetime.combine(day, times.ends)
        if ends <= begins:
            ends += timedelta(days=1)
        if day.weekday() in times.days and begins <= there < ends:
            return True
    return False


class WriteTimes(unittest.TestCase):
    @given(ALL, MOMENTS)
    def test_a_moment_is_in_them_or_not(self, times: Times, moment: datetime) -> None:
        self.assertEqual(times.allow(moment), plainly(times, moment))

    @given(ALL, MOMENTS)
    def test_the_next_time_is_the_first_that_is_in_them(self, times: Times, moment: datetime) -> None:
        begins = times.next(moment)
        self.assertTrue(times.allow(begins), "it is in them")
        self.assertGreaterEqual(begins, moment)
        if begins > moment:
            middle = moment + (begins - moment) / 2
            for earlier in (moment, middle, begins - timedelta(minutes=1)):
                if earlier >= moment:
                    self.assertFalse(times.allow(earlier), earlier)

    @given(ALL)
    def test_said_and_read_again_they_are_the_same(self, times: Times) -> None:
        rules = UseRules.from_json({"Holder": {"times": times.to_json()}})
        self.assertEqual(rules.of("Holder").times, times)
        self.assertEqual(UseRules.from_json(rules.to_json()), rules)

    def test_what_cannot_be_is_refused_in_words(self) -> None:
        said = {"from": "20:00", "to": "06:00"}
        for odd in (
            {**said, "days": ["Noday"]},
            {**said, "days": []},
            {**said, "from": "8pm"},
            {**said, "to": ""},
            {**said, "zone": "Nowhere/Land"},
            {**said, "zone": "../etc"},
            {**said, "until": "x"},
            "always",
        ):
            with self.subTest(odd), self.assertRaises(RuleError):
                UseRules.from_json({"Holder": {"times": odd}})
        self.assertEqual(
            UseRules.from_json({"Holder": {"times": said}}).of("Holder").times.days, tuple(range(len(DAYS)))
        )
