"""Calls an ASGI 3 application with a request that comes as an event. Written by Emballage."""

import asyncio
import base64
import json
import types
from urllib.parse import unquote, urlencode

from {module} import {top}

_application = {member}
_MOST_BYTES = {most}
_PATIENCE_S = 30


class _Lifespan:
    """Starts the application once, in the event loop in which every call runs."""

    def __init__(self):
        self.state = {{}}
        self.events = asyncio.Queue()
        self.started = asyncio.get_running_loop().create_future()

    async def start(self):
        self.events.put_nowait({{"type": "lifespan.startup"}})
        scope = {{"type": "lifespan", "asgi": {{"version": "3.0", "spec_version": "2.0"}}, "state": self.state}}
        self.task = asyncio.ensure_future(_application(scope, self.events.get, self.send))
        await asyncio.wait({{self.task, self.started}}, timeout=_PATIENCE_S, return_when=asyncio.FIRST_COMPLETED)
        if self.started.done():
            self.started.result()
        # An application that ends or fails here has no lifespan; the specification allows that.
        elif not self.task.done():
            raise TimeoutError("the application did not finish its start-up")

    async def send(self, message):
        if message["type"] == "lifespan.startup.complete" and not self.started.done():
            self.started.set_result(None)
        elif message["type"] == "lifespan.startup.failed" and not self.started.done():
            self.started.set_exception(RuntimeError(message.get("message") or "the start-up failed"))


_lifespan = None


async def handle(event, context):
    return _answer(*await respond(_request(event)))


async def respond(request):
    """The response for a request: status, headers, body."""
    global _lifespan
    if _lifespan is None:
        lifespan = _Lifespan()
        await lifespan.start()
        _lifespan = lifespan
    answer = {{"status": None, "headers": [], "body": bytearray(), "done": asyncio.Event()}}
    sent = False

    async def receive():
        nonlocal sent
        if not sent:
            sent = True
            return {{"type": "http.request", "body": request.body, "more_body": False}}
        await answer["done"].wait()
        return {{"type": "http.disconnect"}}

    async def send(message):
        if message["type"] == "http.response.start":
            answer["status"] = message["status"]
            answer["headers"] = [(name.decode("latin-1"), value.decode("latin-1")) for name, value in message.get("headers", [])]
        elif message["type"] == "http.response.body":
            answer["body"] += message.get("body", b"")
            if len(answer["body"]) > _MOST_BYTES:
                raise ValueError(f"the answer has more than {{_MOST_BYTES}} bytes")
            if not message.get("more_body", False):
                answer["done"].set()

    await _application(_scope(request), receive, send)
    if answer["status"] is None:
        raise RuntimeError("the application sent no response")
    return answer["status"], answer["headers"], bytes(answer["body"])


def _scope(request):
    server, _, port = _header(request, "host", "localhost").partition(":")
    headers = [
        (name.encode("latin-1"), value.encode("latin-1"))
        for name, values in request.headers.items()
        for value in values
    ]
    return {{
        "type": "http",
        "asgi": {{"version": "3.0", "spec_version": "2.3"}},
        "http_version": "1.1",
        "method": request.method,
        "scheme": request.scheme,
        "path": unquote(request.path),
        "raw_path": request.path.encode("ascii", "replace"),
        "query_string": request.query.encode("latin-1"),
        "root_path": "",
        "headers": headers,
        "server": (server or "localhost", int(port) if port.isdigit() else 80),
        "client": (request.remote, 0) if request.remote else None,
        "state": dict(_lifespan.state),
    }}

{shared}
