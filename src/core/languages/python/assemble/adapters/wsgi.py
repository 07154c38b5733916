"""Calls a WSGI application (PEP 3333) with a request that comes as an event. Written by Emballage."""

import base64
import io
import json
import sys
import types
from urllib.parse import unquote_to_bytes, urlencode

from {module} import {top}

_application = {member}
_MOST_BYTES = {most}


def handle(event, context):
    return _answer(*respond(_request(event)))


def respond(request):
    """The response for a request: status, headers, body."""
    status = []

    def start_response(line, headers, exc_info=None):
        if exc_info is not None and status and status[0] is None:
            raise exc_info[1].with_traceback(exc_info[2])
        status[:] = [line, [(str(name), str(value)) for name, value in headers]]
        return written.append

    written = []
    chunks = _application(_environ(request), start_response)
    try:
        size = 0
        for chunk in chunks:
            size += len(chunk)
            if size > _MOST_BYTES:
                raise ValueError(f"the answer has more than {{_MOST_BYTES}} bytes")
            written.append(chunk)
    finally:
        close = getattr(chunks, "close", None)
        if close is not None:
            close()
    if not status:
        raise RuntimeError("the application did not call start_response")
    return int(status[0].split(" ", 1)[0]), status[1], b"".join(written)


def _environ(request):
    server, _, port = _header(request, "host", "localhost").partition(":")
    environ = {{
        "REQUEST_METHOD": request.method,
        "SCRIPT_NAME": "",
        # Bytes of the path as Latin-1 characters, as PEP 3333 wants them.
        "PATH_INFO": unquote_to_bytes(request.path).decode("latin-1"),
        "QUERY_STRING": request.query,
        "SERVER_NAME": server or "localhost",
        "SERVER_PORT": port or "80",
        "SERVER_PROTOCOL": "HTTP/1.1",
        "CONTENT_LENGTH": str(len(request.body)),
        "REMOTE_ADDR": request.remote,
        "wsgi.version": (1, 0),
        "wsgi.url_scheme": request.scheme,
        "wsgi.input": io.BytesIO(request.body),
        "wsgi.errors": sys.stderr,
        "wsgi.multithread": False,
        "wsgi.multiprocess": False,
        "wsgi.run_once": False,
    }}
    for name, values in request.headers.items():
        key = name.upper().replace("-", "_")
        value = ("; " if name == "cookie" else ",").join(values)
        if key == "CONTENT_TYPE":
            environ[key] = value
        elif key != "CONTENT_LENGTH":
            environ["HTTP_" + key] = value
    return environ

{shared}
