"""Checks a JSON file against a schema: validate.py SCHEMA FILE; prints the first problem and exits with 1."""
import json
import sys

import jsonschema

with open(sys.argv[1], encoding="utf-8") as f:
    schema = json.load(f)
with open(sys.argv[2], encoding="utf-8") as f:
    value = json.load(f)
jsonschema.Draft7Validator.check_schema(schema)
errors = sorted(jsonschema.Draft7Validator(schema).iter_errors(value), key=lambda e: list(map(str, e.path)))
for error in errors[:1]:
    print("/".join(map(str, error.path)) + ": " + error.message[:300])
sys.exit(1 if errors else 0)
