#!/bin/bash
# audit of what a capture tool recorded of run against serve, on a loopback that loses, doubles and
# reorders packets, in a network namespace of its own: what was sent again counts once, every request
# of the master is found, and the plan drafted from it asks what was asked. Status 77, which the runner
# counts as skipped: this computer allows no such network, or has no capture tool.
# usage: capture_test.sh GREYMET EXAMPLES
set -euo pipefail
if [ "${3:-}" != inside ]; then
  unshare -n true 2>/dev/null || { echo "left out: no network namespaces here"; exit 77; }
  command -v dumpcap >/dev/null || { echo "left out: no capture tool here"; exit 77; }
  exec unshare -n "$0" "$1" "$2" inside
fi
greymet="$1"
ip link set lo up || exit 77
tc qdisc add dev lo root netem delay 2ms 1ms loss 2% duplicate 2% reorder 5% 2>/dev/null || echo "the kernel has no netem: nothing is lost here"
folder="$(mktemp -d)"
trap 'kill $(jobs -p) 2>/dev/null || true; rm -rf "$folder"' EXIT
cp -r "$2"/. "$folder"
cd "$folder"
fail() { echo "$1"; exit 1; }
dumpcap -q -i lo -w site.pcapng >dumpcap.log 2>&1 &
capture=$!
for _ in $(seq 100); do [ -s site.pcapng ] && break; sleep 0.1; done
[ -s site.pcapng ] || { cat dumpcap.log; echo "left out: nothing can be captured here"; exit 77; }
"$greymet" serve maltings.toml -o served >/dev/null &
server=$!
for _ in $(seq 100); do [ -f served/endpoints.json ] && break; sleep 0.1; done
status=0
"$greymet" run maltings.toml --endpoints served/endpoints.json --duration 12s --tolerate 100% --format csv >run.csv 2>run.err || status=$?
[ "$status" -le 1 ] || fail "run ended with $status"
sleep 1
kill "$server"
kill -INT "$capture"
wait "$capture" || true
# "10.20.0.31:502": "127.0.0.1:40123"  ->  --map 127.0.0.1:40123=10.20.0.31:502
maps=()
while IFS='"' read -r _ planned _ seen _; do maps+=(--map "$seen=$planned"); done < <(grep -E '^ *"[0-9.]+:[0-9]+": *"127' served/endpoints.json)
[ "${#maps[@]}" -ge 6 ] || fail "no places in served/endpoints.json"
status=0
"$greymet" audit maltings.toml site.pcapng "${maps[@]}" --format csv >audit.csv || status=$?
[ "$status" -le 1 ] || fail "audit ended with $status"
# by name: what run sent, and what audit saw of it; one may be under way as it ends
awk -F, '
  FNR == 1 { delete at; for (i = 1; i <= NF; ++i) { gsub(/\r/, "", $i); at[$i] = i } next }
  FILENAME == "run.csv" { sent[$at["name"]] = $at["sent"]; next }
  $at["name"] in sent {
    seen = $at["seen"]; asked = sent[$at["name"]]
    if (asked > 0) ++held
    # on a busy machine some are asked again
    if (seen > 1.25 * asked + 2 || seen + 1 < asked) { print $at["name"] ": sent " asked ", seen " seen; wrong = 1 }
  }
  END { if (held < 6) { print "only " held " transactions could be held against each other"; wrong = 1 } exit wrong }
' run.csv audit.csv || fail "what was captured is not what was asked"
"$greymet" audit --plan-from site.pcapng drafted "${maps[@]}" >drafted.txt 2>&1 || fail "no plan was drafted"
"$greymet" check drafted/plan.toml --least error >/dev/null || fail "the drafted plan has errors"
grep -q 'at = 0' drafted/plan.toml || fail "the drafted plan asks nothing"
status=0
"$greymet" rehearse drafted/plan.toml --fast --no-faults >/dev/null || status=$?
[ "$status" -le 1 ] || fail "the drafted plan cannot be rehearsed"
tshark -r site.pcapng -Y tcp.analysis.retransmission 2>/dev/null | wc -l | sed 's/$/ segments were sent again, each request counts once/'
