"""Calls a WSGI application (PEP 3333) with a request that comes as an event. Written by Emballage."""

import base64
import io
import sys
from urllib.parse import unquote_to_bytes

from {module} import {top}

_application = {member}
_MOST_BYTES = {most}


def handle(event, context):
    request = event.get("data") or {{}}
    body = _body(request)
    status = []

    def start_response(line, headers, exc_info=None):
        if exc_info is not None and status and status[0] is None:
            raise exc_info[1].with_traceback(exc_info[2])
        status[:] = [line, [(str(name), str(value)) for name, value in headers]]
        return written.append

    written = []
    chunks = _application(_environ(request, body), start_response)
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
    return _answer(int(status[0].split(" ", 1)[0]), status[1], b"".join(written))


def _environ(request, body):
    url_path = request.get("path", "/")
    server, _, port = _header(request, "host", "localhost").partition(":")
    environ = {{
        "REQUEST_METHOD": request.get("method", "GET").upper(),
        "SCRIPT_NAME": "",
        # Bytes of the path as Latin-1 characters, as PEP 3333 wants them.
        "PATH_INFO": unquote_to_bytes(url_path).decode("latin-1"),
        "QUERY_STRING": request.get("query", ""),
        "SERVER_NAME": server or "localhost",
        "SERVER_PORT": port or "80",
        "SERVER_PROTOCOL": "HTTP/1.1",
        "CONTENT_LENGTH": str(len(body)),
        "wsgi.version": (1, 0),
        "wsgi.url_scheme": request.get("scheme", "http"),
        "wsgi.input": io.BytesIO(body),
        "wsgi.errors": sys.stderr,
        "wsgi.multithread": False,
        "wsgi.multiprocess": False,
        "wsgi.run_once": False,
    }}
    for name, values in _headers(request).items():
        key = name.upper().replace("-", "_")
        value = ("; " if name == "cookie" else ",").join(values)
        if key == "CONTENT_TYPE":
            environ[key] = value
        elif key != "CONTENT_LENGTH":
            environ["HTTP_" + key] = value
    return environ

{shared}
