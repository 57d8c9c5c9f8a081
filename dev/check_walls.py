#!/usr/bin/env python3
"""Checks the rules of docs/architecture.md that a compiler does not: which room of the core may include which, through all headers; no
window library in the core, no file access outside core/io, no file of unbearable length."""
import functools
import pathlib
import re
import subprocess
import sys

LONGEST = 700
FILE_ACCESS = re.compile(r"#include <(fstream|filesystem|cstdio|unistd\.h|chrono)>")


def rooms():
    """The rooms that each room may include, with all that those may; itself too."""
    allowed = {}
    for line in pathlib.Path("core/rooms.txt").read_text(encoding="utf-8").splitlines():
        if line.strip() and not line.startswith("#"):
            room, below = line.split(":")
            allowed[room] = {room}.union(*(allowed[name] for name in below.split()))
    return allowed


def main():
    problems = []
    names = subprocess.run(["git", "ls-files", "*.cpp", "*.hpp"], capture_output=True, text=True, check=True).stdout.split()
    texts = {name: pathlib.Path(name).read_text(encoding="utf-8").splitlines() for name in names if pathlib.Path(name).exists()}
    includes = {}
    for name, lines in texts.items():
        found = [(number, re.match(r'#include "([^"]+)"', line)) for number, line in enumerate(lines, 1)]
        includes[name] = [(number, match[1]) for number, match in found if match and match[1] in texts]

    @functools.cache
    def seen(name):
        """All headers that a file sees, and by which of its own includes it sees each."""
        out = {}
        for number, header in includes[name]:
            for further in {header, *seen(header)}:
                out.setdefault(further, number)
        return out

    allowed = rooms()
    for name, lines in texts.items():
        parts = pathlib.Path(name).parts
        if len(lines) > LONGEST:
            problems.append(f"{name}: {len(lines)} lines; look for the missing concept")
        for number, line in enumerate(lines, 1):
            if parts[0] == "core":
                if re.match(r"#include <Q", line) or re.match(r'#include "(app|cli|tests)/', line):
                    problems.append(f"{name}:{number}: the core includes an interface")
                if FILE_ACCESS.match(line) and parts[1] != "io":
                    problems.append(f"{name}:{number}: only core/io touches files, clocks and processes")
            if parts[0] == "cli" and re.match(r"#include <Q", line):
                problems.append(f"{name}:{number}: the command line links no window library")
        if parts[0] != "core":
            continue
        if parts[1] not in allowed:
            problems.append(f"{name}: core/rooms.txt has no room {parts[1]}")
            continue
        for header, number in seen(name).items():
            room = pathlib.Path(header).parts[1]
            if room not in allowed[parts[1]]:
                problems.append(f"{name}:{number}: {parts[1]} may not see {room}, and comes to {header} from here")
    for problem in problems:
        print(problem, file=sys.stderr)
    sys.exit(1 if problems else 0)


if __name__ == "__main__":
    main()
