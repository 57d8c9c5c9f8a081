#!/usr/bin/env python3
"""Checks the rules of docs/architecture.md that a compiler does not: which folder may include which, no window library in the
core, no file access outside core/io, no file of unbearable length."""
import pathlib
import re
import subprocess
import sys

ORDER = ["base", "expr", "geometry", "toolpath", "machine", "collide", "setup", "solve", "motion", "controller", "dialect", "rules",
         "run", "replay", "prove", "project", "io"]
LONGEST = 700
FILE_ACCESS = re.compile(r"#include <(fstream|filesystem|cstdio|unistd\.h|chrono)>")

problems = []
files = subprocess.run(["git", "ls-files", "*.cpp", "*.hpp"], capture_output=True, text=True, check=True).stdout.split()
for name in files:
    path = pathlib.Path(name)
    if not path.exists():
        continue
    lines = path.read_text(encoding="utf-8").splitlines()
    if len(lines) > LONGEST:
        problems.append(f"{name}: {len(lines)} lines; look for the missing concept")
    parts = path.parts
    for number, line in enumerate(lines, 1):
        included = re.match(r'#include "core/(\w+)/', line)
        if parts[0] == "core":
            if re.match(r"#include <Q", line) or re.match(r'#include "(app|cli|tests)/', line):
                problems.append(f"{name}:{number}: the core includes an interface")
            if included and ORDER.index(included[1]) > ORDER.index(parts[1]):
                problems.append(f"{name}:{number}: {parts[1]} is below {included[1]}")
            if FILE_ACCESS.match(line) and parts[1] != "io":
                problems.append(f"{name}:{number}: only core/io touches files, clocks and processes")
            if parts[1] == "replay" and included and included[1] == "dialect":
                problems.append(f"{name}:{number}: the replay never reads a dialect")
        if parts[0] == "cli" and re.match(r"#include <Q", line):
            problems.append(f"{name}:{number}: the command line links no window library")
for problem in problems:
    print(problem, file=sys.stderr)
sys.exit(1 if problems else 0)
