#!/usr/bin/env python3
"""How much has to be compiled again after a change of a header of the core: the share of all source files that see it, in the mean over
the headers, and the headers that cost most. dev/header_cost.py [--most PERCENT] fails where the mean is above."""
import argparse
import functools
import pathlib
import re
import subprocess
import sys


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--most", type=float, default=100, help="percent; above it this fails")
    parser.add_argument("--list", type=int, default=12, help="how many of the dearest headers are listed")
    options = parser.parse_args()
    names = subprocess.run(["git", "ls-files", "core", "cli", "app", "tests"], capture_output=True, text=True, check=True).stdout.split()
    names = [name for name in names if name.endswith((".cpp", ".hpp")) and pathlib.Path(name).exists()]
    known = set(names)
    includes = {name: [header for header in re.findall(r'^#include "([^"]+)"', pathlib.Path(name).read_text(encoding="utf-8"), re.M)
                       if header in known] for name in names}

    @functools.cache
    def seen(name):
        return frozenset(includes[name]).union(*(seen(header) for header in includes[name]))

    sources = [name for name in names if name.endswith(".cpp")]
    headers = [name for name in names if name.startswith("core/") and name.endswith(".hpp")]
    counts = {header: sum(header in seen(source) for source in sources) for header in headers}
    for header in sorted(headers, key=counts.get, reverse=True)[:options.list]:
        print(f"{counts[header]:4} of {len(sources)}  {header}")
    mean = 100 * sum(counts.values()) / len(headers) / len(sources)
    print(f"a change of a core header compiles {mean:.1f} % of {len(sources)} source files again, in the mean over {len(headers)} headers")
    if mean > options.most:
        sys.exit(f"more than {options.most:g} %: look at what the headers above include")


if __name__ == "__main__":
    main()
