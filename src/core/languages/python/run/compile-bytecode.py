"""Compiles Python sources to bytecode that is the same every time: hash-based and unchecked (PEP 552).

Reads lines of JSON, `{"source": path, "name": name in the artifact, "target": path}`, and answers each with
`{"target": path}` or `{"target": path, "error": text}`.
"""

import importlib.util
import json
import marshal
import sys

UNCHECKED = 0b01
# The newest version of the format without references between objects: which of them are shared differs from run to run.
WITHOUT_REFERENCES = 2


def compile_one(source, name):
    with open(source, "rb") as file:
        text = file.read()
    code = compile(text, name, "exec", dont_inherit=True, optimize=0)
    header = importlib.util.MAGIC_NUMBER + UNCHECKED.to_bytes(4, "little") + importlib.util.source_hash(text)
    return header + marshal.dumps(code, WITHOUT_REFERENCES)


for line in sys.stdin:
    job = json.loads(line)
    answer = {"target": job["target"]}
    try:
        data = compile_one(job["source"], job["name"])
        with open(job["target"], "wb") as file:
            file.write(data)
    except (SyntaxError, ValueError, RecursionError) as error:
        answer["error"] = str(error)
    print(json.dumps(answer), flush=True)
