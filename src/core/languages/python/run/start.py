"""Starts a function in an image. It is called in one of two ways: by lines, an event on each line of standard input
(CloudEvents in JSON) and an answer on each line of standard output; or by HTTP on the port in PORT, with CloudEvents (HTTP
Protocol Binding 1.0.2, structured and binary mode), or with the very requests where it is a web application. What the
function itself writes goes to standard error, which is its log. By lines a function that throws ends with its traceback
there and exit code 1; by HTTP that call is answered with 500.
"""

import base64
import datetime
import importlib
import inspect
import json
import os
import sys
import threading
import types

# Headers that belong to a connection and not to what it carries (RFC 9110 7.6.1).
OF_CONNECTION = {"connection", "keep-alive", "transfer-encoding", "upgrade", "te", "trailer", "content-length"}


class Refused(Exception):
    def __init__(self, status, message):
        super().__init__(message)
        self.status = status


class Function:
    def __init__(self, plan):
        self.plan = plan
        self.calls = 0
        self.loop = None
        self.lock = threading.Lock()
        sys.path[0] = plan["root"]
        self.module = importlib.import_module(plan["file"][: -len(".py")].replace("/", "."))
        self.member = getattr(self.module, plan["member"])

    def call(self, event):
        plan, names = self.plan, self.plan["context"]
        with self.lock:
            self.calls += 1
            run = f"run-{self.calls}"
        deadline = datetime.datetime.now(datetime.timezone.utc) + datetime.timedelta(milliseconds=plan["timeoutMs"])
        context = types.SimpleNamespace(
            **{
                names["name"]: plan["name"],
                names["memory"]: plan["memory"],
                names["run"]: run,
                names["deadline"]: deadline.isoformat(timespec="milliseconds").replace("+00:00", "Z"),
                names["log"]: log,
            }
        )
        return self.settled(self.member(event.get("data") if plan["event"] == "data" else event, context))

    def settled(self, value):
        """What comes later is waited for, in one event loop for all calls."""
        if not inspect.isawaitable(value):
            return value
        import asyncio

        with self.lock:
            if self.loop is None:
                self.loop = asyncio.new_event_loop()
                threading.Thread(target=self.loop.run_forever, daemon=True).start()

        async def wait():
            return await value

        return asyncio.run_coroutine_threadsafe(wait(), self.loop).result()


def log(*texts):
    print(*texts, file=sys.stderr, flush=True)


def read_lines(function, answers):
    is_data = function.plan["event"] == "data"
    for line in open(0, encoding="utf-8"):
        if not line.strip():
            continue
        # A line is what the destination gives: a whole event, or its data.
        given = json.loads(line)
        value = function.call({"data": given} if is_data else given)
        sys.stdout.flush()
        answers.write(json.dumps(value) + "\n")
        answers.flush()


