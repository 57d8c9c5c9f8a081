#!/usr/bin/env python3
"""Checks by what the libraries of a build ask of each other that each room of the core links only the rooms that core/rooms.txt allows:
dev/check_links.py [BUILD_FOLDER]."""
import pathlib
import re
import subprocess
import sys

from check_walls import rooms


def symbols(library, kind):
    """Of our own that a library defines, or needs: weak ones, which each has for itself, are left out."""
    out = subprocess.run(["nm", "--extern-only", f"--{kind}-only", "--format=posix", str(library)], capture_output=True, text=True, check=True)
    found = set()
    for line in out.stdout.splitlines():
        words = line.split()
        if len(words) > 1 and words[1] in "TBDRU" and re.match(r"_Z\w*7wexilum", words[0]):
            found.add(words[0])
    return found


def main():
    build = pathlib.Path(sys.argv[1] if len(sys.argv) > 1 else "build/release")
    allowed = rooms()
    libraries = {room: build / "core" / f"libwexilum_{room}.a" for room in allowed}
    missing = [str(library) for library in libraries.values() if not library.exists()]
    if missing:
        sys.exit(f"not built: {', '.join(missing)}")
    home = {symbol: room for room, library in libraries.items() for symbol in symbols(library, "defined")}
    problems = []
    for room, library in libraries.items():
        for symbol in sorted(symbols(library, "undefined")):
            if symbol in home and home[symbol] not in allowed[room]:
                name = subprocess.run(["c++filt", symbol], capture_output=True, text=True, check=True).stdout.strip()
                problems.append(f"the library of {room} needs {name}, which is {home[symbol]}'s")
    for problem in problems:
        print(problem, file=sys.stderr)
    if not problems:
        print(f"links: {len(libraries)} rooms ask {len(home)} functions of nobody above them")
    sys.exit(1 if problems else 0)


if __name__ == "__main__":
    main()
