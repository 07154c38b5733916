"""Runs inside the process that stands in for a host: loads one function and calls it with the events that arrive.

Commands come as JSON lines on descriptor 3, answers go as JSON lines on descriptor 4, each with the secret mark that came
with the first command, so that whatever the function writes there by itself is told from an answer.
"""

import asyncio
import importlib
import inspect
import json
import math
import os
import sys
import time
import traceback
import types

COMMANDS, ANSWERS = 3, 4
MAX_DEPTH = 500


class Asked:
    """Comes last among the finders, so that whatever it is asked for is nowhere to be found."""

    def __init__(self):
        self.names = set()

    def find_spec(self, name, path=None, target=None):
        self.names.add(name)
        return None


class Imports:
    """Notes how long modules take to load: by themselves, and with what they import."""

    def __init__(self):
        import importlib._bootstrap as bootstrap

        self.found = []
        self.stack = []
        load = bootstrap._load_unlocked

        def timed(spec):
            begun, inner = time.perf_counter(), [0.0]
            by = self.stack[-1][0] if self.stack else None
            self.stack.append((spec.name, inner))
            try:
                return load(spec)
            finally:
                self.stack.pop()
                total = time.perf_counter() - begun
                self.found.append((spec.name, spec.origin, total, total - inner[0], by))
                if self.stack:
                    self.stack[-1][1][0] += total

        bootstrap._load_unlocked = timed

    def costs(self, root, own):
        return [
            {"name": name, "file": origin, "total": total * 1000, "self": own * 1000, "by": by, "isLater": name in later}
            for later in [self.later(root, own)]
            for name, origin, total, own, by in self.found
        ]

    def later(self, root, own):
        """Modules that the function's own code imports at its top, and uses in functions only."""
        import ast

        names, needed = set(), set()
        for path in own:
            if not path.endswith(".py"):
                continue
            try:
                with open(os.path.join(root, path), "rb") as file:
                    tree = ast.parse(file.read())
            except (OSError, SyntaxError):
                continue
            used = used_at_once(tree)
            # What is used nowhere may be there for what it does when it is loaded.
            known = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
            for node in tree.body:
                if isinstance(node, ast.Import):
                    for one in node.names:
                        bound = one.asname or one.name.split(".")[0]
                        (needed if bound in used or bound not in known else names).add(one.name)
                elif isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
                    bound = {one.asname or one.name for one in node.names}
                    (needed if bound & used or not bound & known else names).add(node.module)
        return names - needed


def used_at_once(tree):
    """Names that are used while the module loads: not those that only bodies of functions use."""
    import ast

    used = set()

    def visit(node):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            for part in [*node.decorator_list, *node.args.defaults, *filter(None, node.args.kw_defaults), node.args]:
                visit(part)
            if node.returns is not None:
                visit(node.returns)
            return
        if isinstance(node, ast.Lambda):
            return
        if isinstance(node, ast.Name):
            used.add(node.id)
        for child in ast.iter_child_nodes(node):
            visit(child)

    for statement in tree.body:
        if not isinstance(statement, (ast.Import, ast.ImportFrom)):
            visit(statement)
    return used


