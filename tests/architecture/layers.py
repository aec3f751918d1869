"""Holds the rules of the house: core knows no interface, and its folders only include downwards."""
import pathlib
import re
import sys

ORDER = ["base", "device", "frame", "media", "clip", "lens", "shutter", "noise", "motion", "finish", "profile", "treat", "pipeline", "run", "farm"]
# media and frame know nobody above base; the resampling kernel's header is shared by pipeline only.
root = pathlib.Path(sys.argv[1])
wrong = []
count = 0
for path in sorted(root.glob("core/**/*.[hc]*")):
    folder = path.relative_to(root / "core").parts[0]
    if folder == "CMakeLists.txt":
        continue
    for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
        match = re.match(r'\s*#include\s+["<]([^">]+)[">]', line)
        if not match:
            continue
        count += 1
        name = match.group(1)
        if re.match(r"Q[A-Z]|Qt", name) or name.startswith(("desktop/", "console/", "simulator/", "tests/")):
            wrong.append(f"{path}:{number}: core includes {name}")
        other = re.match(r"core/([a-z]+)/", name)
        if other and ORDER.index(other.group(1)) > ORDER.index(folder):
            wrong.append(f"{path}:{number}: {folder} includes {name}, which lies above it")
for here, there in (("console", "desktop/"), ("desktop", "console/"), ("simulator", "desktop/")):
    for path in sorted(root.glob(here + "/**/*.[hc]*")):
        text = path.read_text(encoding="utf-8")
        if f'#include "{there}' in text:
            wrong.append(f"{path}: {here} includes {there}")
if count < 100:
    wrong.append(f"only {count} includes were looked at: is the path right?")
print("\n".join(wrong) or f"{count} includes point down")
sys.exit(1 if wrong else 0)
