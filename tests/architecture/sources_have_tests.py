#!/usr/bin/env python3
"""Every source of the computation is included by a test, or stands in tested_through.txt with what tests it. What is in a
detail/ folder is tested through the headers of the folder above."""
import pathlib
import re
import sys

root = pathlib.Path(sys.argv[1])
included = set()
for test in (root / "tests").rglob("*"):
    if test.suffix in (".cpp", ".h"):
        included |= set(re.findall(r'#include "((?:core|desktop|console|simulator)/[^"]+)"', test.read_text()))
listed = {}
for line in (root / "tests/architecture/tested_through.txt").read_text().splitlines():
    if line and not line.startswith("#"):
        name, _, reason = line.partition(" ")
        listed[name] = reason.strip()
problems = []
headers = {str(h.relative_to(root)) for h in (root / "core").rglob("*.h") if "detail" not in h.parts}
for header in sorted(headers):
    if header not in included and not listed.get(header):
        problems.append(f"{header} is included by no test and not listed in tested_through.txt")
for name in sorted(listed):
    if name not in headers:
        problems.append(f"{name} is listed in tested_through.txt and is not there")
    elif name in included:
        problems.append(f"{name} is listed in tested_through.txt and has a test that includes it")
print("\n".join(problems))
sys.exit(1 if problems else 0)
