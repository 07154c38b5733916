"""Calls one hook of a build backend (PEP 517) in a folder whose packages were chosen for it and nothing else.

Reads one JSON document: what to call, where the source is, which folders to import from. Answers with one.
"""

import importlib
import json
import os
import sys

job = json.load(sys.stdin)
answers = os.fdopen(os.dup(1), "w")
os.dup2(2, 1)
os.chdir(job["source"])
sys.path[:0] = [os.path.join(job["source"], path) for path in job["backendPath"]] + job["paths"]
module, _, attribute = job["backend"].partition(":")
backend = importlib.import_module(module)
for name in filter(None, attribute.split(".")):
    backend = getattr(backend, name)
if job["hook"] == "requires":
    hook = getattr(backend, "get_requires_for_build_wheel", None)
    result = hook({}) if hook is not None else []
else:
    result = backend.build_wheel(job["target"], {})
json.dump({"result": result}, answers)
