"""A sheet of 100,000 rows in the browser: how long until the rows of a jump are there.

The plain baseline in the same run asks for the same windows over HTTP and draws nothing.
"""

from __future__ import annotations

import random
import statistics
import time

from tests.browser.support import Browser, Demo
from tests.support import BIN, temporary_folder

ROWS = 100_000
JUMP = """
const [top, done] = [arguments[0], arguments[1]];
const grid = document.querySelector('[data-testid=grid]');
const began = performance.now();
grid.scrollTop = top;
const wanted = Math.floor(top / 29) + 2;
const look = () => {
  const numbers = [...grid.querySelectorAll('.grid-no')].map(e => +e.textContent);
  if (numbers.some(n => Math.abs(n - wanted) <= 2)) done(performance.now() - began);
  else requestAnimationFrame(look);
};
requestAnimationFrame(look);
"""


def main() -> None:
    import subprocess

    demo = Demo()
    path = temporary_folder() / "readings.csv"
    spare = ",".join(f"spare {n}" for n in range(17))
    lines = [f"meter,read_at,kwh,{spare}"]
    cells = ",".join(f"value {n}" for n in range(17))
    for n in range(ROWS):
        lines.append(
            f"M{n % 300:04d},2026-10-{n // 300 % 28 + 1:02d}T{n // 8400 % 24:02d}:00:00Z,{n % 900}.125,{cells}"
        )
    path.write_text("\n".join(lines))
    began = time.monotonic()
    command = [
        str(BIN / "vexo"),
        "--data",
        str(demo.data),
        "--as",
        "ada",
        "bring-in",
        "harbour-practice",
        "Reading",
        str(path),
    ]
    subprocess.run(
        [*command, "--operation", "upsert", "--key", "meter", "--key", "read_at", "--json"],
        check=True,
        stdout=subprocess.DEVNULL,
    )
    print(f"{ROWS:,} rows x 20 columns in, up to Review: {time.monotonic() - began:.1f} s")
    browser = Browser(demo.address)
    browser.sign_in()
    trip = browser.script("return fetch('/api/trips').then(a => a.json()).then(t => Math.max(...t.map(o => o.id)))")
    pick = random.Random(7)
    for view in ("file", "review", "review?state=create"):
        browser.open(f"/trips/{trip}/{view}")
        browser.until(lambda: browser.all(".grid-row .grid-no"), "rows")
        jumps = [browser.driver.execute_async_script(JUMP, pick.randrange(95_000) * 29) for _ in range(40)]
        worst = sorted(jumps)[int(len(jumps) * 0.95)]
        print(f"{view}: a jump's rows on the screen after {statistics.median(jumps):.0f} ms (95 %: {worst:.0f} ms)")
    code = (
        "return (async () => { const took = []; for (let n = 0; n < 40; n++) { const began = performance.now();"
        "await fetch(`/api/trips/${arguments[0]}/rows?offset=${Math.floor(Math.random() * 1500) * 64}&limit=64`)"
        ".then(a => a.json()); took.push(performance.now() - began); } return took; })()"
    )
    plain = browser.script(code, trip)
    worst = sorted(plain)[37]
    print(f"plain baseline, the window's JSON alone: {statistics.median(plain):.0f} ms (95 %: {worst:.0f} ms)")
    browser.close()
    demo.stop()


if __name__ == "__main__":
    main()
