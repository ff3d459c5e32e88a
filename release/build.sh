#!/usr/bin/env bash
# Makes what people take: a static program for x86-64 Linux that needs nothing else, with manual pages, completions, the licences
# of all that is in it, and a checksum.
#
#   release/build.sh [FOLDER]     default: target/release-files
#
# Needs the Rust target x86_64-unknown-linux-musl, a C compiler for it (musl-gcc) and Python 3. Dates and paths of the machine are
# kept out of what it makes.
set -euo pipefail
cd "$(dirname "$0")/.."
target=x86_64-unknown-linux-musl
into=${1:-target/release-files}

rustc --print target-libdir --target "$target" | xargs test -d ||
  { echo "Rust knows no $target here; rustup target add $target" >&2; exit 1; }
command -v musl-gcc >/dev/null ||
  { echo "there is no musl-gcc; on Debian it is in the package musl-tools" >&2; exit 1; }

version=$(cargo metadata --format-version 1 --no-deps --locked |
  python3 -c 'import json, sys; print(next(p["version"] for p in json.load(sys.stdin)["packages"] if p["name"] == "mellow-kiln"))')
name=mellow-kiln-$version-x86_64-linux
# Files say when the last change was made, not when they were built.
export SOURCE_DATE_EPOCH=${SOURCE_DATE_EPOCH:-$(git log -1 --format=%ct)}
# No path of this machine is in the program.
export RUSTFLAGS="--remap-path-prefix=$PWD=/mellow-kiln --remap-path-prefix=${CARGO_HOME:-$HOME/.cargo}=/cargo"
cargo build --quiet --locked --profile shipped --target "$target" -p mellow-kiln
kiln=${CARGO_TARGET_DIR:-target}/$target/shipped/kiln

if readelf -l "$kiln" | grep -q INTERP; then
  echo "$kiln wants libraries of the machine that it runs on" >&2
  exit 1
fi
folder=$into/$name
rm -rf "$folder"
mkdir -p "$folder/completions"
cp "$kiln" README.md CHANGELOG.md LICENSE-MIT LICENSE-APACHE "$folder"
"$folder/kiln" man "$folder/man/man1" >/dev/null
for shell in bash elvish fish powershell zsh; do
  "$folder/kiln" completions "$shell" >"$folder/completions/kiln.$shell"
done
python3 supply/check.py --notices >"$folder/LICENCES.txt"
tar --create --sort=name --owner=0 --group=0 --numeric-owner --mode=u+w,go-w,a+rX --mtime="@$SOURCE_DATE_EPOCH" \
  --directory "$into" "$name" | gzip --no-name --best >"$into/$name.tar.gz"
(cd "$into" && sha256sum "$name.tar.gz" | tee "$name.tar.gz.sha256")
