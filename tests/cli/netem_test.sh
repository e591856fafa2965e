#!/bin/bash
# run against serve over a loopback that delays, loses and doubles packets, in a network namespace of
# its own. Status 77, which the runner counts as skipped: this computer allows no such network.
# usage: netem_test.sh GREYMET EXAMPLES
set -euo pipefail
if [ "${3:-}" != inside ]; then
  unshare -n true 2>/dev/null || { echo "left out: no network namespaces here"; exit 77; }
  exec unshare -n "$0" "$1" "$2" inside
fi
ip link set lo up || exit 77
if ! tc qdisc add dev lo root netem delay 3ms 1ms loss 2% duplicate 2% 2>/dev/null; then
  echo "left out: the kernel has no netem"
  [ -n "${GREYMET_WITHOUT_NETEM:-}" ] || exit 77
fi
folder="$(mktemp -d)"
trap 'kill "$server" 2>/dev/null || true; rm -rf "$folder"' EXIT
cp -r "$2"/. "$folder"
cd "$folder"
printf 'where,value\nair.net_pressure,7.25\nmeter1.import_active,constant 1234\n' >values.csv
printf 'where,value,tolerance,within\nair.net_pressure,7.25,0.001,20s\n' >expect.csv
"$1" serve maltings.toml --values values.csv -o served >/dev/null &
server=$!
for _ in $(seq 100); do [ -f served/endpoints.json ] && break; sleep 0.1; done
status=0
"$1" run maltings.toml --endpoints served/endpoints.json --expect expect.csv --duration 12s --json >run.json || status=$?
[ "$status" -le 1 ] || { echo "run ended with $status"; exit 1; } # responses may well be late
grep -q '"accounted": true' run.json || { echo "not accounted for"; exit 1; }
grep -q '"verdict": "met"' run.json || { echo "the value did not arrive"; exit 1; }
grep -q '"verdict": "dead"' run.json && { echo "a transaction never got through"; exit 1; }
echo "every request accounted for, every value right"
