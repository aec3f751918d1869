"""Holds what may lie in the tree: nothing large, nothing that a command with an odd argument left behind."""
import pathlib
import sys

MOST_BYTES = 4 << 20
# Hidden ones, and where builds go.
PASSED_OVER = ("build", ".")
root = pathlib.Path(sys.argv[1])
wrong = []
count = 0
for top in sorted(root.iterdir()):
    if top.name.startswith(PASSED_OVER):
        continue
    for path in [top, *sorted(top.rglob("*"))]:
        if "__pycache__" in path.parts:
            continue
        count += 1
        name = path.relative_to(root)
        if any(part.startswith("-") for part in name.parts):
            wrong.append(f"{name}: a name like an option")
        if path.is_file() and path.stat().st_size > MOST_BYTES:
            wrong.append(f"{name}: {path.stat().st_size} bytes")
if count < 100:
    wrong.append(f"only {count} files were looked at: is the path right?")
print("\n".join(wrong) or f"{count} files and folders")
sys.exit(1 if wrong else 0)
