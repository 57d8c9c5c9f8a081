#!/usr/bin/env python3
"""Holds the table "I want to add" of docs/architecture.md against the source: each row names something that is there already, and the
files that know it. A file more or less than the row says is an error: dev/places.py [--write] (--write puts the files in)."""
import re
import sys
from pathlib import Path

root = Path(__file__).resolve().parent.parent
page = root / "docs/architecture.md"
sources = [p for folder in ("core", "app", "cli") for p in sorted((root / folder).rglob("*")) if p.suffix in (".hpp", ".cpp")]
texts = {str(p.relative_to(root)): p.read_text(encoding="utf-8") for p in sources}
row = re.compile(r"^\| (?P<what>[^|]+) \| `(?P<example>[^`]+)` \| (?P<count>\d+) \| (?P<places>[^|]*) \|$")

problems = []
lines = page.read_text(encoding="utf-8").split("\n")
rows = 0
for number, line in enumerate(lines):
    found = row.match(line)
    if not found:
        continue
    rows += 1
    example = re.compile(r"(?<!\w)" + re.escape(found["example"]) + r"(?!\w)")
    known = [name for name, text in texts.items() if example.search(text)]
    told = re.findall(r"`([^`]+)`", found["places"])
    if "--write" in sys.argv:
        places = ", ".join(f"`{name}`" for name in known)
        lines[number] = f"| {found['what']} | `{found['example']}` | {len(known)} | {places} |"
    elif sorted(told) != sorted(known) or int(found["count"]) != len(known):
        more = ", ".join(sorted(set(known) - set(told))) or "none"
        less = ", ".join(sorted(set(told) - set(known))) or "none"
        problems.append(f"docs/architecture.md:{number + 1}: {found['what'].strip()}: not in the row: {more}; no more there: {less}")
if "--write" in sys.argv:
    page.write_text("\n".join(lines), encoding="utf-8")
if rows == 0:
    problems.append("docs/architecture.md has no table of places")
for problem in problems:
    print(problem)
sys.exit(1 if problems else 0)
