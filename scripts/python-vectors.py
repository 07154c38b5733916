#!/usr/bin/env python3
"""Makes test/fixtures/python/vectors.json: real versions, specifiers, markers and wheel names, with what Python's own
`packaging` library says of them. Needs that library and an index: python-vectors.py INDEX_URL PACKAGE..."""
import io
import itertools
import json
import random
import sys
import urllib.request
import zipfile

from packaging.markers import Marker
from packaging.requirements import InvalidRequirement, Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.tags import compatible_tags, cpython_tags
from packaging.utils import InvalidWheelFilename, parse_wheel_filename
from packaging.version import InvalidVersion, Version

JSON_TYPE = "application/vnd.pypi.simple.v1+json"
ENVIRONMENTS = [
    {"python": "3.9", "machine": "x86_64"},
    {"python": "3.12", "machine": "aarch64"},
]
rng = random.Random(20)


def fetch(url, accept=None):
    request = urllib.request.Request(url, headers={"Accept": accept} if accept else {})
    with urllib.request.urlopen(request, timeout=60) as response:
        return response.read()


def environment(python, machine):
    return {
        "os_name": "posix", "sys_platform": "linux", "platform_machine": machine,
        "platform_python_implementation": "CPython", "platform_release": "", "platform_system": "Linux",
        "platform_version": "", "python_version": python, "python_full_version": python + ".99",
        "implementation_name": "cpython", "implementation_version": python + ".99",
    }


def platforms(machine, newest=36):
    oldest, aliases = (5, {17: "manylinux2014", 12: "manylinux2010", 5: "manylinux1"}) if machine == "x86_64" else (17, {17: "manylinux2014"})
    for minor in range(newest, oldest - 1, -1):
        yield f"manylinux_2_{minor}_{machine}"
        if minor in aliases:
            yield f"{aliases[minor]}_{machine}"
    yield f"linux_{machine}"


def tags(python, machine):
    version = tuple(map(int, python.split(".")))
    plats = list(platforms(machine))
    own = cpython_tags(version, [f"cp{version[0]}{version[1]}"], plats)
    return [str(tag) for tag in itertools.chain(own, compatible_tags(version, f"cp{version[0]}{version[1]}", plats))]


def valid(kind, text, errors):
    try:
        return kind(text)
    except errors:
        return None


def main(index, packages):
    versions, files, specifiers, requirements = set(), set(), set(), set()
    for package in packages:
        page = json.loads(fetch(f"{index}/{package}/", JSON_TYPE))
        wheels = [f for f in page["files"] if f["filename"].endswith(".whl")]
        versions.update(page.get("versions", []))
        files.update(f["filename"] for f in wheels)
        specifiers.update(f["requires-python"] for f in page["files"] if f.get("requires-python"))
        for wheel in rng.sample(wheels, min(4, len(wheels))):
            if wheel.get("size", 1 << 30) > 4_000_000:
                continue
            with zipfile.ZipFile(io.BytesIO(fetch(wheel["url"]))) as archive:
                [name] = [n for n in archive.namelist() if n.endswith(".dist-info/METADATA")]
                text = archive.read(name).decode()
            for line in text.split("\n\n")[0].splitlines():
                if line.startswith("Requires-Dist:"):
                    requirements.add(line.split(":", 1)[1].strip())
    made_up = ["1!1.0", "1.0.dev1", "1.0a1.dev2", "1.0.post1.dev3", "1.0+Ubuntu.1", "1.0-1", "v1.0_rc-3", "1.0+abc.5",
               "1.0+5", "1.0.0.0", "2", "1.0c1", "1.0+abc", "1.0preview", "bad", "1..2", "1.0+", "1.0-x", "", "0.0.0a0"]
    versions = sorted(rng.sample(sorted(versions), min(1500, len(versions)))) + made_up
    files = sorted(rng.sample(sorted(files), min(700, len(files))))
    requirements = sorted(rng.sample(sorted(requirements), min(400, len(requirements))))
    good_requirements = [r for r in (valid(Requirement, r, InvalidRequirement) for r in requirements) if r is not None]
    specifiers.update(str(r.specifier) for r in good_requirements)
    specifiers.discard("")
    specifiers = sorted(rng.sample(sorted(specifiers), min(250, len(specifiers)))) + [
        "~=1.4", "~=1.4.5a4", "~=2.2.post3", "==1.*", "!=1.1.*", "==1.0+abc", ">1.0", ">1.0.post1", "<1.0", "<1.0rc1",
        "===1.0", "===bad", "~=1", "==1.0.dev1.*", ">=1.0+x", "==1!1.*", ">=1.0.dev0", "<=1.0"]

    parsed = {text: valid(Version, text, InvalidVersion) for text in versions}
    good = [text for text in versions if parsed[text] is not None]
    order = sorted(good, key=lambda text: (parsed[text], text))
    fits = []
    for text in specifiers:
        some = rng.sample(good, 25)
        spec = valid(SpecifierSet, text, InvalidSpecifier)
        fits.append([text, None if spec is None else [[v, spec.contains(v, prereleases=True)] for v in some]])
    supported = {f"{e['python']} {e['machine']}": tags(**e) for e in ENVIRONMENTS}
    wheels = []
    for name in files:
        parts = valid(parse_wheel_filename, name, (InvalidWheelFilename, InvalidVersion))
        if parts is None:
            wheels.append([name, None])
            continue
        found = {str(tag) for tag in parts[3]}
        ranks = [min((i for i, tag in enumerate(all_tags) if tag in found), default=-1) for all_tags in supported.values()]
        wheels.append([name, [parts[0], str(parts[1]), *ranks]])
    markers = []
    for text in requirements:
        requirement = valid(Requirement, text, InvalidRequirement)
        if requirement is None:
            markers.append([text, None])
            continue
        results = [requirement.marker is None or requirement.marker.evaluate({**environment(**e), "extra": extra})
                   for e in ENVIRONMENTS for extra in ("", "all", "test")]
        markers.append([text, [requirement.name, sorted(requirement.extras), results]])
    with open("test/fixtures/python/vectors.json", "w") as out:
        def rows(name, data):
            return f' "{name}": [\n' + ",\n".join("  " + json.dumps(row) for row in data) + "\n ]"
        out.write("{\n" + ",\n".join([
            ' "origin": "names, versions and metadata of public packages, judged by the packaging library (scripts/python-vectors.py)"',
            rows("normal", [[t, None if parsed[t] is None else str(parsed[t])] for t in versions]),
            rows("order", [order]),
            rows("fits", fits), rows("wheels", wheels), rows("requirements", markers),
            rows("tags", [[key, len(all_tags), all_tags[:3], all_tags[-3:]] for key, all_tags in supported.items()]),
        ]) + "\n}\n")


main(sys.argv[1].rstrip("/"), sys.argv[2:])
