#!/bin/bash
# The Debian package of a build: what is in it, what it depends on, that it installs and runs.
# Skipped (77) where there are no tools to make one.
set -euo pipefail
build="$1"
command -v cpack >/dev/null && command -v dpkg-shlibdeps >/dev/null || exit 77
folder="$(mktemp -d)"
trap 'rm -rf "$folder"' EXIT
fail() { echo "$1"; exit 1; }

cpack -G DEB --config "$build/CPackConfig.cmake" -B "$folder" >"$folder/log" || { cat "$folder/log"; exit 1; }
package="$(echo "$folder"/greymet_*.deb)"
dpkg-deb -f "$package" Package Version Depends Recommends
dpkg-deb -f "$package" Depends | grep -q libxlsxwriter || fail "it does not say which libraries it needs"
dpkg-deb -f "$package" Depends | grep -q libpcap || fail "it does not say what reads captures"
dpkg-deb -f "$package" Depends | grep -qE 'rapidcheck|catch2' && fail "it needs what only tests need"
dpkg-deb -x "$package" "$folder/root"
root="$folder/root/usr"

program="$root/bin/greymet"
"$program" --version | grep -qE '^greymet [0-9.]+ \(commit [0-9a-f]+|unknown\)$' || fail "no version"
"$program" check "$root/share/doc/greymet/examples/maltings.toml" >/dev/null || fail "it does not check the demo"
for file in copyright README.md CHANGELOG.md docs/plan-format.md; do
  [ -s "$root/share/doc/greymet/$file" ] || fail "no $file"
done

# a manual page of each command, and each readable
"$program" --help | sed -n '/^Subcommands:/,/^$/p' | awk 'NR > 1 && NF { print $1 }' >"$folder/commands"
[ "$(wc -l <"$folder/commands")" -ge 19 ] || fail "only $(wc -l <"$folder/commands") commands"
while read -r command; do
  page="$root/share/man/man1/greymet-$command.1"
  grep -q '^\.SH EXAMPLES' "$page" || fail "no page of $command, or no examples in it"
  if command -v man >/dev/null; then
    trouble="$(LC_ALL=C.UTF-8 MANROFFSEQ='' man --warnings -E UTF-8 -l -Tutf8 -Z "$page" 2>&1 >/dev/null)"
    [ -z "$trouble" ] || fail "$page: $trouble"
  fi
done <"$folder/commands"

# completion: commands, then options of a command
complete_words() {
  PATH="$root/bin:$PATH" bash -c 'source "$1"; shift; COMP_WORDS=("$@"); COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); _greymet; echo "${COMPREPLY[@]}"' \
    _ "$root/share/bash-completion/completions/greymet" "$@"
}
[ "$(complete_words greymet reh)" = rehearse ] || fail "commands are not completed"
[ "$(complete_words greymet export --on)" = --only ] || fail "options are not completed"

# everything it depends on is there to be installed
if [ "$(id -u)" -eq 0 ]; then
  apt-get install -s -q "$package" >"$folder/apt" 2>&1 || { cat "$folder/apt"; exit 1; }
fi
echo "the package installs and runs"
