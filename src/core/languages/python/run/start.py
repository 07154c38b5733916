"""Starts a function in an image: loads it, then reads an event a line on standard input (CloudEvents in JSON) and writes an
answer a line on standard output. What the function itself writes goes to standard error, which is its log. A function that
throws ends with its traceback there and exit code 1.
"""

import datetime
import importlib
import json
import os
import sys
import types


def main():
    with open(os.path.join(os.path.dirname(os.path.abspath(__file__)), "start.json"), encoding="utf-8") as file:
        plan = json.load(file)
    # Answers have a descriptor of their own; everything else that means standard output is log.
    answers = os.fdopen(os.dup(1), "w", encoding="utf-8", newline="\n")
    os.dup2(2, 1)
    sys.path[0] = plan["root"]
    module = importlib.import_module(plan["file"][: -len(".py")].replace("/", "."))
    member = getattr(module, plan["member"])
    loop = None
    for calls, line in enumerate(open(0, encoding="utf-8"), 1):
        if not line.strip():
            continue
        deadline = datetime.datetime.now(datetime.timezone.utc) + datetime.timedelta(milliseconds=plan["timeoutMs"])
        context = types.SimpleNamespace(
            name=plan["name"],
            memory=plan["memory"],
            run=f"run-{calls}",
            deadline=deadline.isoformat(timespec="milliseconds").replace("+00:00", "Z"),
        )
        value = member(json.loads(line), context)
        if hasattr(value, "__await__"):
            if loop is None:
                import asyncio

                loop = asyncio.new_event_loop()
            value = loop.run_until_complete(value)
        sys.stdout.flush()
        answers.write(json.dumps(value) + "\n")
        answers.flush()


main()
