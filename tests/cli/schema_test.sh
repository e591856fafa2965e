#!/bin/bash
# `greymet schema` before a reader of JSON Schemas that is not ours: what the program reads without
# a word about a key or a value fits, and what does not fit has such a word.
set -euo pipefail
program="$1"
examples="$2"
python3 -c 'import jsonschema, tomllib' 2>/dev/null || { echo "skipped: no python3-jsonschema"; exit 77; }
folder="$(mktemp -d)"
trap 'rm -rf "$folder"' EXIT
cp -r "$examples"/. "$folder"
"$program" schema >"$folder/plan.schema.json"
PROGRAM="$program" FOLDER="$folder" python3 - <<'PY'
import copy, json, os, random, subprocess, sys, tomllib
import jsonschema

folder, program = os.environ["FOLDER"], os.environ["PROGRAM"]
schema = json.load(open(folder + "/plan.schema.json"))
jsonschema.Draft202012Validator.check_schema(schema)
validator = jsonschema.Draft202012Validator(schema)


def word(value):
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, (int, float)):
        return repr(value)
    if isinstance(value, str):
        return json.dumps(value, ensure_ascii=False)
    if isinstance(value, list):
        return "[" + ", ".join(word(each) for each in value) + "]"
    return "{ " + ", ".join(json.dumps(k) + " = " + word(v) for k, v in value.items()) + " }"


def written(plan):
    return "".join(json.dumps(key) + " = " + word(value) + "\n" for key, value in plan.items())


# rules about keys and kinds of values: P02, P05, P06; P05 also says what no schema can know
def said(text):
    open(folder + "/tried.toml", "w").write(text)
    found = subprocess.run([program, "check", folder + "/tried.toml", "--rules", "P", "--json"],
                           capture_output=True, text=True).stdout
    return [f["rule"] for f in json.loads(found)["findings"]]


good = tomllib.load(open(folder + "/maltings.toml", "rb"))
assert validator.is_valid(good), list(validator.iter_errors(good))[0]
assert not {"P02", "P05", "P06"} & set(said(written(good))), said(written(good))
for name in ("slips.toml", "draft.toml"):
    try:
        plan = tomllib.load(open(folder + "/" + name, "rb"))
    except tomllib.TOMLDecodeError:
        continue
    assert not validator.is_valid(plan), name

# one table of each kind, as small as it may be
plan = {
    "controller": {"c": {"scan": "10ms", "memory": {"%MW": {"kind": "word", "count": 100},
                                                     "%MX": {"kind": "bit", "count": 100}}}},
    "line": {"l": {"master": "c", "mode": "rtu", "baud": 19200, "format": "8E1"}},
    "slave": {"s": {"line": "l", "unit": 1, "reply": {"typical": "5ms", "max": "20ms"}}},
    "exchange": {"transactions": [{"name": "t", "slave": "s", "fc": 3, "at": 0, "count": 2,
                                   "into": "%MW0", "every": "1s"}]},
}
assert validator.is_valid(plan) and not {"P02", "P05", "P06"} & set(said(written(plan)))


def places(value, path=()):
    if isinstance(value, dict):
        yield path
        for key, each in value.items():
            yield from places(each, path + (key,))
    elif isinstance(value, list):
        for i, each in enumerate(value):
            yield from places(each, path + (i,))


def at(value, path):
    for key in path:
        value = value[key]
    return value


random.seed(1)
keys = ["scan", "baud", "mode", "unit", "timeout", "every", "on_loss", "reply", "retries", "park",
        "holes", "functions", "points", "relays", "status", "character_gap", "word_order", "radix",
        "router", "medium", "zzz"]
values = [True, 0, 1, -1, 7.5, "", " ", "5ms", "1 s", "5", "rtu", "RTU", "hold", "8E1", "ABCD", [],
          ["a"], [3, 16], [1.5], {}, {"typical": "1ms", "max": "2ms"}, {"after": 3, "retry": "1s"}]
refused = missed = 0
for _ in range(220):
    tried = copy.deepcopy(plan)
    table = at(tried, random.choice([p for p in places(tried) if len(p) > 1]))
    if random.random() < 0.15 and table:
        del table[random.choice(sorted(table))]
    else:
        table[random.choice(keys)] = random.choice(values)
    rules = set(said(written(tried)))
    complaint = bool({"P02", "P05", "P06"} & rules)
    if not validator.is_valid(tried):
        refused += 1
        if not complaint:
            sys.exit("the schema refuses what is read:\n" + written(tried) +
                     str(next(validator.iter_errors(tried)).message))
    elif complaint:
        missed += 1  # what only the reader knows: formats, longest times, what goes together
assert refused > 80, refused
assert missed < 40, missed
print("refused by both:", refused, "by the reader alone:", missed)
PY
