#!/bin/bash
# In a bare Debian with nothing but the packages of packages.txt a build is configured and the
# package made; in another bare one it installs, and the program there does its whole job.
# Skipped (77) where no such Debian can be had: no root, no mmdebstrap, no mirror.
set -euo pipefail
source="$1" build="$2"
[ "$(id -u)" -eq 0 ] && command -v mmdebstrap >/dev/null || exit 77
suite="$(. /etc/os-release && echo "${VERSION_CODENAME:-}")"
[ -n "$suite" ] || exit 77
folder="$(mktemp -d)"
inside="$folder/builder" user="$folder/user"
clean() {
  for place in "$inside$build" "$inside$source" "$user/proc"; do
    if mountpoint -q "$place"; then umount -l "$place"; fi
  done
  rm -rf --one-file-system "$folder"
}
trap clean EXIT
fail() { echo "$1"; [ -z "${2:-}" ] || tail -n 40 "$2"; exit 1; }

sources() { cat /etc/apt/sources.list.d/*.sources 2>/dev/null || cat /etc/apt/sources.list; }
bare() { sources | mmdebstrap --mode=root --variant=apt "$@" - >"$folder/log" 2>&1; }
bare "$suite" "$user" || { echo "no bare Debian can be made here"; exit 77; }
cp -a "$user" "$inside"
cp -f /etc/resolv.conf "$inside/etc/resolv.conf" 2>/dev/null || true
cp -f /etc/resolv.conf "$user/etc/resolv.conf" 2>/dev/null || true
in_root() { DEBIAN_FRONTEND=noninteractive LC_ALL=C.UTF-8 chroot "$@"; }

# A mirror that does not give what it lists has no say in whether packages.txt suffices.
fetch() { # ROOT, PACKAGE...: what installing needs lies in the root then
  local root="$1" attempt
  shift
  for attempt in 1 2 3; do
    if { in_root "$root" apt-get update -q && in_root "$root" apt-get install -q -y --download-only "$@"; } \
      >"$folder/log" 2>&1; then
      return 0
    fi
    grep -qE '^(E: Failed to fetch|E: Unable to fetch|Err:|W: Failed to fetch)' "$folder/log" || fail "not to be had: $*" "$folder/log"
    sleep 2
  done
  echo "the mirror gives no packages"; tail -n 5 "$folder/log"; exit 77
}

packages="$(tr '\n' ' ' <"$source/packages.txt")"
fetch "$inside" --no-install-recommends $packages
in_root "$inside" apt-get install -q -y --no-install-recommends $packages >"$folder/log" 2>&1 || fail "the packages of packages.txt do not install" "$folder/log"

# the same paths as outside: a build remembers them
for place in "$source" "$build"; do
  mkdir -p "$inside$place" && mount --bind "$place" "$inside$place" 2>/dev/null || exit 77
done
in_root "$inside" cmake -S "$source" -B /tmp/configured >"$folder/log" 2>&1 ||
  fail "packages.txt does not suffice to configure a build" "$folder/log"
grep -qE '^CMAKE_BUILD_TYPE:[A-Z]+=Release$' "$inside/tmp/configured/CMakeCache.txt" || fail "a plain build is not optimised"
in_root "$inside" cpack -G DEB --config "$build/CPackConfig.cmake" -B /tmp/package >"$folder/log" 2>&1 ||
  fail "packages.txt does not suffice to make the package" "$folder/log"

mount -t proc proc "$user/proc" 2>/dev/null || exit 77

package="$(cd "$inside/tmp/package" && echo greymet_*.deb)"
cp "$inside/tmp/package/$package" "$user/tmp/"
fetch "$user" "/tmp/$package"
in_root "$user" apt-get install -q -y "/tmp/$package" >"$folder/log" 2>&1 ||
  fail "the package does not install on a bare Debian" "$folder/log"
in_root "$user" greymet demo /tmp/demo-output >"$folder/log" 2>&1 || fail "the installed program does not do its job" "$folder/log"
if grep 'could not draw' "$folder/log"; then fail "it draws no figures there"; fi
[ -s "$user/tmp/demo-output/results/report.html" ] || fail "no report"
in_root "$user" dpkg-query -L greymet | grep -q /man1/greymet-check.1 || fail "no manual pages"
echo "the package is made with packages.txt and installs on a bare Debian: $package"