def serve(function):
    import signal
    import socketserver
    import traceback
    from http.server import BaseHTTPRequestHandler

    plan = function.plan
    turns = threading.Semaphore(plan["concurrency"])
    ending = threading.Event()

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        # Headers and body go out in one piece.
        wbufsize = -1

        def handle_any(self):
            with server.counting:
                server.running += 1
            try:
                if self.command == "GET" and self.path == plan.get("health"):
                    return self.send(200, [("content-type", "text/plain")], b"ready\n")
                with turns:
                    try:
                        body = self.body()
                        if plan["isWeb"]:
                            return self.send(*self.respond(body))
                        value = function.call(self.event(body))
                        sys.stdout.flush()
                        return self.send(200, [("content-type", "application/json")], json.dumps(value).encode())
                    except Refused as error:
                        self.close_connection = True
                        what = "the request is refused" if plan["isWeb"] else "the request is no event"
                        return self.refuse(error.status, what, str(error))
                    except Exception as error:
                        traceback.print_exc()
                        return self.refuse(500, type(error).__name__, str(error))
            finally:
                with server.counting:
                    server.running -= 1
                if ending.is_set():
                    self.close_connection = True

        do_GET = do_HEAD = do_POST = do_PUT = do_PATCH = do_DELETE = do_OPTIONS = handle_any

        def body(self):
            if "chunked" in self.headers.get("transfer-encoding", "").lower():
                return self.chunks()
            length = int(self.headers.get("content-length") or 0)
            if length > plan["mostBytes"]:
                raise Refused(413, f"the body has more than {plan['mostBytes']} bytes")
            return self.rfile.read(length)

        def chunks(self):
            """RFC 9112 7.1."""
            body = bytearray()
            while True:
                size = int(self.rfile.readline(1024).split(b";")[0], 16)
                if size == 0:
                    break
                if len(body) + size > plan["mostBytes"]:
                    raise Refused(413, f"the body has more than {plan['mostBytes']} bytes")
                body += self.rfile.read(size)
                self.rfile.readline(1024)
            while self.rfile.readline(65536).strip():
                pass
            return bytes(body)

        def event(self, body):
            """HTTP Protocol Binding, section 3; what is no event is taken as the data of one."""
            if self.command != "POST":
                raise Refused(405, f"events come by POST, not by {self.command}")
            kind = self.headers.get("content-type", "").split(";")[0].strip().lower()
            if kind.startswith("application/cloudevents"):
                if kind != "application/cloudevents+json":
                    raise Refused(415, f"events in JSON are read, not {kind}")
                return checked(parsed(body))
            is_json = kind == "" or kind.endswith(("/json", "+json"))
            is_text = is_json or kind.startswith("text/")
            if self.headers.get("ce-specversion") is None:
                event = {"specversion": "1.0", "id": f"run-{function.calls + 1}", "source": "/http", "type": "http.request"}
                kind = kind or "application/json"
            else:
                from urllib.parse import unquote

                event = {name[3:].lower(): unquote(value) for name, value in self.headers.items() if name[:3].lower() == "ce-"}
            if body:
                event["datacontenttype"] = kind or "application/json"
                if is_json:
                    event["data"] = parsed(body)
                elif is_text:
                    event["data"] = body.decode()
                else:
                    event["data_base64"] = base64.b64encode(body).decode()
            return checked(event)

        def respond(self, body):
            path, _, query = self.path.partition("?")
            headers = {}
            for name, value in self.headers.items():
                if name.lower() not in OF_CONNECTION:
                    headers.setdefault(name.lower(), []).append(value)
            request = types.SimpleNamespace(
                method=self.command, path=path, query=query, headers=headers, body=body, scheme="http", remote=self.client_address[0]
            )
            return function.settled(function.module.respond(request))

        def send(self, status, headers, body):
            self.send_response_only(status)
            for name, value in headers:
                if name.lower() not in OF_CONNECTION:
                    self.send_header(name, value)
            # RFC 9110 8.6: these have no content, and say no length.
            if status not in (204, 304):
                self.send_header("content-length", str(len(body)))
            if self.close_connection or ending.is_set():
                self.send_header("connection", "close")
            self.end_headers()
            if self.command != "HEAD" and status not in (204, 304):
                self.wfile.write(body)
            self.wfile.flush()

        def refuse(self, status, error, message):
            self.send(status, [("content-type", "application/json")], (json.dumps({"error": error, "message": message}) + "\n").encode())

        def log_message(self, *_):
            pass

    class Server(socketserver.ThreadingTCPServer):
        allow_reuse_address = True
        daemon_threads = True
        request_queue_size = 128
        counting = threading.Lock()
        running = 0

    server = Server(("0.0.0.0", int(os.environ.get("PORT") or 8080)), Handler)

    def end(*_):
        # What has begun is answered.
        ending.set()
        threading.Thread(target=server.shutdown, daemon=True).start()

    signal.signal(signal.SIGTERM, end)
    server.serve_forever(poll_interval=0.1)
    server.socket.close()
    import time

    until = time.monotonic() + plan["stopMs"] / 1000
    while server.running > 0 and time.monotonic() < until:
        time.sleep(0.01)
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(0 if server.running == 0 else 1)


def parsed(body):
    try:
        return json.loads(body)
    except ValueError as error:
        raise Refused(400, f"the body is no JSON: {error}")


def checked(event):
    """CloudEvents 1.0, "Required attributes"."""
    if not isinstance(event, dict):
        raise Refused(400, "the body is no event")
    if event.get("specversion") != "1.0":
        raise Refused(400, f"`specversion` is {event.get('specversion')}, not 1.0")
    for name in ("id", "source", "type"):
        if not isinstance(event.get(name), str) or event[name] == "":
            raise Refused(400, f"the event has no `{name}`")
    return event


def main():
    with open(os.path.join(os.path.dirname(os.path.abspath(__file__)), "start.json"), encoding="utf-8") as file:
        plan = json.load(file)
    # Answers have a descriptor of their own; everything else that means standard output is log.
    answers = os.fdopen(os.dup(1), "w", encoding="utf-8", newline="\n")
    os.dup2(2, 1)
    function = Function(plan)
    if plan["speaks"] == "http":
        serve(function)
    else:
        read_lines(function, answers)


main()
