"""A small provider of OpenID Connect on this machine: who is asked for is said by the test, and so is how it lies."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import RSAKey

CLIENT, SECRET = "vexo-client", "a-secret-of-the-client"


class Provider:
    """Answers as a provider does; ``change`` is applied to the claims before they are signed."""

    def __init__(self) -> None:
        self.key = RSAKey.generate_key(2048, {"kid": "first"})
        self.published = [self.key]
        self.person: dict[str, Any] = {}
        self.change: Callable[[dict[str, Any]], Any] = lambda claims: None
        self.sign_with: Any = None
        self.algorithm = "RS256"
        self.refuse = False
        self.codes: dict[str, dict[str, str]] = {}
        self.server = ThreadingHTTPServer(("127.0.0.1", 0), self._handler())
        self.issuer = f"http://127.0.0.1:{self.server.server_address[1]}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()

    def sign(self, asked: dict[str, str]) -> str:
        now = int(time.time())
        claims: dict[str, Any] = {
            "iss": self.issuer,
            "aud": CLIENT,
            "iat": now,
            "exp": now + 300,
            "nonce": asked["nonce"],
            **self.person,
        }
        self.change(claims)
        key = self.sign_with or self.key
        return jwt.encode({"alg": self.algorithm, "kid": "first"}, claims, key, algorithms=[self.algorithm])

    def authorize(self, query: dict[str, str]) -> str:
        """Where the browser is sent back to, as if the person had agreed at once."""
        assert query["response_type"] == "code" and query["code_challenge_method"] == "S256", query
        if self.refuse:
            return f"{query['redirect_uri']}?{urlencode({'error': 'access_denied', 'state': query['state']})}"
        code = secrets.token_urlsafe(12)
        self.codes[code] = query
        return f"{query['redirect_uri']}?{urlencode({'code': code, 'state': query['state']})}"

    def token(self, body: dict[str, str], authorization: str) -> tuple[int, dict[str, Any]]:
        asked = self.codes.pop(body.get("code", ""), None)
        digest = hashlib.sha256(body.get("code_verifier", "").encode()).digest()
        proof = base64.urlsafe_b64encode(digest).decode().rstrip("=")
        known = base64.b64encode(f"{CLIENT}:{SECRET}".encode()).decode()
        if asked is None or proof != asked["code_challenge"] or authorization != f"Basic {known}":
            return 400, {"error": "invalid_grant"}
        if body.get("redirect_uri") != asked["redirect_uri"]:
            return 400, {"error": "invalid_grant"}
        return 200, {"access_token": "x", "token_type": "Bearer", "id_token": self.sign(asked)}

    def _handler(self) -> type[BaseHTTPRequestHandler]:
        provider = self

        class Handler(BaseHTTPRequestHandler):
            def log_message(self, *_: Any) -> None:
                return

            def answer(self, status: int, body: Any, **headers: str) -> None:
                content = json.dumps(body).encode()
                self.send_response(status)
                for name, value in {"Content-Type": "application/json", **headers}.items():
                    self.send_header(name, value)
                self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                self.wfile.write(content)

            def do_GET(self) -> None:
                parts = urlsplit(self.path)
                if parts.path == "/.well-known/openid-configuration":
                    names = {"authorization_endpoint": "authorize", "token_endpoint": "token", "jwks_uri": "keys"}
                    said = {name: f"{provider.issuer}/{path}" for name, path in names.items()}
                    self.answer(200, {"issuer": provider.issuer, **said})
                elif parts.path == "/keys":
                    self.answer(200, {"keys": [key.as_dict(private=False) for key in provider.published]})
                elif parts.path == "/authorize":
                    query = {name: values[0] for name, values in parse_qs(parts.query).items()}
                    self.answer(302, {}, Location=provider.authorize(query))
                else:
                    self.answer(404, {})

            def do_POST(self) -> None:
                body = parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode())
                said = {name: values[0] for name, values in body.items()}
                self.answer(*provider.token(said, self.headers.get("Authorization", "")))

        return Handler
