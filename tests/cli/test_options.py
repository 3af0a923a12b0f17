"""What options say together: one that would count for nothing is refused, and never overlooked."""

from __future__ import annotations

import contextlib
import io
import re
import unittest
from collections.abc import Iterator
from unittest.mock import patch

import click
from hypothesis import given
from hypothesis import strategies as st

from tests.support import temporary_folder
from vexo.cli.main import _COMMANDS, Commands, main
from vexo.cli.options import Beside

IN_VAIN = (
    ("files 3 -o x.xlsx", "--output goes with --save, --sent or --kept"),
    ("send-out app Berth -o x.csv --key berth_no", "--key goes with --keys"),
    ("bring-in app Berth x.csv --route R --no-route", "--no-route does not go with --route"),
    ("bring-in app Berth x.csv --exact-keys --ignore-case", "--exact-keys does not go with --ignore-case"),
    ("columns 3 --exact-keys --ignore-accents", "--exact-keys does not go with --ignore-accents"),
    ("apply 3 --go-on 1 --give-up 1", "--go-on does not go with --give-up"),
    ("apply 3 --go-on 1 --at 20:00", "--go-on does not go with --at"),
    ("apply 3 --go-on 1 --all-or-nothing", "--go-on does not go with --all-or-nothing"),
    ("apply 3 --give-up 1 --stop-after 2 --take-back", "--give-up does not go with --stop-after or --take-back"),
    ("apply 3 --give-up 1 --lift why", "--give-up does not go with --lift"),
    ("apply 3 --carry-on --stop-after 2", "--carry-on does not go with --stop-after"),
    ("apply 3 --take-back", "--take-back goes with --stop-after"),
    ("apply 3 --at 20:00 --lift why", "--lift does not go with --at"),
    ("outcome 3 --pass 2", "--pass goes with --receipt"),
    ("keys 3 --absent --rows one --key a", "--absent does not go with --rows or --key"),
    ("keys 3 -o k.csv", "--output goes with --absent"),
    ("keys 3 --rows one", "--rows goes with --key"),
    ("token app --withdraw --token-from-input", "--withdraw does not go with --token-from-input"),
    ("journal --verify --trip 3", "--verify does not go with --trip"),
    ("journal --verify --last 3", "--verify does not go with --last"),
    ("journal --verify -o x.csv", "--verify does not go with --output"),
    ("journal --last 3 -o x.csv", "--last does not go with --output"),
    ("journal --seal abc", "--seal goes with --verify"),
    ("person add cy --no-password --password-from-input", "--no-password does not go with --password-from-input"),
    ("rules app --zone Europe/London", "--zone goes with --times"),
    ("routes --zone UTC", "--zone goes with --at"),
    ("routes --by-itself R=f --days Mon", "--days goes with --at"),
    ("routes --at 06:30", "--at goes with --by-itself"),
    ("routes --by-itself R=f --deletes 3", "--deletes goes with --applies"),
    ("routes --applies 3", "--applies goes with --by-itself"),
    ("notices --seen --wishes", "--seen does not go with --wishes"),
    ("notices --seen --tell disk=none", "--seen does not go with --tell"),
    ("edit 3 --find a", "--find goes with --replace"),
    ("edit 3 --replace a", "--replace goes with --find"),
    ("edit 3 --pattern --row 3 --column a --value b", "--pattern goes with --find"),
    ("edit 3 --whole --repair", "--whole goes with --find"),
    ("edit 3 --find a --replace b --row 3", "--row does not go with --find"),
    ("edit 3 --repair --row 3 --value b", "--repair does not go with --row or --value"),
    ("edit 3 --row 3 --column a --value b --down 3", "--value does not go with --down"),
    ("decide 3 record --row 1 --record a --value b", "--record does not go with --value"),
    ("approval 3 --plan 2", "--plan goes with --ask, --approve or --send-back"),
    ("trips --rename 3=x --waits", "--rename does not go with --waits"),
    ("trips words --rename 3=x", "--rename does not go with WORDS"),
    ("retention --idle 3", "--idle goes with --keep"),
    ("receipts --save 3", "--save goes with --output"),
    ("receipts -o x.xlsx", "--output goes with --save"),
)


