"""Signing in through a provider, in the browser: there and back, refused there, and with passwords off."""

from __future__ import annotations

from tests.browser.case import BrowserCase
from tests.oidc_provider import CLIENT, SECRET, Provider
from tests.support import BIN, Vexo, answers, free_port, kill, start, wait_until


class SingleSignOn(BrowserCase):
    def test_there_and_back(self) -> None:
        provider, vexo, port = Provider(), Vexo(connect=False), free_port()
        self.addCleanup(provider.close)
        provider.person = {"sub": "1", "preferred_username": "marit", "name": "Marit Reedmace", "groups": ["office"]}
        environment = {
            "VEXO_OIDC_ISSUER": provider.issuer,
            "VEXO_OIDC_CLIENT": CLIENT,
            "VEXO_OIDC_SECRET": SECRET,
            "VEXO_OIDC_ROLES": "office=preparer",
            "VEXO_OIDC_LABEL": "Saltmarsh sign-in",
            "VEXO_LOCAL_PASSWORDS": "off",
        }
        command = [str(BIN / "vexo"), "--data", str(vexo.data), "serve", "--port", str(port)]
        process = start(*command, **environment)
        self.addCleanup(kill, process)
        address = f"http://127.0.0.1:{port}"
        wait_until(lambda: answers(f"{address}/api/health"), what="the server")
        browser = self.stranger(address)
        browser.open("/")
        browser.see("Sign in with Saltmarsh sign-in", "The first administrator signs in with a password")
        self.assertEqual(browser.all("input[name=password]"), [])
        self.assertEqual(browser.serious(), [])
        provider.refuse = True
        browser.press("[data-testid=sso]")
        browser.see("Saltmarsh sign-in did not let you in")
        provider.refuse = False
        browser.press("[data-testid=sso]")
        browser.see("Send records out", "MR")
        browser.open("/access")
        browser.see("this one")
