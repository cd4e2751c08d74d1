#!/usr/bin/env bash
# Fetches the 18 CC0 radiance panoramas (npm package @pmndrs/assets 1.7.0) that ./run bench tone-quality scores; six of them
# are in tests/data already. Needs npm and a network; nothing else in the project does.
set -euo pipefail
cd "$(dirname "$0")/.."
target=build/release/bench-data/panoramas
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
(cd "$work" && npm pack --silent @pmndrs/assets@1.7.0 >/dev/null && tar xzf ./*.tgz)
mkdir -p "$target"
for file in "$work"/package/hdri/*.exr.js; do # a data URL in a line of JavaScript
    sed -n 's/.*base64,\([A-Za-z0-9+/=]*\).*/\1/p' "$file" | base64 -d >"$target/$(basename "$file" .js)"
done
echo "$(ls "$target" | wc -l) panoramas in $target"