def said_by(line: str) -> tuple[int, str]:
    """A command's exit code, and what it says of an error; it works on no data folder."""
    error = io.StringIO()
    with contextlib.redirect_stderr(error), patch("vexo.cli.main.Setting.ready", side_effect=AssertionError(line)):
        try:
            main.main(line.split())
        except SystemExit as ended:
            return int(ended.code or 0), " ".join(error.getvalue().split())
    raise AssertionError(line)


def commands() -> Iterator[tuple[str, click.Command]]:
    context = click.Context(main)
    assert isinstance(main, Commands)
    for name in _COMMANDS:
        command = main.get_command(context, name)
        assert command is not None
        if isinstance(command, click.Group):
            yield from ((f"{name} {each}", one) for each, one in command.commands.items())
        else:
            yield name, command


class InVain(unittest.TestCase):
    def test_it_is_refused_before_anything_is_done(self) -> None:
        for line, words in IN_VAIN:
            with self.subTest(line):
                code, said = said_by(line)
                self.assertEqual(code, 2, said)
                self.assertIn(words, said)

    def test_what_a_help_says_goes_with_another_is_held_to_it(self) -> None:
        counted = 0
        for name, command in commands():
            for param in command.params:
                words = re.match(r"With (--[a-z-]+)", getattr(param, "help", "") or "")
                if words is None or (name, param.name) in _ROUTE_MAY_SAY:
                    continue
                counted += 1
                with self.subTest(f"{name} {param.name}"):
                    assert isinstance(param, Beside)
                    other = next(one for one in command.params if words[1] in one.opts)
                    self.assertIn(other.name, param.only_with)
        self.assertGreater(counted, 5)

    def test_every_name_that_goes_with_another_is_one_of_the_command_s(self) -> None:
        for name, command in commands():
            known = {param.name for param in command.params}
            for param in command.params:
                if isinstance(param, Beside):
                    with self.subTest(f"{name} {param.name}"):
                        self.assertLessEqual({*param.only_with, *param.not_with}, known - {param.name})


_ROUTE_MAY_SAY = {("send-out", "explain")}
"""Where a route may have said the other one."""


OPTIONS = ("--one", "--two", "--three")


class AnyOfThem(unittest.TestCase):
    """A command of three options against the rule in plain words."""

    @given(
        said=st.lists(st.sampled_from(OPTIONS), unique=True),
        only_with=st.lists(st.sampled_from(OPTIONS[1:]), unique=True),
        not_with=st.lists(st.sampled_from(OPTIONS[1:]), unique=True),
        valued=st.booleans(),
    )
    def test_one_is_taken_only_beside_its_others(
        self, said: list[str], only_with: list[str], not_with: list[str], valued: bool
    ) -> None:
        names = [[word[2:] for word in words] for words in (only_with, not_with)]
        more = {"multiple": True} if valued else {"is_flag": True}
        first = Beside(["--one"], only_with=names[0], not_with=names[1], **more)
        others = [click.Option([word], **more) for word in OPTIONS[1:]]
        command = click.Command("x", params=[first, *others], callback=lambda **_: "ran")
        words = [text for word in said for text in ((word, "v") if valued else (word,))]
        vain = "--one" in said and ((bool(only_with) and not {*said} & {*only_with}) or bool({*said} & {*not_with}))
        if vain:
            with self.assertRaises(click.UsageError) as refused:
                command.main(words, standalone_mode=False)
            self.assertIn("--one", refused.exception.message)
        else:
            self.assertEqual(command.main(words, standalone_mode=False), "ran")


class Folder(unittest.TestCase):
    def test_nothing_is_made_where_options_are_refused(self) -> None:
        folder = temporary_folder() / "none"
        with patch.dict("os.environ", VEXO_DATA=str(folder)):
            self.assertEqual(said_by("person add cy --no-password --password-from-input")[0], 2)
        self.assertFalse(folder.exists())
