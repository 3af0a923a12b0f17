"""The real interface in headless Chromium, against a running Vexo with its own data folder."""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import subprocess
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx
from selenium import webdriver
from selenium.common.exceptions import (
    ElementNotInteractableException,
    StaleElementReferenceException,
    WebDriverException,
)
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.support import BIN, PATIENCE, answers, free_port, kill, overwrite, start, temporary_folder, wait_until

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
FLAGS = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
    "--hide-scrollbars",
    "--force-prefers-reduced-motion",
    # No process is made for a page that may come, and none for each that does: that takes longer than most tests.
    "--disable-features=SpareRendererForSitePerProcess",
    "--renderer-process-limit=1",
    "--js-flags=--no-maglev --no-turbofan",
]
CHROMIUM, DRIVER = shutil.which("chromium-headless-shell"), shutil.which("chromedriver")


DATABASES = ("vexo.db", "harbour/live.db", "harbour/practice.db")


class Browser:
    """A window, spoken to in the words of its user."""

    def __init__(self, address: str = "", width: int = 1280, height: int = 800) -> None:
        options = Options()
        options.binary_location = str(Path(__file__).with_name("chromium.sh"))
        for flag in [*FLAGS, f"--user-data-dir={temporary_folder(lasting=True)}", f"--window-size={width},{height}"]:
            options.add_argument(flag)
        self.downloads = temporary_folder(lasting=True)
        options.add_experimental_option("prefs", {"download.default_directory": str(self.downloads)})
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(options=options, service=Service(DRIVER))
        self.driver.set_script_timeout(300)
        self.address = address
        # The page that Chromium itself opened takes no downloads.
        self.fresh_tab()
        self.resize(width, height)

    def one_tab(self) -> None:
        """An empty tab, and no other: the first that is there, whose process goes on."""
        first, *others = self.driver.window_handles
        for handle in others:
            self.driver.switch_to.window(handle)
            self.driver.close()
        self.driver.switch_to.window(first)
        self.driver.get("about:blank")

    def fresh_tab(self) -> None:
        """A new tab, and no other."""
        self.driver.switch_to.new_window("tab")
        fresh = self.driver.current_window_handle
        for handle in self.driver.window_handles:
            if handle != fresh:
                self.driver.switch_to.window(handle)
                self.driver.close()
        self.driver.switch_to.window(fresh)

    def close(self) -> None:
        self.driver.quit()

    def begin(self, address: str) -> None:
        """As a person who comes anew: one empty tab, nobody signed in, nothing kept, no files fetched."""
        self.one_tab()
        for origin in (self.address, address):
            kept = {"storageTypes": "cookies,local_storage,indexeddb,cache_storage,service_workers", "origin": origin}
            self.driver.execute_cdp_cmd("Storage.clearDataForOrigin", kept)
        self.resize(1280, 800)
        self.console_errors()
        for path in self.downloads.iterdir():
            shutil.rmtree(path) if path.is_dir() else path.unlink()
        self.address = address

    def resize(self, width: int, height: int) -> None:
        size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)

    def open(self, path: str = "/") -> None:
        self.driver.get(self.address + path)

    def go(self, path: str) -> None:
        """To another page of the application, as by one of its links: nothing is loaded anew."""
        self.script("history.pushState(null, '', arguments[0]); dispatchEvent(new PopStateEvent('popstate'))", path)

    @property
    def text(self) -> str:
        """What is written on the page, in one line."""
        return " ".join(str(self.driver.execute_script("return document.body.innerText")).split())

    def all(self, css: str) -> list[WebElement]:
        return list(self.driver.find_elements(By.CSS_SELECTOR, css))

    def until(self, condition: Callable[[], Any], what: str, seconds: float = PATIENCE) -> Any:
        def quiet() -> Any:
            try:
                return condition()
            except (StaleElementReferenceException, WebDriverException):
                return None

        try:
            return wait_until(quiet, seconds, what)
        except AssertionError as error:
            raise AssertionError(
                f"{error}\n--- on the page ({self.driver.current_url}):\n{self.text[:700]} … {self.text[-900:]}"
            ) from None

    def see(self, *texts: str, seconds: float = PATIENCE) -> None:
        """Wait until all these words are on the page."""
        # To be read as it is shown, a page is laid out: not before its bare text has the words at all.
        code = "return document.body.textContent.replace(/\\s+/g, '').toLowerCase().includes(arguments[0])"
        for text in texts:
            bare = "".join(text.split()).lower()
            self.until(
                lambda text=text, bare=bare: self.script(code, bare) and text in self.text,
                f"the words {text!r}",
                seconds,
            )

    def find(self, css: str) -> WebElement:
        """The first shown element."""
        code = "return [...document.querySelectorAll(arguments[0])].find(e => e.checkVisibility()) ?? null"
        return self.until(lambda: self.script(code, css), css)  # type: ignore[no-any-return]

    def named(self, name: str, css: str = "button, a, [role=option], [role=menuitem], summary") -> WebElement:
        """The shown control whose words begin with a name."""

        def look() -> WebElement | None:
            code = (
                "return [...document.querySelectorAll(arguments[0])].find(e => e.checkVisibility() &&"
                " e.innerText.split(/\\s+/).filter(Boolean).join(' ').startsWith(arguments[1])) ?? null"
            )
            found = self.script(code, css, name)
            return found if isinstance(found, WebElement) else None

        return self.until(look, f"a control named {name!r}")  # type: ignore[no-any-return]

    def click(self, name: str, **more: str) -> None:
        self.until(lambda: self.hit(self.named(name, **more)), f"a click on {name!r}")

    def hit(self, element: WebElement) -> bool:
        """Click an element: whether it took the click, and not what a page that moves put in its place."""
        watched = (
            "window.taken = null; const wanted = arguments[0];"
            "const took = e => { window.taken = wanted.contains(e.target); };"
            "addEventListener('click', took, {capture: true, once: true});"
        )
        self.script(watched, element)
        element.click()
        try:
            # One that is gone did what it is for; in a page that was loaded anew nothing is known.
            return bool(self.script("return window.taken ?? (window.taken === undefined)", element))
        except WebDriverException:
            return True

    def press(self, css: str) -> None:
        """Click a button once it can be pressed: one that cannot takes a click in silence."""

        def go() -> bool:
            button = self.find(css)
            return button.is_enabled() and self.hit(button)

        self.until(go, f"a press on {css}")

    def tick(self, box: WebElement) -> None:
        """Tick a box, wherever what arrives meanwhile moves it."""
        self.until(lambda: box.is_selected() or (self.hit(box) and box.is_selected()), "a tick")

    def enter_field(self, css: str) -> None:
        """Click into a field until it has the focus: a page that moves meanwhile takes a click elsewhere."""

        def entered() -> bool:
            self.find(css).click()
            return bool(self.script("return document.activeElement?.matches(arguments[0])", css))

        self.until(entered, f"the focus in {css}")

    def choose(self, label: str, option: str) -> None:
        """Of a list to choose from: the option whose words begin so."""
        inside = "[role=dialog] " if self.all("[role=dialog]") else ""

        def opened() -> bool:
            # What arrives meanwhile may move another list under the click.
            button = self.find(f'{inside}button[aria-label^="{label} "]')
            if button.get_attribute("aria-expanded") != "true":
                button.click()
            return button.get_attribute("aria-expanded") == "true"

        self.until(opened, f"the list of {label!r}")
        self.click(option, css="[role=option]")
        self.until(lambda: not self.all("[role=listbox]"), f"the end of the list of {label!r}")

    def tab_to(self, css: str) -> None:
        """Go on with the tab key until the focus is there."""
        for _ in range(90):
            if self.script("return document.activeElement?.matches(arguments[0])", css):
                return
            self.keys(Keys.TAB)
        raise AssertionError(f"no way to {css} with the tab key\n{self.text[-800:]}")

    def keys(self, *keys: str) -> None:
        """Type where the focus is; where what had it has just gone, once something has it again."""

        def typed() -> bool:
            with suppress(ElementNotInteractableException, StaleElementReferenceException):
                self.driver.switch_to.active_element.send_keys(*keys)
                return True
            return False

        wait_until(typed, what=f"a place to type {keys!r}")

    def fill(self, css: str, text: str) -> None:
        element = self.find(css)
        element.send_keys(Keys.CONTROL, "a")
        element.send_keys(text)

    def script(self, code: str, *arguments: Any) -> Any:
        return self.driver.execute_script(code, *arguments)

    def drop(self, *paths: Path) -> None:
        """Drop files on the page together, as from a folder."""
        self.script(
            "const input = document.createElement('input'); input.type = 'file'; input.id = 'dropped';"
            "input.multiple = true; input.style.position = 'fixed';"
            "input.onchange = () => { const data = new DataTransfer();"
            "for (const file of input.files) data.items.add(file); for (const kind of ['dragover', 'drop'])"
            "document.body.dispatchEvent(new DragEvent(kind, {dataTransfer: data, bubbles: true, cancelable: true}));"
            "input.remove(); }; document.body.append(input);"
        )
        self.all("#dropped")[0].send_keys("\n".join(map(str, paths)))

    def enter(self, cookies: dict[str, str]) -> None:
        """With what a server gave to someone who signed in elsewhere."""
        for name, value in cookies.items():
            self.driver.execute_cdp_cmd("Network.setCookie", {"name": name, "value": value, "url": self.address})

    def sign_in(self, username: str = "ada") -> None:
        self.open("/")
        self.fill("input[name=username]", username)
        self.fill("input[name=password]", "saltmarsh")
        self.click("Sign in")
        self.see("Send records out")

    def picture(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self.driver.save_screenshot(str(path))

    def serious(self) -> list[str]:
        """What axe-core finds serious or critical on this page."""
        # While rows are fetched their cells are faded.
        self.until(lambda: not self.all(".grid-scroll.waiting"), "the rows of all grids")
        if not self.script("return 'axe' in window"):
            self.script(AXE.read_text())
        found = self.driver.execute_async_script(
            "const done = arguments[arguments.length - 1];"
            "axe.run(document, {resultTypes: ['violations']}).then(r => done(r.violations));"
        )
        return [
            f"{v['id']}: {v['help']}: {node['html'][:160]} {node.get('failureSummary', '')[:200]}"
            for v in found
            if v["impact"] in ("serious", "critical")
            for node in v["nodes"][:3]
        ]

    def console_errors(self) -> list[str]:
        entries: Iterable[dict[str, Any]] = self.driver.get_log("browser")  # type: ignore[no-untyped-call]
        return [entry["message"] for entry in entries if entry["level"] == "SEVERE"]


class Demo:
    """``vexo demo`` on a port and a data folder of its own."""

    def __init__(self, data: Path | None = None) -> None:
        self.data = data or temporary_folder() / "demo"
        template = os.environ.get("VEXO_TEST_DEMO", "")
        if template and not self.data.exists():
            shutil.copytree(template, self.data)
        self.port = free_port(together=2)
        self.address = f"http://127.0.0.1:{self.port}"
        self.log = self.data.with_name("demo.log")
        self.begin()

    def begin(self) -> None:
        """Start it, also anew after its end."""
        self.log.unlink(missing_ok=True)
        command = [str(BIN / "vexo"), "demo", "--port", str(self.port), "--data", str(self.data)]
        self.process = start(*command, log=self.log)
        wait_until(
            lambda: b"Stop with" in self.log.read_bytes() or self.process.poll() is not None,
            max(PATIENCE, 120),
            "the demo",
        )
        assert answers(f"{self.address}/api/health"), self.log.read_text()

    def keep(self, folder: Path) -> Path:
        """What it holds now, for ``begin_anew``."""
        for name in DATABASES:
            (folder / name).parent.mkdir(exist_ok=True)
            overwrite(folder / name, self.data / name)
        for part in ("files", "stages"):
            shutil.copytree(self.data / part, folder / part)
        return folder

    def begin_anew(self, kept: Path) -> None:
        """Put all back to what it was, under the processes that go on."""
        ended = "SELECT count(*) FROM jobs_job WHERE state IN ('queued', 'running')"
        with sqlite3.connect(f"file:{self.data / DATABASES[0]}?mode=ro", uri=True) as database:
            wait_until(lambda: not database.execute(ended).fetchone()[0], what="the end of all jobs")
        for path in ("trouble", "behaviour"):
            body = {"kind": "none"} if path == "trouble" else {}
            httpx.post(f"{self.register}/{path}", json=body, trust_env=False, verify=False).raise_for_status()
        for name in DATABASES:
            overwrite(self.data / name, kept / name)
        with sqlite3.connect(self.data / DATABASES[0], timeout=60) as database:
            # The copy is old, but its workers are there.
            database.execute("UPDATE jobs_worker SET seen_at = ?", (time.time(),))
        shutil.rmtree(self.data / "files")
        shutil.copytree(kept / "files", self.data / "files")
        # Results never change under their names; with a trip that was deleted its own have gone.
        for path in (kept / "stages").rglob("*"):
            target = self.data / "stages" / path.relative_to(kept / "stages")
            if path.is_file() and not target.exists():
                target.parent.mkdir(parents=True, exist_ok=True)
                shutil.copy(path, target)

    @property
    def register(self) -> str:
        return f"http://127.0.0.1:{self.port + 1}"

    def stop(self) -> None:
        kill(self.process, signal.SIGTERM)

    def processes(self, words: str) -> list[int]:
        """Running children whose command has these words."""
        listed = subprocess.run(["pgrep", "-f", words], capture_output=True, text=True, check=False).stdout.split()
        own = []
        for pid in map(int, listed):
            try:
                environment = Path(f"/proc/{pid}/environ").read_bytes()
            except OSError:
                continue
            if str(self.data).encode() in environment and pid != os.getpid():
                own.append(pid)
        return own
