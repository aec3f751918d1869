"""The demo's shoot and profiles follow the published schemas, and a wrong file does not."""
import copy
import json
import pathlib
import sys

import jsonschema

root = pathlib.Path(sys.argv[1])
wrong = []


def load(path):
    return json.loads(path.read_text(encoding="utf-8"))


profile_schema = load(root / "docs/formats/profile.schema.json")
shoot_schema = load(root / "docs/formats/shoot.schema.json")
profiles = sorted(root.glob("demo/profiles/*.glenhaze.json"))
shoots = sorted(root.glob("demo/*.glenhaze-shoot.json"))
for schema, files in ((profile_schema, profiles), (shoot_schema, shoots)):
    jsonschema.Draft7Validator.check_schema(schema)
    if not files:
        wrong.append("there is no file to check")
    for path in files:
        for error in jsonschema.Draft7Validator(schema).iter_errors(load(path)):
            wrong.append(f"{path}: {error.message}")
answers_schema = load(root / "docs/formats/answers.schema.json")
jsonschema.Draft7Validator.check_schema(answers_schema)
answers = {"format": "glenhaze-answers", "version": 1,
           "answers": {"|1280x720|30|h264|VISITOR_": {"camera": "Tern P2", "medium": "air", "in_camera": {}}}}
if not jsonschema.Draft7Validator(answers_schema).is_valid(answers):
    wrong.append("answers of earlier shoots do not follow their schema")
# A check that cannot fail is none.
answers["answers"]["|1280x720|30|h264|VISITOR_"]["camera"] = 2
if jsonschema.Draft7Validator(answers_schema).is_valid(answers):
    wrong.append("a camera named by a number passes the schema")
broken = copy.deepcopy(load(profiles[0]))
broken.setdefault("lens", {"model": "division", "centre_px": [0, 0], "coefficients": [0]})["focal_px"] = "wide"
if jsonschema.Draft7Validator(profile_schema).is_valid(broken):
    wrong.append("a profile with a focal length in words passes the schema")
broken = copy.deepcopy(load(profiles[0]))
broken["noise"] = {"curves": [{"iso": 0, "level": [], "sigma_y": []}]}
if jsonschema.Draft7Validator(profile_schema).is_valid(broken):
    wrong.append("a noise curve of ISO 0 passes the schema")
print("\n".join(wrong) or f"{len(profiles)} profiles and {len(shoots)} shoots follow their schemas")
sys.exit(1 if wrong else 0)
