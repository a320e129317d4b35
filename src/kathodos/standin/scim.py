"""A SCIM 2.0 service that serves users and groups from a JSON file, and can misbehave where a test asks it to."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit

import numpy as np

from kathodos.errors import DataError
from kathodos.model.filters import FilterError, parse_filter
from kathodos.store.attributes import Distinct, selected

LISTED = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
ERROR = "urn:ietf:params:scim:api:messages:2.0:Error"
_ENDPOINTS = ("Users", "Groups")
_MOST = 100


class Standin(ThreadingHTTPServer):
    """The service. `token`: what a caller has to bear; `fault`: one way of misbehaving, or none.

    Faults: `repeat` (a page for ever), `html`, `redirect` (to another host), `huge` (100 MiB in one attribute), `busy`
    (429 two times of three), `stop` (in the middle of the second page), `short` (fewer than it says).
    """

    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Keeps quiet where a caller went away."""

    def __init__(self, port: int, data: Mapping[str, Sequence[Any]], token: str = "", fault: str = "") -> None:
        self.data = {name: list(data.get(name, ())) for name in _ENDPOINTS}
        self.token = token
        self.fault = fault
        self.asked = 0
        super().__init__(("127.0.0.1", port), _Handler)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}/scim/v2"


def read_data(path: Path) -> dict[str, list[Any]]:
    """The users and groups of a JSON file `{"Users": [...], "Groups": [...]}`."""
    try:
        said = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise DataError(f"{path} cannot be read: {error.strerror}.", "Name a JSON file of users and groups.") from None
    except ValueError as error:
        raise DataError(
            f"{path} cannot be read as JSON: {error}.", 'Write {"Users": [...], "Groups": [...]}.'
        ) from None
    if not isinstance(said, dict) or not all(isinstance(said.get(name, []), list) for name in _ENDPOINTS):
        raise DataError(f"{path} holds no users and groups.", 'Write {"Users": [...], "Groups": [...]}.')
    return said


class _Handler(BaseHTTPRequestHandler):
    server: Standin
    protocol_version = "HTTP/1.1"

    def log_message(self, *_: Any) -> None:
        """Keeps quiet."""

    def do_GET(self) -> None:  # the name is the library's
        server = self.server
        server.asked += 1
        path = urlsplit(self.path)
        asked = {name: values[0] for name, values in parse_qs(path.query, keep_blank_values=True).items()}
        endpoint = path.path.removeprefix("/scim/v2/")
        if server.token and self.headers.get("Authorization") != f"Bearer {server.token}":
            self.fail(401, "no or a wrong token")
        elif server.fault == "busy" and server.asked % 3:
            self.answer(429, b"", {"Retry-After": "0"})
        elif server.fault == "redirect":
            self.answer(302, b"", {"Location": "http://elsewhere.example/scim/v2/Users"})
        elif server.fault == "html":
            self.answer(200, b"<html><title>Sign in</title></html>", {"Content-Type": "text/html; charset=utf-8"})
        elif server.fault == "huge":
            user = {"id": "1", "userName": "a", "title": "x" * (100 << 20)}
            self.answer(200, json.dumps(_page([user], 1, 1)).encode(), {})
        elif endpoint not in _ENDPOINTS:
            self.fail(404, "no such endpoint")
        else:
            self.list(endpoint, asked)

    def list(self, endpoint: str, asked: Mapping[str, str]) -> None:
        resources = self.server.data[endpoint]
        if "filter" in asked:
            try:
                resources = [it for it in resources if _fits(it, asked["filter"])]
            except FilterError as error:
                self.fail(400, str(error))
                return
        count = min(int(asked.get("count", _MOST)), _MOST)
        start = _number(asked["cursor"]) if "cursor" in asked else max(int(asked.get("startIndex", 1)), 1) - 1
        start = 0 if self.server.fault == "repeat" else start
        some = resources[start : start + count]
        page = _page(some, len(resources) + (5 if self.server.fault == "short" else 0), start + 1)
        if "cursor" in asked and start + count < len(resources):
            page["nextCursor"] = str(start + count)
        if "cursor" in asked and self.server.fault == "repeat":
            page["nextCursor"] = "again"
        content = json.dumps(page).encode()
        tag = f'W/"{hashlib.sha256(content).hexdigest()[:16]}"'
        if self.headers.get("If-None-Match") == tag:
            self.answer(304, b"", {"ETag": tag})
        elif self.server.fault == "stop" and start:
            self.answer(200, content, {}, length=len(content) + 1000)
            self.close_connection = True
        else:
            self.answer(200, content, {"ETag": tag})

    def fail(self, code: int, detail: str) -> None:
        said = {"schemas": [ERROR], "status": str(code), "detail": detail}
        self.answer(code, json.dumps(said).encode(), {})

    def answer(self, code: int, content: bytes, headers: Mapping[str, str], length: int | None = None) -> None:
        self.send_response(code)
        for name, value in {"Content-Type": "application/scim+json", **headers}.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(content) if length is None else length))
        self.end_headers()
        self.wfile.write(content)


def _page(resources: Sequence[Any], total: int, start: int) -> dict[str, Any]:
    counts = {"totalResults": total, "startIndex": start, "itemsPerPage": len(resources)}
    return {"schemas": [LISTED], **counts, "Resources": list(resources)}


def _number(text: str) -> int:
    return int(text) if text.isdecimal() else 0


def _fits(resource: Mapping[str, Any], text: str) -> bool:
    lowered = {name.lower(): value for name, value in resource.items()}

    def column(name: str) -> Distinct:
        value = lowered.get(name.lower())
        return Distinct(np.zeros(1, dtype=np.int32), [str(value).lower() if isinstance(value, bool) else value])

    return bool(selected(parse_filter(text), column, 1)[0])