class Host:
    def __init__(self):
        self.asked = Asked()
        sys.meta_path.append(self.asked)
        self.mark = ""
        self.root = ""
        self.member = None
        self.about = {}
        self.loop = None

    def answer(self, **message):
        data = (json.dumps({"mark": self.mark, "asked": sorted(self.asked.names), **message}) + "\n").encode()
        while data:
            data = data[os.write(ANSWERS, data):]

    def load(self, command):
        self.mark, self.root = command["mark"], command["root"]
        self.about = command
        sys.path.insert(0, self.root)
        name = os.path.relpath(command["file"], self.root)[: -len(".py")].replace(os.sep, ".")
        imports = Imports() if command.get("profile") else None
        begun = time.perf_counter()
        try:
            module = importlib.import_module(name)
        except Exception as error:
            self.answer(kind="load-failed", error=self.describe(error), seen=self.seen())
            return
        member = getattr(module, command["member"], None)
        if callable(member):
            self.member = member
            load_ms = (time.perf_counter() - begun) * 1000
            self.answer(kind="loaded", seen=self.seen(), loadMs=load_ms, costs=imports.costs(self.root, command.get("own", [])) if imports else None)
        else:
            members = [key for key in vars(module) if not key.startswith("_")]
            found = "undefined" if member is None else type(member).__name__
            self.answer(kind="no-member", found=found, members=members)

    def call(self, command):
        names = self.about["context"]
        context = types.SimpleNamespace(
            **{
                names["name"]: self.about["name"],
                names["memory"]: self.about["memory"],
                names["run"]: command["run"],
                names["deadline"]: command["deadline"],
                names["log"]: lambda *texts: print(*texts, file=sys.stderr, flush=True),
            }
        )
        try:
            value = self.member(command["event"], context)
            if inspect.isawaitable(value):
                value = self.event_loop().run_until_complete(value)
        except Exception as error:
            flush()
            self.answer(kind="threw", error=self.describe(error), peak=peak_bytes(), seen=self.seen())
            return
        flush()
        fault = why_not_json(value, "", ())
        if fault is not None:
            self.answer(kind="not-json", fault=fault, peak=peak_bytes(), seen=self.seen())
        else:
            self.answer(kind="result", json=json.dumps(value), nothing=value is None, peak=peak_bytes(), seen=self.seen())

    def event_loop(self):
        if self.loop is None:
            self.loop = asyncio.new_event_loop()
            asyncio.set_event_loop(self.loop)
        return self.loop

    def seen(self):
        """Paths in the artifact of the modules that have been loaded so far."""
        prefix = self.root + os.sep
        files = (getattr(module, "__file__", None) for module in list(sys.modules.values()))
        return sorted(file[len(prefix):] for file in files if isinstance(file, str) and file.startswith(prefix))

    def describe(self, error):
        frames = [
            f"    at {frame.name} ({frame.filename}:{frame.lineno})"
            for frame in traceback.extract_tb(error.__traceback__)
            if frame.filename != __file__ and not frame.filename.startswith("<frozen")
        ]
        missing = getattr(error, "name", None) if isinstance(error, ImportError) else None
        return {
            "name": type(error).__name__,
            "message": str(error),
            "stack": "\n".join([f"{type(error).__name__}: {error}", *reversed(frames)]),
            "missing": missing,
        }


def flush():
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except Exception:
            pass


def peak_bytes():
    # ru_maxrss is inherited from the parent; this is not.
    try:
        with open("/proc/self/status") as status:
            for line in status:
                if line.startswith("VmHWM:"):
                    return int(line.split()[1]) * 1024
    except OSError:
        pass
    return 0


def why_not_json(value, at, above):
    """What JSON would lose or refuse, with its place; None for plain JSON."""
    place = "the answer" if at == "" else f"`{at}`"
    if value is None or isinstance(value, (str, bool, int)):
        return None
    if isinstance(value, float):
        return None if math.isfinite(value) else f"{place} is {value}"
    if not isinstance(value, (dict, list, tuple)):
        return f"{place} is a {type(value).__name__}"
    if id(value) in above:
        return f"{place} contains itself"
    if len(above) >= MAX_DEPTH:
        return f"{place} is nested too deep"
    if isinstance(value, dict):
        for key in value:
            # Numbers and truth values become texts, as json does it.
            if not (key is None or isinstance(key, (str, int, float))):
                return f"{place} has the key {key!r}, which JSON cannot hold"
        items = [(key if at == "" else f"{at}.{key}", item) for key, item in value.items()]
    else:
        items = [(f"{at}[{i}]", item) for i, item in enumerate(value)]
    for path, item in items:
        fault = why_not_json(item, path, (*above, id(value)))
        if fault is not None:
            return fault
    return None


def main():
    host = Host()
    with os.fdopen(COMMANDS, "r", encoding="utf-8", closefd=False) as commands:
        for line in commands:
            command = json.loads(line)
            if command["kind"] == "load":
                host.load(command)
            elif command["kind"] == "call":
                host.call(command)


main()
