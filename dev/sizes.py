#!/usr/bin/env python3
"""Sizes of classes, functions and files: dev/sizes.py [--list].

No class has more than 30 functions (constructors, destructors and operators not counted), no function more than 60 lines, no file more than
500. What is larger stands in dev/larger.txt with its reason and its size: it may not grow, and a line that is not needed any more is told.
--list shows everything above the limits as lines of that file.
"""
import collections
import pathlib
import subprocess
import sys

ROOT = pathlib.Path(__file__).resolve().parent.parent
REASONS = ROOT / "dev" / "larger.txt"
MOST = {"class": 30, "function": 60, "file": 500}


def sources():
    listed = subprocess.run(["git", "ls-files", "core", "cli", "app"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split()
    return [name for name in listed if name.endswith((".cpp", ".hpp")) and (ROOT / name).exists()]


def tags(files):
    """Functions and prototypes: (name, file, first line, last line, kind, scope)."""
    command = ["ctags", "-f", "-", "--languages=C++", "--c++-kinds=fp", "--fields=+neZK", "--extras=-F", "--langmap=C++:.hpp.cpp", "--sort=no"]
    out = subprocess.run(command + files, cwd=ROOT, capture_output=True, text=True, check=True).stdout
    for line in out.splitlines():
        name, file, *rest = line.split("\t")
        fields = dict(part.split(":", 1) for part in rest if ":" in part)
        kind = "function" if "function" in rest or fields.get("kind") == "function" else "prototype"
        first = int(fields.get("line", 0))
        yield name, file, first, int(fields.get("end", first)), kind, fields.get("scope", "")


def measure():
    """Size by (what, name), for everything above its limit."""
    files = sources()
    sizes = {}
    for name in files:
        count = (ROOT / name).read_bytes().count(b"\n")
        sizes["file", name] = count
    functions = collections.defaultdict(set)
    for name, file, first, last, kind, scope in tags(files):
        if kind == "function":
            key = ("function", f"{file}:{name}")
            sizes[key] = max(sizes.get(key, 0), last - first + 1)
        if file.endswith(".hpp") and scope.startswith(("class:", "struct:")):
            owner = scope.split(":", 1)[1]
            if not name.startswith(("~", "operator")) and name != owner.split("::")[-1]:
                functions[owner.removeprefix("wexilum::")].add(first)
    for owner, lines in functions.items():
        sizes["class", owner] = len(lines)
    return {key: size for key, size in sizes.items() if size > MOST[key[0]]}


def allowed():
    """What stands in the list: (what, name) -> (size, reason)."""
    out = {}
    for number, line in enumerate(REASONS.read_text().splitlines(), 1):
        if not line.strip() or line.startswith("#"):
            continue
        what, name, size, *reason = line.split(maxsplit=3)
        if what not in MOST or not reason:
            sys.exit(f"{REASONS.name}:{number}: write: class|function|file NAME SIZE REASON")
        out[what, name] = (int(size), reason[0])
    return out


def main():
    found = measure()
    if sys.argv[1:] == ["--list"]:
        reasons = allowed() if REASONS.exists() else {}
        for (what, name), size in sorted(found.items()):
            print(what, name, size, reasons.get((what, name), (0, "?"))[1])
        return 0
    known = allowed()
    wrong = []
    for key, size in sorted(found.items()):
        what, name = key
        if key not in known:
            wrong.append(f"{name}: {size} {'functions' if what == 'class' else 'lines'}, a {what} has {MOST[what]} at most")
        elif size > known[key][0]:
            wrong.append(f"{name}: {size}, and dev/larger.txt has it at {known[key][0]}: it may not grow")
    for key in sorted(set(known) - set(found)):
        wrong.append(f"{key[1]}: no longer larger than the limit: take it out of dev/larger.txt")
    print(f"{len(known)} classes, functions and files are larger than the limits, with their reasons in dev/larger.txt")
    for line in wrong:
        print(line, file=sys.stderr)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
