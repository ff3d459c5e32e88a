"""What the program is built of: licences, sources, advisories and packages that are there twice.

    python3 supply/check.py            says what must not be, and ends with 1 where anything is
    python3 supply/check.py --notices  writes the licences of all that the program is built with

Asks `cargo metadata` for all packages of Cargo.lock, on whatever system they are needed, and holds them to
`supply/allowed.toml` and `supply/advisories.toml`. An exception that is not needed any more is a fault too.
"""

import json
import pathlib
import re
import subprocess
import sys
import tomllib

HERE = pathlib.Path(__file__).resolve().parent


def metadata(*more):
    said = subprocess.run(["cargo", "metadata", "--format-version", "1", "--locked", *more], cwd=HERE.parent,
                          check=True, stdout=subprocess.PIPE)
    return json.loads(said.stdout)


def is_allowed(licence, allowed):
    """Whether an SPDX expression holds with licences that are allowed; OR binds less than AND."""
    tokens = re.findall(r"\(|\)|[^\s()]+", licence.replace("/", " OR "))

    def either():
        holds = both()
        while tokens and tokens[0] == "OR":
            tokens.pop(0)
            holds = both() or holds
        return holds

    def both():
        holds = one()
        while tokens and tokens[0] == "AND":
            tokens.pop(0)
            holds = one() and holds
        return holds

    def one():
        if tokens[0] == "(":
            tokens.pop(0)
            holds = either()
            tokens.pop(0)
            return holds
        name = tokens.pop(0)
        if tokens and tokens[0] == "WITH":
            tokens.pop(0)
            name = f"{name} WITH {tokens.pop(0)}"
        return name in allowed

    return either()


def numbers(version):
    """A version in an order: what comes before a release is before it."""
    release, _, before = version.split("+")[0].partition("-")
    return [int(part) for part in release.split(".")] + [0] * (2 - release.count(".")) + [0 if before else 1]


def is_affected(version, bounds):
    compare = {"<": lambda a, b: a < b, "<=": lambda a, b: a <= b, ">": lambda a, b: a > b, ">=": lambda a, b: a >= b}
    parts = (re.fullmatch(r"([<>]=?)(.+)", bound).groups() for bound in bounds)
    return all(compare[sign](numbers(version), numbers(other)) for sign, other in parts)


def faults():
    allowed = tomllib.loads((HERE / "allowed.toml").read_text())
    advisories = tomllib.loads((HERE / "advisories.toml").read_text())["advisory"]
    packages = [package for package in metadata()["packages"] if package["source"]]
    versions = {}
    for package in packages:
        versions.setdefault(package["name"], []).append(package["version"])
        name = f"{package['name']} {package['version']}"
        if package["source"] not in allowed["sources"]:
            yield f"{name} comes from {package['source']}"
        excused = allowed["packages"].get(package["name"])
        if excused and excused["licence"] != package["license"]:
            yield f"{name} has the licence {package['license']}, and was looked at as {excused['licence']}"
        if not excused and not is_allowed(package["license"] or "none", allowed["licences"]):
            yield f"{name} has the licence {package['license']}; read it, then allow it or do without"
    for name in allowed["packages"].keys() - versions.keys():
        yield f"{name} is not among the packages any more; take it out of allowed.toml"
    for name, several in sorted(versions.items()):
        told = allowed["several"].get(name, {"versions": []})["versions"]
        if len(several) > 1 and not (len(told) == len(several) and all(
                any(version == one or version.startswith(f"{one}.") for version in several) for one in told)):
            yield f"{name} is there {len(several)} times, {' and '.join(sorted(several))}; make it one, or say why in allowed.toml"
        if len(several) == 1 and told:
            yield f"{name} is there once; take it out of allowed.toml"
    for name in allowed["several"].keys() - versions.keys():
        yield f"{name} is not among the packages any more; take it out of allowed.toml"
    for advisory in advisories:
        hit = [version for version in versions.get(advisory["package"], []) if is_affected(version, advisory["affected"])]
        if hit and "accepted" not in advisory:
            yield f"{advisory['package']} {hit[0]} {advisory['says']} ({advisory['id']}); update it"
        if not hit and "accepted" in advisory:
            yield f"{advisory['package']} is not affected by {advisory['id']} any more; take `accepted` out"


def notices():
    """The licences of all packages that the program for Linux is built with, as their authors wrote them."""
    told = metadata("--filter-platform", "x86_64-unknown-linux-musl")
    packages = {package["id"]: package for package in told["packages"]}
    nodes = {node["id"]: node for node in told["resolve"]["nodes"]}
    open_ones = [package["id"] for package in packages.values() if package["name"] == "mellow-kiln"]
    needed = set()
    while open_ones:
        one = open_ones.pop()
        if one not in needed:
            needed.add(one)
            # What only tests need is not passed on.
            open_ones += [dep["pkg"] for dep in nodes[one]["deps"] if any(kind["kind"] is None for kind in dep["dep_kinds"])]
    texts = {}
    print("Mellow Kiln is built with these packages, under these licences.\n")
    for package in sorted((packages[one] for one in needed), key=lambda package: package["name"]):
        print(f"{package['name']} {package['version']}: {package['license']}")
        if not package["source"]:
            continue
        folder = pathlib.Path(package["manifest_path"]).parent
        files = [path for path in sorted(folder.iterdir())
                 if path.is_file() and re.match(r"(?i)(licen[cs]e|copying|notice|unlicense|copyright)", path.name)]
        for path in files:
            texts.setdefault(path.read_text(errors="replace").strip(), []).append(package["name"])
    for text, names in texts.items():
        print(f"\n{'=' * 100}\n{', '.join(sorted(set(names)))}\n{'=' * 100}\n\n{text}")


if __name__ == "__main__":
    if "--notices" in sys.argv[1:]:
        notices()
    else:
        found = list(faults())
        print("\n".join(found) if found else "licences, sources, advisories and versions are as they should be")
        sys.exit(bool(found))
