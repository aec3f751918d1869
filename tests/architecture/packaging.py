"""Holds what is installed together: one application id, MIME types with icons, a page for each program."""
import configparser
import pathlib
import sys
import xml.etree.ElementTree as xml

root = pathlib.Path(sys.argv[1])
packaging = root / "packaging"
wrong = []
application = "org.glenhaze.Glenhaze"

entry = configparser.ConfigParser(interpolation=None)
entry.optionxform = str
entry.read(packaging / f"{application}.desktop", encoding="utf-8")
desktop = entry["Desktop Entry"]
if desktop["Icon"] != application:
    wrong.append(f"the desktop entry's icon is {desktop['Icon']}")
if "%F" not in desktop["Exec"]:
    wrong.append("the desktop entry takes no files")

meta = xml.parse(packaging / f"{application}.metainfo.xml").getroot()
if meta.findtext("id") != application:
    wrong.append(f"the metadata's id is {meta.findtext('id')}")
if meta.findtext("launchable") != f"{application}.desktop":
    wrong.append("the metadata leads to another desktop entry")

space = "{http://www.freedesktop.org/standards/shared-mime-info}"
known = {t.get("type") for t in xml.parse(packaging / f"{application}.xml").getroot().findall(f"{space}mime-type")}
opened = set(filter(None, desktop["MimeType"].split(";")))
provided = {t.text for t in meta.findall("provides/mediatype")}
if not known == opened == provided or len(known) != 2:
    wrong.append(f"MIME types differ: {known} known, {opened} opened, {provided} in the metadata")
for kind in known:
    if not (packaging / "icons" / (kind.replace("/", "-") + ".svg")).is_file():
        wrong.append(f"{kind} has no icon")

source = (root / "desktop/main.cpp").read_text(encoding="utf-8")
if f'setDesktopFileName(QStringLiteral("{application}"))' not in source:
    wrong.append("the program says another desktop file name")
for program in ("glenhaze", "glenhaze-cli", "glenhaze-sim"):
    if not (packaging / "man" / f"{program}.1").is_file():
        wrong.append(f"{program} has no manual page")
print("\n".join(wrong) or f"{len(known)} file types, one id")
sys.exit(1 if wrong else 0)
