"""What docs/running.md tells people to type and to write is right."""

from __future__ import annotations

import re
import shutil
import subprocess
import unittest
from pathlib import Path

from click import Context

from tests.support import BIN, temporary_folder

PAGE = (Path(__file__).parents[2] / "docs" / "running.md").read_text(encoding="utf-8")
UNITS = dict(re.findall(r"`/etc/systemd/system/([\w@.-]+)`[^\n]*\n\n```\n(.*?)```", PAGE, re.DOTALL))
ANALYZE = shutil.which("systemd-analyze")


class RunningPage(unittest.TestCase):
    @unittest.skipUnless(ANALYZE, "systemd is not here")
    def test_the_units_are_ones_and_leave_a_service_little(self) -> None:
        self.assertEqual(set(UNITS), {"vexo.service", "vexo-worker@.service"})
        folder = temporary_folder()
        for name, content in UNITS.items():
            self.assertIn("User=vexo", content)
            here = content.replace("/opt/vexo/.venv/bin/vexo", str(BIN / "vexo"))
            # Units of a template are looked at as one of them; who it runs as need not be somebody of this machine.
            (folder / name.replace("@", "@1")).write_text(here.replace("User=vexo", "User=nobody"))
        for path in folder.iterdir():
            with self.subTest(path.name):
                asked = [str(ANALYZE), "verify", str(path)]
                done = subprocess.run(asked, check=False, capture_output=True, text=True)
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertNotIn("Unknown", done.stderr)
                asked = [str(ANALYZE), "security", "--offline=true", "--threshold=45", str(path)]
                told = subprocess.run(asked, check=False, capture_output=True, text=True)
                if "unrecognized option" not in told.stderr:
                    self.assertEqual(told.returncode, 0, told.stdout[-300:])

    def test_each_command_and_option_that_it_names_is_there(self) -> None:
        from vexo.cli.main import main

        context = Context(main)
        known = set(main.list_commands(context))
        named = re.findall(
            r"(?:^|`|bin/)vexo((?: --?[\w-]+(?: [^-\s`]+)?)*) ([a-z][a-z-]+)([^`\n#]*)", PAGE, re.MULTILINE
        )
        self.assertGreater(len(named), 15)
        for _, command, rest in named:
            with self.subTest(f"vexo {command}{rest}"):
                self.assertIn(command, known)
                found = main.get_command(context, command)
                assert found is not None
                first = rest.split()[0] if rest.split() else ""
                group = getattr(found, "commands", {})
                options = group.get(first, found).params if group else found.params
                names = {name for option in options for name in option.opts}
                for option in re.findall(r"(?<!\S)(--[a-z-]+)", rest):
                    self.assertIn(option, names | {"--help"})
